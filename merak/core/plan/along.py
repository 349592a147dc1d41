"""Screening closes zones along: skin that one stage opens is taken out of another by itself, and said."""

from collections.abc import Sequence

from merak.core.body.plate import Key, keys_of, named
from merak.core.errors import Refused
from merak.core.knowledge import about, number
from merak.core.knowledge.register import needs
from merak.core.plan.brief import Brief, workable
from merak.core.plan.fitting import Methods, title, zoned
from merak.core.plan.stage import Stage, moved
from merak.core.plan.step import Step
from merak.core.working import Caution

needs(
    __name__,
    """
    %: plan.left_out
    """,
)

#: cm² by (side, zone).
Skin = dict[Key, float]


def cut(brief: Brief, steps: Sequence[Step], of: Methods) -> tuple[tuple[Step, ...], dict[str, Caution]]:
    """The steps with each stage off the skin that another stage of the visit, before it or after it, closes for its
    work (pairings of kind "zones"); by stage, what was left out. A stage that would be left with less than a share of
    its skin (rule plan.left_out), or that goes to a drawn part, stays where it is: there the pairing itself says no.
    """
    told: dict[str, Caution] = {}
    pairings = zoned(brief.newcomer, of)
    stages = [stage for step in steps for stage in step.stages]
    meant = {name for _, a, _ in pairings for name in a} & {stage.modality for stage in stages}

    def without(stage: Stage) -> Stage:
        for pairing, a, b in pairings if stage.modality in meant and not stage.parts else ():
            closing = [other for other in stages if other.modality in b and other is not stage]
            if stage.modality not in a or not closing:
                continue
            mine = _skin(brief, stage)
            lost = {key for other in closing for key in _skin(brief, other) if key in mine}
            left = sum(cm2 for key, cm2 in mine.items() if key not in lost)
            if lost and left and left >= number("plan.left_out") / 100 * sum(mine.values()):
                by = " and ".join(dict.fromkeys(title(one.modality) for one in closing if lost & {*_skin(brief, one)}))
                words = f"Off {', '.join(named(lost))}: {by} opens that skin in this visit."
                told[stage.id] = Caution(weight="change", words=words, action="", rule=pairing.id)
                stage = moved(brief, stage, named(mine.keys() - lost))
        return stage

    if not meant:
        return tuple(steps), told
    return tuple(step.model_copy(update={"stages": tuple(map(without, step.stages))}) for step in steps), told


def _skin(brief: Brief, stage: Stage) -> Skin:
    """Where a stage goes, side by side; nowhere where it may not go."""
    if about()[stage.modality].licence == "physician":
        return {}
    try:
        there = workable(brief, stage.modality, stage.zones, stage.parts)
    except Refused:
        return {}
    return {key: cm2 / len(keys_of(name)) for name, cm2 in there.items() for key in keys_of(name)}
