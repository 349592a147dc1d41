"""Records from before each colour of a light and each bottle of wet work was a stage of its own."""

from typing import Any

#: A body as the database holds it.
Raw = dict[str, Any]
#: Wet work's bottles as they stood in one step's settings, and the minutes of each where none were said.
BOTTLES = {"acid": 2.0, "peel": 0.0, "salicylic": 2.0, "booster": 0.0, "infuse": 4.0}
#: The acts of an order that each bottle was.
BOTTLE_ACTS = {
    "Acid cleanse": "acid",
    "Peel": "peel",
    "Salicylic extraction": "salicylic",
    "Booster": "booster",
    "Infusion": "infuse",
}
#: The settings of those steps that their stages have no more.
GONE = {"then", "then_minutes", "infuse_at", *(f"{bottle}_min" for bottle in BOTTLES)}


def _by_bottles(modality: str, settings: Raw) -> list[Raw]:
    """What was set for a light of two colours, or for wet work with all its bottles, stage by stage."""
    rest = {key: value for key, value in settings.items() if key not in GONE}
    if modality == "led" and settings.get("then", "nothing") != "nothing":
        return [rest, {**rest, "colour": settings["then"], "minutes": settings.get("then_minutes", 10)}]
    if modality != "wet_abrasion":
        return [rest]
    minutes = {bottle: settings.get(f"{bottle}_min", usual) for bottle, usual in BOTTLES.items()}
    drawn = {"infuse": settings.get("infuse_at", 7.0)}
    stages = [
        {**rest, "kind": bottle, "at": drawn.get(bottle, rest.get("at", 4.0)), "minutes": max(0.5, took)}
        for bottle, took in minutes.items()
        if took
    ]
    return stages or [{**rest, "kind": "acid", "minutes": 0.5}]


def _of_old_shape(stage: Raw) -> bool:
    bottles = stage["modality"] == "wet_abrasion" and "kind" not in stage.get("settings", {})
    return bottles or (stage["modality"] == "led" and bool(GONE & {*stage.get("settings", {})}))


def _step_by_bottles(step: Raw) -> Raw:
    stages: list[Raw] = []
    for stage in step["stages"]:
        parts = _by_bottles(stage["modality"], stage.get("settings", {})) if _of_old_shape(stage) else []
        first, *more = parts or [stage.get("settings", {})]
        stages.append({**stage, "settings": first} if parts else stage)
        stages += [{**stage, "id": f"{stage['id']}-{n}", "settings": one} for n, one in enumerate(more, 2)]
    return {**step, "stages": stages}


def _plan_by_bottles(plan: Raw) -> Raw:
    return {**plan, "steps": [_step_by_bottles(step) for step in plan["steps"]]} if "steps" in plan else plan


def draft_by_bottles(body: Raw) -> Raw:
    """A light of two colours and wet work of several bottles were one stage."""
    if "plan" not in body:
        return body
    texts: Raw = {
        name: {key: text for key, text in body[name].items() if key.partition(".")[2] not in GONE}
        for name in ("typed", "wrong")
        if name in body
    }
    return {**body, **texts, "plan": _plan_by_bottles(body["plan"])}


def order_by_bottles(body: Raw) -> Raw:
    """The same of an order: its acts are as they were, each of the stage that it belongs to."""
    plan = _plan_by_bottles(body["plan"])
    stages = {step["id"]: step["stages"] for step in plan.get("steps", ())}
    clocks: dict[str, int] = {}
    acts = []
    for act in body["acts"]:
        mine, n = stages.get(act.get("step", ""), ()), 0
        if act.get("modality") == "led" and act.get("kind") == "timed":
            n = clocks[act["step"]] = clocks.get(act["step"], -1) + 1
        elif act.get("modality") == "wet_abrasion":
            bottle = BOTTLE_ACTS.get(act["title"], "")
            n = next((k for k, one in enumerate(mine) if one["settings"].get("kind") == bottle), 0)
        acts.append({**act, "stage": mine[n]["id"]} if n < len(mine) else act)
    numbers = {key.replace(".then_", "-2."): one for key, one in body.get("numbers", {}).items()}
    return {**body, "acts": acts, "plan": plan, "numbers": numbers}


def routine_by_bottles(body: Raw) -> Raw:
    """The same of a routine, whose words and numbers stand apart."""

    def stages(one: Raw) -> list[Raw]:
        if one["modality"] not in ("led", "wet_abrasion"):
            return [one]
        said = {**one.get("kinds", {}), **one.get("settings", {})}
        return [
            {
                **one,
                "kinds": {key: value for key, value in part.items() if isinstance(value, str)},
                "settings": {key: value for key, value in part.items() if not isinstance(value, str)},
            }
            for part in _by_bottles(one["modality"], said)
        ]

    steps = [{**step, "stages": [part for one in step["stages"] for part in stages(one)]} for step in body["steps"]]
    return {**body, "steps": steps}
