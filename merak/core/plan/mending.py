"""What a stage asks of the skin and does not find, put right: one work for each need, right before it."""

from collections.abc import Callable
from dataclasses import dataclass, field

from merak.core.errors import BadInput, Refused
from merak.core.knowledge import about, skin_states
from merak.core.plan.brief import Brief, workable
from merak.core.plan.fitting import Clash, Methods, title
from merak.core.plan.stage import Stage, begin, resized, worked_areas
from merak.core.plan.visit_plan import Plan, in_force, visit_plan


@dataclass
class Mending:
    """A plan on its way to be put right: what was put in, in words, and each by its new id."""

    brief: Brief
    plan: Plan
    new_id: Callable[[], str]
    put: dict[str, str] = field(default_factory=dict)

    def missing(self, stages: frozenset[str]) -> list[Clash]:
        """What is not met at these stages, or at what was put in before them."""
        found = visit_plan(self.brief, self.plan, chair=False).clashes
        return [one for one in found if one.mend and one.stage in stages | self.put.keys()]

    def mend(self, need: Clash) -> None:
        """Puts the work in that a need is mended by, where its stage goes. Raises Refused where it may not go there."""
        step, stage = self.plan.of(need.stage), self.plan.stage(need.stage)
        of = in_force(self.brief, self.plan)
        new = before(self.brief, of, need.mend, stage, self.new_id())
        n = step.stages.index(stage)
        self.plan = self.plan.with_step(step.model_copy(update={"stages": (*step.stages[:n], new, *step.stages[n:])}))
        self.put[new.id] = title(need.mend).lower()


def before(brief: Brief, of: Methods, work: str, stage: Stage, new_id: str) -> Stage:
    """A work to be put before a stage: on the skin where that really goes, as far as the work goes there. Raises
    Refused, BadInput.
    """
    there = tuple(zone for zone in worked_areas(brief, stage) if workable(brief, work, (zone,)))
    everywhere = not stage.zones and {*there} <= workable(brief, work).keys()
    new = begin(brief, work, new_id, of, zones=() if everywhere else there)
    beyond = stage.beyond if about()[work].beyond else ()
    return new.model_copy(update={"parts": stage.parts, "beyond": beyond, "zones": stage.zones or new.zones})


def gone(brief: Brief, plan: Plan, stage: Stage, new: Stage) -> Plan:
    """The plan with a stage gone elsewhere, and what was put in right before it on the same skin gone along. Where a
    mend may not go there it stays: the plan says what is missing.
    """
    step, of, mends = (
        plan.of(stage.id),
        in_force(brief, plan),
        {name for one in skin_states().values() for name in one.mends},
    )
    plan = plan.with_stage(new)
    for mend in reversed(step.stages[: step.stages.index(stage)]):
        if mend.modality not in mends or (mend.zones, mend.parts) != (stage.zones, stage.parts):
            break
        try:
            there = before(brief, of, mend.modality, new, mend.id)
        except (Refused, BadInput):
            continue
        plan = plan.with_stage(
            resized(brief, mend, mend.model_copy(update={"zones": there.zones, "parts": there.parts}))
        )
    return plan


def put_right(brief: Brief, plan: Plan, stage_id: str, new_id: Callable[[], str]) -> tuple[Plan, tuple[str, ...]]:
    """The plan with all that a stage asks for put in before it, and what was put in, in words. Raises BadInput where
    nothing is missing, Refused where a mend may not be.
    """
    mending = Mending(brief, plan, new_id)
    tried: set[tuple[str, str]] = set()
    while missing := mending.missing(frozenset((stage_id,))):
        need = missing[0]
        if (need.stage, need.mend) in tried:  # it was put in, and left skin out that it may not go over
            words = f"{title(need.mend)} may not go over all of that skin: what came before it stands against it."
            raise Refused(words, need.rule)
        tried.add((need.stage, need.mend))
        mending.mend(need)
    if not mending.put:
        raise BadInput({"stage": "Nothing is missing before it."})
    return mending.plan, tuple(mending.put.values())
