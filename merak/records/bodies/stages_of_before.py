"""Records from before what a modality set in one step became stages of it: each modality says how
(`Settings.upgraded`).
"""

from typing import Any

from merak.core.modality.catalogue import MODALITIES

#: A body as the database holds it.
Raw = dict[str, Any]


def _parts(modality: str, settings: Raw) -> list[Raw]:
    """What was set, stage by stage; what a modality that is not there any more set stays as it was."""
    return MODALITIES[modality].Settings.upgraded(settings) if modality in MODALITIES else [settings]


def _step(step: Raw) -> Raw:
    stages: list[Raw] = []
    for stage in step["stages"]:
        was = stage.get("settings", {})
        first, *more = _parts(stage["modality"], was)
        stages.append(stage if first == was else {**stage, "settings": first})
        stages += [{**stage, "id": f"{stage['id']}-{n}", "settings": one} for n, one in enumerate(more, 2)]
    return {**step, "stages": stages}


def _plan(plan: Raw) -> Raw:
    return {**plan, "steps": [_step(step) for step in plan["steps"]]} if "steps" in plan else plan


def draft_of_before(body: Raw) -> Raw:
    """A plan; texts that were typed into fields that are gone go with them."""
    if "plan" not in body:
        return body
    gone: frozenset[str] = frozenset().union(*(module.Settings.GONE for module in MODALITIES.values()))
    texts: Raw = {
        name: {key: text for key, text in body[name].items() if key.partition(".")[2] not in gone}
        for name in ("typed", "wrong")
        if name in body
    }
    return {**body, **texts, "plan": _plan(body["plan"])}


def order_of_before(body: Raw) -> Raw:
    """An order: its acts are as they were, each of the stage that it belongs to."""
    plan = _plan(body["plan"])
    stages = {step["id"]: step["stages"] for step in plan.get("steps", ())}
    clocks: dict[str, int] = {}
    acts = []
    for act in body["acts"]:
        mine, clock = stages.get(act.get("step", ""), ()), 0
        if act.get("kind") == "timed" and act.get("modality"):
            clock = clocks[act["step"]] = clocks.get(act["step"], -1) + 1
        settings = [one.get("settings", {}) for one in mine]
        module = MODALITIES.get(act.get("modality", ""))
        n = module.Settings.stage_of(act["title"], clock, settings) if module and mine else 0
        acts.append({**act, "stage": mine[n]["id"]} if n < len(mine) else act)
    numbers = {_number(key, stages): one for key, one in body.get("numbers", {}).items()}
    return {**body, "acts": acts, "plan": plan, "numbers": numbers}


def _number(key: str, stages: dict[str, list[Raw]]) -> str:
    """Where a number of a step stands now that its stages have their own."""
    step, _, name = key.partition(".")
    mine = stages.get(step, ())
    module = MODALITIES.get(mine[0].get("modality", "")) if mine else None
    n, called = module.Settings.number_of(name) if module else (0, name)
    return f"{mine[n]['id']}.{called}" if module and n < len(mine) else key


def routine_of_before(body: Raw) -> Raw:
    """A routine, whose words and numbers stand apart."""

    def stages(one: Raw) -> list[Raw]:
        said = {**one.get("kinds", {}), **one.get("settings", {})}
        parts = _parts(one["modality"], said)
        if parts == [said]:
            return [one]
        return [
            {
                **one,
                "kinds": {key: value for key, value in part.items() if isinstance(value, str)},
                "settings": {key: value for key, value in part.items() if not isinstance(value, str)},
            }
            for part in parts
        ]

    steps = [{**step, "stages": [part for one in step["stages"] for part in stages(one)]} for step in body["steps"]]
    return {**body, "steps": steps}
