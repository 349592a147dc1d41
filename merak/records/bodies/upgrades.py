"""Versions of what is kept: what brings a body of an older shape up to today's, one upgrader a version, for ever."""

from collections.abc import Callable
from contextlib import suppress
from typing import Any

from pydantic import ValidationError

from merak.core.plan.stage import Stage
from merak.records.bodies.flags_of_before import plan_of_flags, routine_of_flags
from merak.records.bodies.stages_of_before import draft_of_before, order_of_before, routine_of_before
from merak.records.bodies.zones_of_before import draft_of_zones, order_of_zones, steps_of_zones

#: A body as the database holds it.
Raw = dict[str, Any]
#: The version in which a body is written today; what is not named here has had one shape only.
VERSIONS = {"plan": 6, "order": 9, "close": 4, "sheet": 1, "task": 1, "routine": 5}


def versioned(phase: str, body: Raw) -> Raw:
    """The body with the version of its shape; one that never had another says none."""
    version = VERSIONS.get(phase, 0)
    return {**body, "v": version} if version else body


def upgraded(phase: str, body: Raw) -> Raw:
    """A body as it was kept in the shape of today, without its version. Raises ValueError for one that a later program
    wrote.
    """
    kept = dict(body)
    version = kept.pop("v", 0)
    if version > VERSIONS.get(phase, 0):
        raise ValueError(f"the record of “{phase}” was written by a later version of this program")
    for upgrade in UPGRADES.get(phase, ())[version:]:
        kept = upgrade(kept)
    return kept


def _renamed(one: Raw, **names: str) -> Raw:
    """The same with keys called otherwise, in their old order."""
    return {names.get(key, key): value for key, value in one.items()}


def _plan_of_steps(plan: Raw) -> Raw:
    return _renamed(plan, items="steps")


def _draft_of_steps(body: Raw) -> Raw:
    """A plan's steps were its items. The way back was a list of versions, which nobody owned: it is
    not gone any more.
    """
    if "plan" not in body:
        return _draft_of_fields(body)
    kept = {key: value for key, value in body.items() if key not in ("did", "past", "future")}
    return {**kept, "plan": _plan_of_steps(body["plan"])}


def _draft_of_fields(body: Raw) -> Raw:
    """A plan from before there were steps: a form's fields of a lift and of red light. What cannot be read any more is
    left out.
    """
    fields: dict[str, str] = body.get("draft", {})
    steps: list[Raw] = []
    for modality in ("microcurrent", "led"):
        if fields.get(modality) == "on":
            own = {
                key.partition(".")[2]: text.replace(",", ".")
                for key, text in fields.items()
                if key.startswith(f"{modality}.")
            }
            settings: Raw = {key: text for key, text in own.items() if key not in ("current", "fluence", "paths")}
            if own.get("paths"):
                settings["paths"] = own["paths"].split("|")
            with suppress(ValidationError):
                stage = Stage(id=f"s{len(steps) + 1}", modality=modality).with_settings(settings)
                steps.append(stage.model_dump(mode="json", include={"id", "modality", "settings"}))
    side = fields.get("side")
    return {"plan": {"steps": steps, "side": side if side in ("right", "left") else None}}


