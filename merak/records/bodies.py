"""What a record holds, by phase of the visit: each body says the version of its shape (`v`; none is 0), and is brought up when it is read.

A record is never rewritten. A shape that changes gets the next number in VERSIONS and one upgrader more, for ever.
"""

from collections.abc import Callable
from typing import Any

Body = dict[str, Any]
#: The version in which a phase's body is written today; a phase that is not named here has had one shape only.
VERSIONS = {"plan": 1, "order": 1, "close": 1, "task": 1}


def stamped(phase: str, body: Body) -> Body:
    """The body as it is kept, with the version of its shape; one that never had another says none."""
    version = VERSIONS.get(phase, 0)
    return {**body, "v": version} if version else body


def upgraded(phase: str, body: Body) -> Body:
    """A body as it was kept in the shape of today, without its version. Raises ValueError for one that a later program wrote."""
    kept = dict(body)
    version = kept.pop("v", 0)
    if version > VERSIONS.get(phase, 0):
        raise ValueError(f"the record of “{phase}” was written by a later version of this program")
    for upgrade in UPGRADES.get(phase, ())[version:]:
        kept = upgrade(kept)
    return kept


def _renamed(one: Body, **names: str) -> Body:
    """The same with keys called otherwise, in their old order."""
    return {names.get(key, key): value for key, value in one.items()}


def _plan_of_steps(plan: Body) -> Body:
    return _renamed(plan, items="steps")


def _draft_of_steps(body: Body) -> Body:
    """A plan's steps were its items. The way back was a list of versions, which nobody owned: it is not gone any more."""
    if "plan" not in body:
        return body
    kept = {key: value for key, value in body.items() if key not in ("did", "past", "future")}
    return {**kept, "plan": _plan_of_steps(body["plan"])}


#: What the rule book said of the chair and of spots when orders did not carry it yet (version 0).
LIMITS_0: Body = {
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
    "hands": "In an act that asks for a licence only who holds it counts, places and reads spots, and connects the machine. "
    "Anybody who treats keeps the clock, asks, reads, wipes, photographs, pauses and stops.",
}
SPOT_0: Body = {
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
WAITS_0 = {
    "rf_fractional.spot": "A test spot is read after five minutes or more.",
    "acid.spot": "A test spot is read at 24 to 48 hours.",
    "pulsed_light.spot": "A test spot is read after 48 hours or more.",
    "pulsed_light.spot.dark": "On phototypes IV and V a test spot is read after 7 days.",
}


def _spot_with_words(one: Body) -> Body:
    """A spot's rule did not carry its grades and words."""
    if not one.get("spot"):
        return one
    spot = one["spot"]
    return {**one, "spot": {**SPOT_0, **spot, "words": {**SPOT_0["words"], "wait": WAITS_0.get(spot["rule"], "Read it when it is due.")}}}


def _order_of_acts(body: Body) -> Body:
    """An order's acts were its steps, a plan's steps its items; what to do in an act was its act; thresholds were not in it."""
    body = _renamed(body, steps="acts")
    body["acts"] = [_spot_with_words(_renamed(one, act="instruction", item="step")) for one in body.get("acts", ())]
    body = {"limits": LIMITS_0, "edition": "", **body}
    if "spans" in body:
        body["spans"] = [_renamed(one, item="step") for one in body["spans"]]
    if "plan" in body:
        body["plan"] = _plan_of_steps(body["plan"])
    return body


def _close_by_acts(body: Body) -> Body:
    """A difference tells its act, which was a step."""
    if "differences" not in body:
        return body
    return {**body, "differences": [_renamed(one, step="act") for one in body["differences"]]}


#: Phase → what brings a body from version 0 to 1, from 1 to 2, and so on.
UPGRADES: dict[str, tuple[Callable[[Body], Body], ...]] = {
    "plan": (_draft_of_steps,),
    "order": (_order_of_acts,),
    "close": (_close_by_acts,),
    "task": (_spot_with_words,),
}
