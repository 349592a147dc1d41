"""What the stages of a plan give together: every ceiling of a visit is one of the sum on the same skin."""

from collections.abc import Iterable, Mapping
from itertools import combinations

from merak.core.body.plate import bare, sided
from merak.core.knowledge import rule
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.exposure import Exposure, Sum, sums
from merak.core.plan.fitting import Clash
from merak.core.plan.stage import Worked
from merak.core.plan.step import WorkedStep
from merak.core.working import Quantity

needs(
    __name__,
    """
    words: plan.twice
    """,
)


def together(worked: Mapping[str, WorkedStep]) -> tuple[Sum, ...]:
    """What two stages or more give together to the same skin, or to the client as a whole."""
    stages = [stage for step in worked.values() for stage in step.stages]
    halved = {bare(zone) for stage in stages for zone in stage.areas if bare(zone) != zone}

    def by_side(stage: Worked) -> dict[str, tuple[Exposure, ...]]:
        """Each side by itself where one of the stages goes to one alone."""
        return {
            name: given
            for zone, given in stage.exposures.items()
            for name in (sided((zone,)) if bare(zone) in halved else (zone,))
        }

    return sums((stage.stage.id, by_side(stage) if halved else stage.exposures) for stage in stages)


def sums_told(worked: Mapping[str, WorkedStep], summed: tuple[Sum, ...]) -> dict[str, Quantity]:
    """By "sums-step.agent" the highest sum of each agent, for the steps whose stages take part in it."""
    highest: dict[str, Sum] = {}
    for one in (found for found in summed if found.amount):
        if one.agent not in highest or highest[one.agent].amount < one.amount:
            highest[one.agent] = one
    stages = {stage.stage.id: (step.step.id, stage.title) for step in worked.values() for stage in step.stages}
    found: dict[str, Quantity] = {}
    for one in highest.values():
        parts = tuple(
            Quantity(name=stages[stage][1], value=part.amount, unit=part.unit, digits=2, rules=(part.rule,))
            for stage, part in one.parts
        )
        told = Quantity(
            name=f"{one.agent} in all",
            value=None if any(part.value is None for part in parts) else one.amount,
            unit=one.least.unit,
            digits=1,
            formula=f"added up on the same skin; {one.least.limit:g} at most",
            inputs=parts,
            rules=(one.least.rule,),
        )
        found |= {f"sums-{stages[stage][0]}.{one.agent}": told for stage, _ in one.parts}
    return found


def too_much(worked: Mapping[str, WorkedStep], summed: tuple[Sum, ...]) -> Iterable[Clash]:
    """What adds up to more than a visit may give, and what is done twice though nobody can say what it adds up to."""
    of = {stage.stage.id: step.step.id for step in worked.values() for stage in step.stages}
    told: dict[tuple[str, ...], tuple[Sum, list[str]]] = {}
    for one in summed:
        if one.past:
            told.setdefault((one.agent, *(stage for stage, _ in one.parts)), (one, []))[1].extend(one.zones)
    for (_, *stages), (one, zones) in told.items():
        named = ", ".join(zones) if len(zones) < 4 else f"{len(zones)} zones"
        where = f" On {named}." if zones else ""
        steps = dict.fromkeys(of[stage] for stage in stages)
        fixed = rule(one.least.rule).absolute
        yield _clash(one.least.rule, steps, f"{one.words}{where}", "Less of it, or on other skin.", fixed)
    by_work: dict[str, list[Worked]] = {}
    for stage in (stage for step in worked.values() for stage in step.stages if not stage.spot_only):
        if not MODALITIES[stage.modality].WAYS.free:
            by_work.setdefault(stage.modality, []).append(stage)
    for alike in by_work.values():
        for first, other in combinations(alike, 2):
            unsaid = not (first.dose.given and other.dose.given)
            if unsaid and sided(first.areas) & sided(other.areas):
                words = f"{first.title} twice. {rule('plan.twice').words}"
                steps = dict.fromkeys((of[first.stage.id], of[other.stage.id]))
                yield _clash("plan.twice", steps, words, "Take it off the zones of the other.", True)


def _clash(rule_id: str, steps: Iterable[str], words: str, action: str, absolute: bool) -> Clash:
    return Clash(kind="apart", rule=rule_id, steps=tuple(steps), words=words, action=action, absolute=absolute)
