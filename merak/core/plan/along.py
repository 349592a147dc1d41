"""Screening closes zones along: skin that one stage leaves unfit for another is left out of it by itself, and said."""

from collections.abc import Iterator, Sequence

from merak.core.body.plate import Key, keys_of, named
from merak.core.errors import Refused
from merak.core.knowledge import about, number, skin_states
from merak.core.knowledge.register import needs
from merak.core.plan.brief import Brief, workable
from merak.core.plan.fitting import title
from merak.core.plan.footing import Footing
from merak.core.plan.stage import Stage, footing_of, moved
from merak.core.plan.step import Step
from merak.core.working import Caution

needs(
    __name__,
    """
    %: plan.left_out
    """,
)

#: A stage in its step, with what it leaves and asks.
Standing = tuple[Step, Stage, Footing]
#: cm² by (side, zone).
Skin = dict[Key, float]


def cut(brief: Brief, steps: Sequence[Step]) -> tuple[tuple[Step, ...], dict[str, Caution]]:
    """The steps with each stage off the skin that what comes before it in the visit, or runs beside it, leaves unfit
    for it; by stage, what was left out. A stage that would be left with less than a share of its skin (rule
    plan.left_out), or that goes to a drawn part, stays where it is: there the plan says no.
    """
    told: dict[str, Caution] = {}
    every = [(step, stage, footing_of(stage)) for step in steps for stage in step.stages]

    def without(step: Step, stage: Stage) -> Stage:
        closing = {other.id: (other, next(iter(unfit))) for other, unfit in _before(every, step, stage)}
        if not closing or stage.parts:
            return stage
        mine = _skin(brief, stage)
        lost = {name: mine.keys() & _skin(brief, other).keys() for name, (other, _) in closing.items()}
        gone = set[Key]().union(*lost.values())
        left = sum(cm2 for key, cm2 in mine.items() if key not in gone)
        if not gone or not left or left < number("plan.left_out") / 100 * sum(mine.values()):
            return stage
        done = {title(other.modality): state for name, (other, state) in closing.items() if lost[name]}
        states = " and ".join(f"{skin_states()[state].degrees[-1]} by {by}" for by, state in done.items())
        first = next(iter(done.values()))
        words = f"Off {', '.join(named(gone))}: {states} in this visit."
        told[stage.id] = Caution(weight="change", words=words, action="", rule=skin_states()[first].id)
        return moved(brief, stage, named(mine.keys() - gone))

    def off_that(step: Step) -> Step:
        stages = tuple(without(step, one) for one in step.stages)
        same = all(new is old for new, old in zip(stages, step.stages, strict=True))
        return step if same else step.model_copy(update={"stages": stages})  # the same one is found again

    return tuple(map(off_that, steps)), told


def _before(every: Sequence[Standing], mine: Step, stage: Stage) -> Iterator[tuple[Stage, dict[str, int]]]:
    """What comes before a stage or runs beside its step, with what of it the stage is not done on."""
    own = next(of for _, one, of in every if one is stage)
    earlier = True
    for step, other, of in every:
        earlier = earlier and other is not stage
        beside = step is not mine and (step.beside == mine.id or mine.beside == step.id)
        if (earlier or beside) and (unfit := of.hurts(own, step is mine)):
            yield other, unfit


def _skin(brief: Brief, stage: Stage) -> Skin:
    """Where a stage goes, side by side; nowhere where it may not go."""
    if about()[stage.modality].licence == "physician":
        return {}
    try:
        there = workable(brief, stage.modality, stage.zones, stage.parts)
    except Refused:
        return {}
    return {key: cm2 / len(keys_of(name)) for name, cm2 in there.items() for key in keys_of(name)}
