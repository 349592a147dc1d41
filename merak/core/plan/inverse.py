"""Taking one change of a plan back, out of what stands now: what others changed since stays."""

from collections.abc import Callable, Iterable, Sequence
from typing import Protocol, TypeVar

from merak.core.plan.step import Step
from merak.core.plan.visit_plan import Plan

#: What a plan says besides its steps.
WHOLE = ("side", "methods", "kind", "routine")


class Overtaken(Exception):
    """What was changed was changed again since: by the id of the stage or step, "" for the plan as a whole."""


class Named(Protocol):
    """A step, or a stage of one."""

    @property
    def id(self) -> str:
        """By which it is known."""


One = TypeVar("One", bound=Named)


def taken_back(before: Plan, after: Plan, now: Plan) -> Plan:
    """The plan `now` without the change that led from `before` to `after`, stage by stage.

    Raises Overtaken where what it changed is no longer as it left it.
    """
    hosts = {one.beside for one in now.steps}
    steps = _back(before.steps, after.steps, now.steps, "", _step_back, lambda key: key in hosts)
    whole = {name: getattr(before, name) for name in WHOLE if getattr(before, name) != getattr(after, name)}
    if any(getattr(now, name) != getattr(after, name) for name in whole):
        raise Overtaken("")
    return now.model_copy(update={"steps": tuple(steps), **whole})


def _step_back(before: Step, after: Step, now: Step) -> Step:
    """A step that was changed and is there in all three."""
    own = (before.modality, before.beside) != (after.modality, after.beside)
    if own and (now.modality, now.beside) != (after.modality, after.beside):
        raise Overtaken(now.id)
    stages = _back(before.stages, after.stages, now.stages, now.id)
    changed = {"stages": tuple(stages), **({"modality": before.modality, "beside": before.beside} if own else {})}
    found = now.model_copy(update=changed)
    if all(stage.modality != found.modality for stage in stages):  # what leads it would be gone
        raise Overtaken(now.id)
    return found


def _back(
    before: Sequence[One],
    after: Sequence[One],
    now: Sequence[One],
    whole: str,
    inside: Callable[[One, One, One], One] | None = None,
    in_use: Callable[[str], bool] = lambda key: False,
) -> list[One]:
    """`now` without what happened to these between `before` and `after`; what is changed in one that is there in all is
    looked at `inside` of it, what was added may not be `in_use`.
    """
    old, new, stands = (_by_id(those) for those in (before, after, now))
    changed = [key for key in old | new if old.get(key) != new.get(key)]
    gone: dict[str, One | None] = {}
    for key in changed:
        if inside and key in old and key in new and key in stands:
            gone[key] = inside(old[key], new[key], stands[key])
            continue
        if stands.get(key) != new.get(key) or (key not in old and in_use(key)):
            raise Overtaken(key)
        gone[key] = old.get(key)
    kept = [gone.get(one.id, one) for one in now]
    found = _moved_back(before, after, now, [one for one in kept if one is not None], whole)
    for at, one in enumerate(before):
        if one.id in gone and one.id not in stands:  # behind what came before it, which is in its old order again
            found.insert(_place(found, [earlier.id for earlier in before[:at]]), one)
    return found


def _by_id(those: Iterable[One]) -> dict[str, One]:
    return {one.id: one for one in those}


def _place(those: Sequence[Named], earlier: list[str]) -> int:
    """Behind the last of those that came earlier."""
    return max((n + 1 for n, one in enumerate(those) if one.id in earlier), default=0)


def _moved_back(
    before: Sequence[Named], after: Sequence[Named], now: Sequence[Named], found: list[One], whole: str
) -> list[One]:
    """The same in the order in which they stood, where the change was one of their order."""
    common = {one.id for one in before} & {one.id for one in after} & {one.id for one in now}
    was, went, stands = ([one.id for one in those if one.id in common] for those in (before, after, now))
    if was == went:
        return found
    if stands != went:
        raise Overtaken(whole)
    by_id, turn = {one.id: one for one in found}, iter(was)
    return [by_id[next(turn)] if one.id in common else one for one in found]
