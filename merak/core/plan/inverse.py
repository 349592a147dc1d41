"""Taking one change of a plan back, out of what stands now: what others changed since stays."""

from merak.core.plan.step import Step
from merak.core.plan.visit_plan import Plan

#: What a plan says besides its steps.
WHOLE = ("side", "methods", "kind", "routine")


class Overtaken(Exception):
    """What was changed was changed again since: by the step's id, "" for the plan as a whole."""


def taken_back(before: Plan, after: Plan, now: Plan) -> Plan:
    """The plan `now` without the change that led from `before` to `after`.

    Raises Overtaken where what it changed is no longer as it left it.
    """
    old, new, stands = (_by_id(plan) for plan in (before, after, now))
    changed = [key for key in old | new if old.get(key) != new.get(key)]
    for key in changed:
        if stands.get(key) != new.get(key) or (key not in old and any(one.beside == key for one in now.steps)):
            raise Overtaken(key)
    kept = [old.get(one.id) if one.id in changed else one for one in now.steps]
    steps = [one for one in kept if one is not None]
    for at, one in enumerate(before.steps):
        if one.id in changed and one.id not in stands:
            steps.insert(_place(steps, [earlier.id for earlier in before.steps[:at]]), one)
    whole = {name: getattr(before, name) for name in WHOLE if getattr(before, name) != getattr(after, name)}
    if any(getattr(now, name) != getattr(after, name) for name in whole):
        raise Overtaken("")
    return now.model_copy(update={"steps": tuple(_moved_back(before, after, now, steps)), **whole})


def _by_id(plan: Plan) -> dict[str, Step]:
    return {one.id: one for one in plan.steps}


def _place(steps: list[Step], earlier: list[str]) -> int:
    """Behind the last of those that came earlier."""
    return max((n + 1 for n, one in enumerate(steps) if one.id in earlier), default=0)


def _moved_back(before: Plan, after: Plan, now: Plan, steps: list[Step]) -> list[Step]:
    """The steps in the order in which they stood, where the change was one of their order."""
    common = {one.id for one in before.steps} & {one.id for one in after.steps} & {one.id for one in now.steps}
    was, went, stands = ([one.id for one in plan.steps if one.id in common] for plan in (before, after, now))
    if was == went:
        return steps
    if stands != went:
        raise Overtaken("")
    by_id, turn = {one.id: one for one in steps}, iter(was)
    return [by_id[next(turn)] if one.id in common else one for one in steps]
