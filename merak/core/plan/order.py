"""The order of a treatment: the stages of a plan as acts at the chair, in time."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from pydantic import ValidationError

from merak.core.acts import Act, Cell, Part, Span
from merak.core.body.sections import SectionOrder
from merak.core.client import Side
from merak.core.errors import MerakError
from merak.core.knowledge import Manner, about, number, rule
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import Card
from merak.core.modality.making import Making, in_manner, taken_off, waited_for
from merak.core.modality.prints import Prints
from merak.core.modality.shared import incremented, more_energy
from merak.core.plan.brief import MANY, Brief, plates_of
from merak.core.plan.by_class import told_lower
from merak.core.plan.coats import coats_said, said_first
from merak.core.plan.guards import guarding
from merak.core.plan.halves import blocks, half_by_half
from merak.core.plan.places import grid_cells, section_parts, zone_parts
from merak.core.plan.shelf import Coat, names, touches
from merak.core.plan.skin import timed
from merak.core.plan.stage import Worked, compute, grounds, school_acts
from merak.core.plan.step import WorkedStep
from merak.core.remembered import remembered
from merak.core.spots import SpotRule, SpotWord

needs(
    __name__,
    """
    of 10: chair.pain.stop
    of 4: chair.spot.severe
    of what it was: titration.fifth
    words: chair.spot.down chair.spot.first chair.spot.kept chair.spot.mark chair.spot.numb
    words: chair.spot.once chair.spot.up
    """,
)

Schools = dict[str, str]


def chair_acts(
    brief: Brief, worked: dict[str, WorkedStep], spans: Sequence[Span], side: Side, of: Schools, laid: bool = False
) -> tuple[Act, ...]:
    """The acts at the chair, in time; what is done in a step's waiting time stands behind its last act and names it in
    `beside`.

    `laid` lays sections and footprints on the client's plate, which takes a moment and is done once, when a treatment
    begins.
    """
    found: list[Act] = []
    for host in (span for span in spans if span.track == 0):
        guests = [
            span
            for span in spans
            if span.track == 1 and host.start_s <= span.start_s < host.start_s + max(host.seconds, 1)
        ]
        step = worked[host.step]
        acts = own_acts(brief, step, side, of, laid)
        waits = len(acts) - (1 if step.after_s else 0)
        found += acts[:waits]
        waiting = len(found) - 1
        for guest in guests:
            over, under = worked[guest.step], step.stages[-1]
            shared = any(one.skin & under.skin for one in over.stages)
            mine = own_acts(brief, over, side, of, laid, under.coat if shared else ())
            found += [act.model_copy(update={"beside": waiting}) for act in mine]
        found += acts[waits:]
    changes, worn = guarding(timed(worked.values(), spans))
    found = said_first(found, {stage: one.words for stage, one in changes.items()})
    if worn and found:
        found[-1] = found[-1].model_copy(
            update={"instruction": " ".join((found[-1].instruction, *(one.comes_off for one in worn)))}
        )
    tools = _to_clean(worked[span.step] for span in spans)
    if tools and found:
        found[-1] = found[-1].model_copy(update={"instruction": f"{found[-1].instruction} Then clean: {tools}."})
    return tuple(found)


def _to_clean(steps: Iterable[WorkedStep]) -> str:
    """The machines that touched skin, or what lay on it, by name."""
    stages = (one for step in steps for one in step.stages)
    touched = (one.card for one in stages if one.card is not None and touches(one.modality))
    return ", ".join(dict.fromkeys(card.name for card in touched))


def own_acts(
    brief: Brief, step: WorkedStep, side: Side, of: Schools, laid: bool, beneath: tuple[Coat, ...] = ()
) -> tuple[Act, ...]:
    """The acts of one step, stage after stage, over what lies `beneath`. The last of a waiting one is its wait, but for
    what is taken off.
    """
    one_by_one, by_halves = (_stage_acts, _block_acts) if laid else (_known_acts, _known_blocks)
    found: list[Act] = []
    for halved, mine in blocks(step.stages):
        if halved:
            found += by_halves(brief, tuple(mine), step.step.id, side, of, laid)
        else:
            found += [act for one in mine for act in one_by_one(brief, one, step.step.id, side, of, laid)]
    return tuple(coats_said(found, step.stages, beneath))


def _block_acts(
    brief: Brief, mine: tuple[Worked, ...], step_id: str, side: Side, of: Schools, laid: bool
) -> tuple[Act, ...]:
    """The acts of a block of stages, half by half."""
    made = _stage_acts if laid else _known_acts
    return half_by_half([act for one in mine for act in made(brief, one, step_id, side, of, laid)], side)


_known_blocks = remembered(MANY)(_block_acts)


def _stage_acts(brief: Brief, one: Worked, step_id: str, side: Side, of: Schools, laid: bool) -> tuple[Act, ...]:
    return tuple(_made(brief, one, step_id, side, of, laid))


_known_acts = remembered(MANY)(_stage_acts)


def _naming(how: Manner, coat: Sequence[Coat]) -> Manner:
    """How a stage is worked, with what it lays by name where it is said how that is laid or gone over."""
    unnamed = not how.product and (how.amount or how.layer or how.laying or how.often)
    return how.model_copy(update={"product": names(coat)}) if unnamed else how


def _made(brief: Brief, one: Worked, step_id: str, side: Side, of: Schools, laid: bool) -> Iterable[Act]:
    if not one.seconds:  # its spot is placed with the first stage of this work
        return ()
    module, stage = MODALITIES[one.modality], one.stage
    spot = module.WAYS.spot
    make = Making(
        modality=stage.modality,
        ways=module.WAYS,
        step=step_id,
        stage=stage.id,
        settings=one.settings,
        card=one.card,
        machine_id=one.machine.id if one.machine else "",
        numbers=one.dose.numbers,
        hands_s=one.hands_s,
        wait_s=one.wait_s,
        own_s=one.own_s,
        off_s=one.off_s,
        sides=one.sides,
        capped=one.capped,
        side=side,
        zones=tuple(one.areas) if stage.parts else stage.zones,
        beyond=tuple(area.name for area in stage.beyond if area.name not in stage.zones),
        plate=(plates_of(tuple(one.areas), stage.modality) or about()[stage.modality].plates)[0],
        school=" ".join(school_acts(stage.modality, of)),
        lower=told_lower(one.dose, one.classes),
        laid=OnPlate(brief, one, side, laid),
        grounds=grounds(brief, stage, one.areas),
        how=_naming(stage.how, one.coat),
        spot=spot_rule(brief, one, laid or one.spot_only) if spot and (one.spot_only or spot.same_visit) else None,
    )
    if one.spot_only:
        title = f"Test spot: {one.title.lower()}"
        return (make.act("free", title, one.seconds, spot=make.spot, licence=make.licence),)
    made = tuple(module.acts(make))
    acts = in_manner(make, made if make.hands_s else tuple(act for act in made if not act.readies))
    return taken_off(make, waited_for(make, acts))


@dataclass(frozen=True)
class OnPlate:
    """A stage laid on this client's own plate, the side that is worked first; `known` once it is laid part by part."""

    brief: Brief
    one: Worked
    side: Side
    known: bool

    def sections(self, order: SectionOrder) -> tuple[Part, ...]:
        """The sections, once they are laid; before that the whole as one."""
        return section_parts(self.brief, self.one, self.side, order) if self.known else (Part(name="everywhere"),)

    def zones(self) -> tuple[Part, ...]:
        """The zones, each side by itself."""
        return zone_parts(self.brief, self.one, self.side)

    def grid(self, of: Prints, order: SectionOrder) -> tuple[tuple[Part, ...], tuple[Cell, ...]]:
        """The sections and the footprints in them."""
        return grid_cells(self.brief, self.one, self.side, of, order)


