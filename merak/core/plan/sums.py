"""What the stages of a plan give together: every ceiling of a visit is one of the sum on the same skin."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date
from itertools import combinations
from math import inf

from merak.core.body.plate import bare, sided
from merak.core.knowledge import rule
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.exposed import Exposed
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


#: What stands in a sum for an earlier visit of the day.
EARLIER = "earlier today"


def together(
    worked: Mapping[str, WorkedStep], before: Sequence[Exposed] = (), today: date | None = None
) -> tuple[Sum, ...]:
    """What two stages or more give together to the same skin, or to the client as a whole; with them what was given
    there earlier on the same day: a visit in two halves is given no more than one.
    """
    stages = [stage for step in worked.values() for stage in step.stages]
    lately = tuple(_given_today(stages, before, today))
    zones = (*(zone for stage in stages for zone in stage.areas), *(zone for _, there in lately for zone in there))
    halved = {bare(zone) for zone in zones if bare(zone) != zone}

    def by_side(there: Mapping[str, tuple[Exposure, ...]]) -> dict[str, tuple[Exposure, ...]]:
        """Each side by itself where one of the stages goes to one alone."""
        return {
            name: given
            for zone, given in there.items()
            for name in (sided((zone,)) if bare(zone) in halved else (zone,))
        }

    given = (*((stage.stage.id, stage.exposures) for stage in stages), *lately)
    return sums((name, by_side(there) if halved else there) for name, there in given)


def _given_today(
    stages: Sequence[Worked], before: Sequence[Exposed], today: date | None
) -> Iterator[tuple[str, dict[str, tuple[Exposure, ...]]]]:
    """What was given earlier today, or nobody knows when, of what these stages give, zone by zone: unknown as the worst
    that there is.
    """
    lately = [one for one in before if one.on is None or one.on == today]
    if not lately:
        return
    gives = {one.agent: one for stage in stages for there in stage.exposures.values() for one in there}
    everywhere = {zone for stage in stages for zone in stage.areas}
    for n, done in enumerate(lately):
        if (alike := gives.get(done.agent)) is not None:
            part = (alike._replace(amount=done.amount, limit=inf),)
            yield f"{EARLIER} {n}", dict.fromkeys(done.zones or everywhere, part)


def sums_told(worked: Mapping[str, WorkedStep], summed: tuple[Sum, ...]) -> dict[str, Quantity]:
    """By "sums-step.agent" the highest sum of each agent, for the steps whose stages take part in it."""
    highest: dict[str, Sum] = {}
    for one in (found for found in summed if found.amount):
        if one.agent not in highest or highest[one.agent].amount < one.amount:
            highest[one.agent] = one
    titles = {stage.stage.id: stage.title for step in worked.values() for stage in step.stages}
    of = {stage.stage.id: step.step.id for step in worked.values() for stage in step.stages}
    found: dict[str, Quantity] = {}
    for one in highest.values():
        parts = tuple(
            Quantity(name=titles.get(stage, EARLIER), value=part.amount, unit=part.unit, digits=2, rules=(part.rule,))
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
        found |= {f"sums-{of[stage]}.{one.agent}": told for stage, _ in one.parts if stage in of}
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
        steps = dict.fromkeys(of[stage] for stage in stages if stage in of)
        if not steps:  # what was given is given: it says nothing against what is not planned
            continue
        where = where if all(stage in of for stage in stages) else f" With what was given {EARLIER}.{where}"
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