#: What the rule book said of the chair and of spots when orders did not carry it yet (version 0).
LIMITS_0: Raw = {
    "heat_move": 3.0,
    "heat_stop": 3.5,
    "heat_never": 4.0,
    "pain_lower": 4.0,
    "pain_stop": 7.0,
    "reading_s": 60.0,
    "below_mm": 12.7,
    "wet_share": 40.0,
    "uncounted": 20.0,
    "touched_s": 5.0,
    "differs": 20.0,
    "hands": (
        "In an act that asks for a licence only who holds it counts, places and reads spots, and connects the machine. "
        "Anybody who treats keeps the clock, asks, reads, wipes, photographs, pauses and stops."
    ),
}
SPOT_0: Raw = {
    "severe": 3,
    "pain_stop": 7.0,
    "words": {
        "first": "Nothing more of it before the spot was read, unless a senior says so in writing.",
        "mark": "A blister, a burn, white or grey skin at a spot: not today; a doctor looks.",
        "down": "A severe answer: one step down.",
        "kept": "Mild to moderate redness or swelling that is bearable: this setting stays.",
        "once": "At most one step up in a visit, and never more than a fifth of the energy.",
        "up": "Nothing seen: one step up.",
    },
}
#: An order from before orders held their plan.
PLAN_0: Raw = {
    "plan": {},
    "first": {"side": "right", "how": "unmeasured", "why": "", "difference": {"name": "difference", "value": None}},
    "spans": [],
    **{name: {} for name in ("numbers", "cautions", "refused", "stopped", "zones")},
    **{name: [] for name in ("clashes", "allowed")},
}
WAITS_0 = {
    "rf_fractional.spot": "A test spot is read after five minutes or more.",
    "acid.spot": "A test spot is read at 24 to 48 hours.",
    "pulsed_light.spot": "A test spot is read after 48 hours or more.",
    "pulsed_light.spot.dark": "On phototypes IV and V a test spot is read after 7 days.",
}


def _spot_with_words(one: Raw) -> Raw:
    """A spot's rule did not carry its grades and words."""
    if not one.get("spot"):
        return one
    spot = one["spot"]
    return {
        **one,
        "spot": {
            **SPOT_0,
            **spot,
            "words": {**SPOT_0["words"], "wait": WAITS_0.get(spot["rule"], "Read it when it is due.")},
        },
    }


def _order_of_acts(body: Raw) -> Raw:
    """An order's acts were its steps, a plan's steps its items; what to do in an act was its act; thresholds were not
    in it.
    """
    body = _renamed(body, steps="acts")
    body["acts"] = [_spot_with_words(_renamed(one, act="instruction", item="step")) for one in body.get("acts", ())]
    body = {**PLAN_0, "limits": LIMITS_0, "edition": "", **body}
    if "spans" in body:
        body["spans"] = [_renamed(one, item="step") for one in body["spans"]]
    if "plan" in body:
        body["plan"] = _plan_of_steps(body["plan"])
    return body


def with_actions(told: Any) -> Any:
    """What to do about cautions, clashes and sayings was called their act."""
    if isinstance(told, dict):
        return {key: with_actions(one) for key, one in _renamed(told, act="action").items()}
    return [with_actions(one) for one in told] if isinstance(told, list) else told


def _order_of_actions(body: Raw) -> Raw:
    acts = [{**one, "sayings": with_actions(one["sayings"])} if "sayings" in one else one for one in body["acts"]]
    judged = {key: with_actions(body[key]) for key in JUDGED if key in body}
    return {**body, **judged, "acts": acts}


def _order_of_clocks(body: Raw) -> Raw:
    """That numbing cream may not come off early in silence was known by its name."""

    def clock(one: Raw) -> Raw:
        waits = one.get("modality") == "numbing" and one.get("kind") == "timed"
        return {**one, "not_before": True} if waits else one

    return {**body, "acts": [clock(one) for one in body["acts"]]}


#: What a step said of itself when it was one setting on one set of zones, and its stage says now.
OF_STAGE = ("settings", "zones", "machine", "manner")


def _step_of_one(step: Raw) -> Raw:
    """A step was one setting on one set of zones: it is one of one stage, which carries its id."""
    stage = {key: step[key] for key in ("id", "modality", *OF_STAGE) if key in step}
    return {**{key: value for key, value in step.items() if key not in OF_STAGE}, "stages": [stage]}


def _plan_of_stages(plan: Raw) -> Raw:
    return {**plan, "steps": [_step_of_one(step) for step in plan["steps"]]} if "steps" in plan else plan


def _draft_of_stages(body: Raw) -> Raw:
    return {**body, "plan": _plan_of_stages(body["plan"])} if "plan" in body else body


