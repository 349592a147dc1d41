"""What a record holds, by phase of the visit: each body says the version of its shape (`v`; none is 0), and is brought up when it is read.

A record is never rewritten. A shape that changes gets the next number in VERSIONS and one upgrader more, for ever.
"""

from collections.abc import Callable
from typing import Any

Body = dict[str, Any]
#: The version in which a phase's body is written today; a phase that is not named here has had one shape only.
VERSIONS = {"plan": 1, "order": 1, "close": 1}


def stamped(phase: str, body: Body) -> Body:
    """The body as it is kept, with the version of its shape."""
    return {**body, "v": VERSIONS.get(phase, 0)}


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
    """A plan's steps were its items."""
    return {**body, "plan": _plan_of_steps(body["plan"])} if "plan" in body else body


def _order_of_acts(body: Body) -> Body:
    """An order's acts were its steps, a plan's steps its items; what to do in an act was its act."""
    body = _renamed(body, steps="acts")
    body["acts"] = [_renamed(one, act="instruction", item="step") for one in body.get("acts", ())]
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
}
