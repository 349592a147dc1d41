"""Orders of work, row by row: what is done where, how it is set and how it is worked; and what stands against them."""

from typing import Any

from builders.chair import somebody, worked
from merak.core.knowledge import Manner
from merak.core.plan.brief import Brief
from merak.core.plan.fitting import Clash
from merak.core.plan.stage import Stage
from merak.core.plan.step import Step, step_of
from merak.core.plan.visit_plan import Plan, VisitPlan, visit_plan

#: Work, zones, what is set, how it is worked.
Row = tuple[str, tuple[str, ...], dict[str, Any], dict[str, Any]]
#: Kinds of clash that are about the skin as it is when a stage begins, and about what lies on it.
OF_THE_SKIN = ("state", "need", "earlier", "product")
WASHED = somebody(slot=480)


def row(work: str, *zones: str, manner: dict[str, Any] | None = None, **set_to: Any) -> Row:
    return work, zones, set_to, manner or {}


def stage(name: str, of: Row, who: Brief = WASHED) -> Stage:
    work, zones, set_to, how = of
    made = worked(work, who, zones=zones).stage
    said = {"manner": Manner.model_validate(how)} if how else {}
    return made.with_settings(made.values | set_to).model_copy(update={"id": name, **said})


def steps(*rows: Row, who: Brief = WASHED) -> tuple[Step, ...]:
    return tuple(step_of(stage(f"s{n}", one, who)) for n, one in enumerate(rows))


def one_step(*rows: Row, who: Brief = WASHED) -> Step:
    """All of them as stages of one step."""
    each = tuple(stage(f"s{n}", one, who) for n, one in enumerate(rows))
    return step_of(each[0]).model_copy(update={"stages": each})


def plan(*rows: Row, who: Brief = WASHED) -> VisitPlan:
    return visit_plan(who, Plan(steps=steps(*rows, who=who)), chair=False)


def told(of: VisitPlan) -> list[Clash]:
    return [one for one in of.clashes if one.kind in OF_THE_SKIN]