def _order_of_stages(body: Raw) -> Raw:
    """An act named its step alone; what it was of its modality's work stood in the place of its stage."""

    def act(one: Raw) -> Raw:
        return {**one, "stage": one.get("step", ""), "portion": one.get("stage", "")}

    return {**body, "acts": [act(one) for one in body["acts"]], "plan": _plan_of_stages(body["plan"])}


def _order_of_shares(body: Raw) -> Raw:
    """How long infusing has to be stood with the thresholds of the chair, as the only share there was."""
    was: Raw = body.get("limits", {})
    limits = {key: value for key, value in was.items() if key != "wet_share"}
    share = {
        "least": was.get("wet_share", LIMITS_0["wet_share"]),
        "name": "infusing",
        "of": "wet",
        "beside": "Cleaning",
        "make_up": "Infuse",
    }
    acts = [{**one, "share": share} if one.get("portion") == "wet.infuse" else one for one in body["acts"]]
    return {**body, "acts": acts, **({"limits": limits} if was else {})}


def _routine_of_stages(body: Raw) -> Raw:
    def step(one: Raw) -> Raw:
        stage = {key: one[key] for key in ("modality", "zones", "kinds", "settings") if key in one}
        return {**{key: one[key] for key in ("modality", "beside") if key in one}, "stages": [stage]}

    return {**body, "steps": [step(one) for one in body["steps"]]}


def _sheet_by_topics(body: Raw) -> Raw:
    """Lines from before there were topics have their words alone."""

    def line(one: Raw) -> Raw:
        older = {"topic": "", "step": 0, "sign": "", "rules": (one["rule"],)} if "rule" in one else {}
        return {key: value for key, value in one.items() if key != "rule"} | older

    return {**body, "lines": [line(one) for one in body.get("lines", ())]}


def _close_of_endings(body: Raw) -> Raw:
    """An ending that was never taken back said so with an empty word."""
    if "endings" not in body:
        return body
    return {**body, "endings": [{**one, "back": one.get("back") or None} for one in body["endings"]]}


def _close_by_acts(body: Raw) -> Raw:
    """A difference tells its act, which was a step."""
    if "differences" not in body:
        return body
    return {**body, "differences": [_renamed(one, step="act") for one in body["differences"]]}


def _close_by_what_ended(body: Raw) -> Raw:
    """Where a lift and its light ended stood by themselves, before each modality told what was done of it."""
    ended = {"microcurrent": body.get("level"), "led": body.get("led_minutes")}
    did = body.get("did") or {name: {"at": at} for name, at in ended.items() if at is not None}
    kept = {key: value for key, value in body.items() if key not in ("level", "level_most", "led_minutes")}
    return {**kept, "did": did} if did else kept


def _close_without_exposures(body: Raw) -> Raw:
    """What skin was given was not kept: nobody knows how much, or where beyond what was ordered."""
    return {**body, "exposures": None}


#: What an order keeps of the plan that says what to do.
JUDGED = ("cautions", "refused", "stopped", "clashes", "allowed")

#: Flags went at two times: diamond passes before a peel are a sum since the second.
#: Phase → what brings a body from version 0 to 1, from 1 to 2, and so on.
UPGRADES: dict[str, tuple[Callable[[Raw], Raw], ...]] = {
    "plan": (_draft_of_steps, _draft_of_stages, draft_of_before, draft_of_zones, plan_of_flags, plan_of_flags),
    "order": (
        _order_of_acts,
        _order_of_actions,
        _order_of_clocks,
        _order_of_stages,
        order_of_before,
        _order_of_shares,
        order_of_zones,
        plan_of_flags,
        plan_of_flags,
    ),
    "close": (_close_by_acts, _close_of_endings, _close_by_what_ended, _close_without_exposures),
    "sheet": (_sheet_by_topics,),
    "task": (_spot_with_words,),
    "routine": (_routine_of_stages, routine_of_before, steps_of_zones, routine_of_flags, routine_of_flags),
}