def spot_rule(brief: Brief, one: Worked, laid: bool = True) -> SpotRule | None:
    """The test spot of a stage: always where it is read in the same visit, else until one was read (`spot_only`)."""
    module, card = MODALITIES[one.modality], one.card
    spot = module.WAYS.spot
    if spot is None or not (spot.same_visit or one.spot_only):
        return None
    field = module.INCREMENT.field
    at = float(getattr(one.settings, field))
    up, why = _next_up(brief, one, card) if laid else (None, "")
    gentler = float(getattr(incremented(module, one.settings, card, up=False), field))
    rule_id = spot.waits(brief.dark)
    return SpotRule(
        wait_s=spot.wait_s(brief.dark),
        same_visit=spot.same_visit,
        name=type(one.settings).model_fields[field].title or field,
        unit=spot.unit or getattr(card, "scale", ""),
        at=at,
        down=gentler if gentler < at else None,
        up=up,
        why_not=why,
        numbed=spot.same_visit,
        rule=rule_id,
        minds=rule("chair.spot.numb").words if spot.same_visit else "",
        severe=int(number("chair.spot.severe")),
        pain_stop=number("chair.pain.stop"),
        words=_spot_words(rule_id),
    )


def _spot_words(waits: str) -> dict[SpotWord, str]:
    """What is said of a spot, as it stands in the rule book now; `waits` is the rule of how long it waits."""
    told: tuple[SpotWord, ...] = ("first", "mark", "down", "kept", "once", "up")
    return {one: rule(f"chair.spot.{one}").words for one in told} | {"wait": rule(waits).words}


def _next_up(brief: Brief, one: Worked, card: Card | None) -> tuple[float | None, str]:
    """One step up, if neither a ceiling nor the rule of a fifth stands against it; else why it is not taken."""
    module = MODALITIES[one.modality]
    field = module.INCREMENT.field
    stronger = incremented(module, one.settings, card, up=True)
    was, now = float(getattr(one.settings, field)), float(getattr(stronger, field))
    if now <= was:
        return None, "The scale ends here."
    more = more_energy(card, field, was, now)
    if more and more > number("titration.fifth") + 1e-9:
        return None, f"A step would be {100 * (more - 1):.0f} % more energy; a fifth is the most."
    try:
        stops = compute(brief, one.stage.with_settings(stronger)).stops
    except (MerakError, ValidationError) as stop:
        return None, str(stop)
    return (None, stops[0].words) if stops else (now, "")
