"""The order of a treatment: the plan's items as steps at the chair, in time."""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from pydantic import ValidationError

from merak.core.body.grid import Tip
from merak.core.client import Side
from merak.core.errors import MerakError
from merak.core.knowledge import about, all_of, has_rule, number, rule
from merak.core.knowledge.register import needs
from merak.core.modality import microcurrent as lifting
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import CardTip, MicrocurrentCard
from merak.core.modality.shared import incremented, more_energy
from merak.core.plan.acts import Act, Cell, HeatRule, Part, Span, StrokeLine
from merak.core.plan.brief import MANY, Brief, plate_of
from merak.core.plan.places import grid_cells, section_parts, zone_parts
from merak.core.plan.spots import SpotRule, SpotWord
from merak.core.plan.step import Worked, compute, lifted, school_acts
from merak.core.remembered import remembered

needs(
    __name__,
    """
    days: chair.spot.valid
    h: acid.spot pulsed_light.spot pulsed_light.spot.dark
    min: chair.spot.minutes rf_bulk.dose.stop rf_bulk.dose.warn rf_fractional.spot visit.half_face
    of 10: chair.pain.stop
    of 4: chair.spot.severe
    pH: oxygen_mask.ph.least oxygen_mask.ph.most
    passes: chair.pass.cold chair.pass.oxygen_jet chair.pass.rf_bulk chair.pass.touch chair.pass.ultrasound
    s: chair.ask chair.ask.acid chair.ask.heat chair.ask.light oxygen_airbrush.clean rf_bulk.dwell
    spots: rf_fractional.clean
    °C/s: rf_bulk.rate.unknown
    °C: rf_bulk.stop rf_bulk.target.least rf_bulk.target.most
    ×: rf_fractional.step.most
    words: chair.pass.close chair.spot.down chair.spot.first chair.spot.kept chair.spot.mark chair.spot.numb
    words: chair.spot.once chair.spot.up
    phototype: phototype.dark
    """,
    group=("RF",),
)

Schools = dict[str, str]


def chair_acts(
    brief: Brief, worked: dict[str, Worked], spans: Sequence[Span], side: Side, of: Schools, laid: bool = False
) -> tuple[Act, ...]:
    """The steps at the chair, in time; what is done in a step's waiting time stands behind it and names it in `beside`.

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
        found += own_acts(brief, worked[host.step], side, of, laid)
        waiting = len(found) - 1
        for guest in guests:
            mine = own_acts(brief, worked[guest.step], side, of, laid)
            found += [act.model_copy(update={"beside": waiting}) for act in mine]
    return tuple(found)


def own_acts(brief: Brief, one: Worked, side: Side, of: Schools, laid: bool) -> tuple[Act, ...]:
    """The steps of one item. The last of a waiting one is its wait."""
    if laid:
        return tuple(_asked(one, act) for act in _made(brief, one, side, of, laid))
    return _known_acts(brief, one, side, of)


@remembered(MANY)
def _known_acts(brief: Brief, one: Worked, side: Side, of: Schools) -> tuple[Act, ...]:
    return tuple(_asked(one, act) for act in _made(brief, one, side, of, laid=False))


def _made(brief: Brief, one: Worked, side: Side, of: Schools, laid: bool) -> Iterable[Act]:
    make = Making(brief, one, side, of, laid)
    if one.spot_only:
        yield make.act(
            "free", f"Test spot: {one.title.lower()}", one.seconds, spot=spot_rule(brief, one), licence=make.licence
        )
        return
    yield from MAKERS.get(one.step.modality, _plain)(make)


class Making:
    """An item on its way to steps: what all of its steps share."""

    def __init__(self, brief: Brief, one: Worked, side: Side, of: Schools, laid: bool) -> None:
        self.brief, self.one, self.side, self.of, self.laid = brief, one, side, of, laid
        self.settings: Any = one.settings
        self.card: Any = one.machine.card if one.machine else None
        words = about()[one.step.modality]
        self.licence = "" if words.licence == "micro depth" else words.licence
        where = f"{', '.join(one.step.zones)}. " if one.step.zones else ""
        # How it is done and what the schools in force say of it: never the one in place of the other.
        self.school, technique = " ".join(school_acts(one.step.modality, of)), " ".join(words.technique[:2])
        self.preparation = f"{where}{technique}"
        self.instruction = f"{where}{self.school or technique}" if one.hands_s else f"{where}{technique} {self.school}"
        self.plate = plate_of(one.step.zones, one.step.modality)
        self.enough = f"Enough: {words.endpoint[0].lower()}{words.endpoint[1:]}"

    def act(self, kind: Any, title: str, seconds: float, instruction: str = "", **more: Any) -> Act:
        """A step of this item."""
        words = instruction or f"{self.instruction.strip()} {self.enough}"
        mine = {"modality": self.one.step.modality, "step": self.one.step.id, "plate": self.plate}
        return Act(kind=kind, title=title, instruction=words, seconds=max(round(seconds), 1), **(mine | more))

    def ready(self, title: str = "", instruction: str = "") -> Act:
        """Getting it ready, with hands on: no energy yet, so it names no modality."""
        return self.act(
            "free",
            title or f"{self.one.title}: make ready",
            self.one.hands_s,
            instruction or self.preparation,
            modality="",
        )

    @property
    def machine(self) -> dict[str, Any]:
        """The machine and what it is set to, in its own scale."""
        if self.one.machine is None:
            return {"licence": self.licence}
        if isinstance(self.card, MicrocurrentCard):
            return {"machine": self.one.machine.id, "dials": (("set to", float(self.settings.level), "level"),)}
        if not hasattr(self.settings, "at"):  # a panel is placed, not set
            return {"licence": self.licence}
        return {
            "licence": self.licence,
            "machine": self.one.machine.id,
            "dials": (("set to", float(self.settings.at), self.card.scale),),
        }

    def sections(self, order: Any = "cheeks first") -> tuple[Part, ...]:
        """The sections, once they are laid; before that the whole as one."""
        if self.laid:
            return section_parts(self.brief, self.one, self.side, order)
        return (Part(name="everywhere"),)

    @property
    def passes(self) -> int:
        """How often each section is gone over: as set, or as the rule book says."""
        rule_id = f"chair.pass.{self.one.step.modality}"
        return next(
            (
                int(getattr(self.settings, name))
                for name in ("passes", "rounds", "strokes")
                if hasattr(self.settings, name)
            ),
            int(number(rule_id)) if has_rule(rule_id) else 1,
        )


def _asked(one: Worked, act: Act) -> Act:
    """The step with how often the client is asked, and in which words, while something works on the skin."""
    name = act.modality
    if not name or (act.kind == "free" and not act.spot) or name in ("cleanse", "tone", "dry", "finish"):
        return act
    warm = name in all_of(("RF", "focused_lifting", "pulsed_light"))
    acid = name in ("peel", "enzyme", "oxygen_mask") or act.stage == "wet.acid"
    rule_id = (
        "chair.ask.heat"
        if warm
        else "chair.ask.acid"
        if acid
        else "chair.ask.light"
        if name in ("led", "mask")
        else "chair.ask"
    )
    return act.model_copy(update={"ask_s": int(number(rule_id)), "asks": ("heat", "pain") if warm else ("pain",)})


def _plain(make: Making) -> Iterable[Act]:
    """Hands only, or a machine that is counted by nothing."""
    yield make.act("free", make.one.title, make.one.seconds)


#: What is put on and left to work → what its clock is called, what to do when it is over.
WAITING = {
    "numbing": ("Numbing cream works", "Cream off now: wipe, then clean."),
    "mask": ("Mask", "Mask off."),
    "enzyme": ("Enzyme works", "Off now, with cool water."),
    "peel": ("Acid works", "Neutralise now."),
}


def _waiting(make: Making) -> Iterable[Act]:
    """Put on, then left to work until the clock says so."""
    title, over = WAITING[make.one.step.modality]
    yield make.ready(f"{make.one.title} on")
    yield make.act("timed", title, make.one.own_s, f"{make.school} {make.enough}".strip(), over=over, keeps=True)


#: What goes over the sections against the clock → what to do when it is over.
CLOCKED = {
    "ultrasound": "Head off.",
    "spatula": "Spatula off.",
    "oxygen_jet": "Air off.",
    "cold": "Head off.",
    "crystal": "Machine off. Brush off, look for red and dry patches.",
}


def _clocked(make: Making) -> Iterable[Act]:
    """A machine against the clock, section by section, in as many passes as it takes."""
    order = "anticlockwise" if make.one.step.modality == "crystal" else "cheeks first"
    yield make.ready()
    yield make.act(
        "sections",
        make.one.title,
        make.one.own_s,
        parts=make.sections(order),
        passes=make.passes,
        strict=True,
        over=CLOCKED[make.one.step.modality],
        **make.machine,
    )


def _counted(make: Making) -> Iterable[Act]:
    """Section by section, pass by pass; the clock is only told."""
    if make.one.hands_s:
        yield make.ready()
    yield make.act(
        "sections", make.one.title, make.one.own_s, parts=make.sections(), passes=make.passes, **make.machine
    )


#: Stage of wet abrasion → its words, what to do when its clock is over.
WET = {
    "acid": ("Acid cleanse", "Off with the acid: on to the next bottle."),
    "peel": ("Peel", "Rinse now."),
    "salicylic": ("Salicylic extraction", "On to the next bottle."),
    "booster": ("Booster", ""),
    "infuse": ("Infusion", "Press, massage the rest in."),
}


def _wet(make: Making) -> Iterable[Act]:
    yield make.ready(
        "Wet tip: make ready", "First press suction only, second adds liquid; bubbles prove flow. Try it on your hand."
    )
    for stage, (title, over) in WET.items():
        minutes = getattr(make.settings, f"{stage}_min")
        if not minutes:
            continue
        infusing = stage == "infuse"
        suction = make.settings.infuse_at if infusing else make.settings.at
        instruction = "Tip flat along the lines, press; more liquid." if infusing else make.instruction
        if stage == "salicylic":
            instruction = f"Congested and porous places, not pustules. {make.instruction}"
        machine = make.machine | {"dials": (("suction", float(suction), make.card.scale),)}
        yield make.act(
            "sections",
            title,
            minutes * 60,
            instruction,
            parts=make.sections(),
            strict=True,
            over=over or "On to the next bottle.",
            stage="wet.infuse" if infusing else "wet.acid" if stage in ("acid", "peel") else "wet.clean",
            **machine,
        )


def _oxygen_mask(make: Making) -> Iterable[Act]:
    hands, settings = make.one.hands_s, make.settings
    yield make.ready(
        "Powder, gel, foam", "Powder first, gel, slow then hard whisk to foam, on fast; massage it in."
    ).model_copy(update={"seconds": max(1, hands // 2)})
    yield make.act(
        "timed",
        "Foam",
        settings.foam_min * 60,
        "Warm and bubbly. Lips tingle and numb: normal here.",
        keeps=True,
        over="Activator on now.",
        stage="oxygen.foam",
    )
    yield make.act(
        "timed",
        "Activator",
        settings.activator_min * 60,
        "Ask: warmth and tingling, not burning.",
        keeps=True,
        over="Neutralise now.",
        stage="oxygen.activator",
    )
    whole = (Part(name="whole face", outlines=tuple(ring for part in make.sections() for ring in part.outlines)),)
    yield make.act(
        "sections",
        "Neutralise",
        hands / 4,
        "Neutraliser all over, wiped off; cool damp towel; jaw and hairline looked at.",
        parts=whole,
        passes=max(1, settings.neutralised),
        stage="oxygen.neutralise",
    )
    least, most = number("oxygen_mask.ph.least"), number("oxygen_mask.ph.most")
    yield make.act(
        "free",
        "Back to its pH",
        hands - hands // 2 - hands / 4,
        f"Acid mist: spray, hands, damp gauze, until the skin reads pH {least:g} to {most:g}.",
        stage="oxygen.ph",
    )


def _airbrush(make: Making) -> Iterable[Act]:
    massage = make.settings.massage_min * 60
    yield make.ready("Gel", f"Dry skin. {make.settings.gel_ml:g} mL of gel as a shiny film.")
    yield make.act(
        "timed", "Massage, first", massage, "Lively, upward; never over active acne.", over="On to the airbrush."
    )
    spray = max(1, make.one.own_s - 2 * massage)
    yield make.act("sections", "Airbrush", spray, parts=make.sections(), passes=make.passes, **make.machine)
    yield make.act(
        "timed",
        "Massage, last",
        massage,
        "Then off with it. After: ¼ cup cleaner to empty, turn over, ¼ cup water to empty.",
        over="Remove the gel.",
    )


def _lift(make: Making) -> Iterable[Act]:
    """One side, the mirror, then the other: gel dries, and the lift shows only against the untreated side."""
    brief, one, settings = make.brief, make.one, make.settings
    lift = lifted(brief, settings, make.card, one.areas)
    bone_level = lift.numbers["bone_level"].value or settings.level
    hold = settings.hold_s if settings.technique == "fixed probe, hold" else 0
    most = lifting.level_most(settings, make.card)
    yield make.ready("Gel and probes", f"{about()['microcurrent'].technique[0]} {make.school}")
    other: Side = "left" if make.side == "right" else "right"
    for at in (make.side, other):
        lines = tuple(
            StrokeLine(
                path=line.path,
                points=line.points,
                repeats=settings.repeats,
                bony=line.bony,
                level=bone_level if line.bony else settings.level,
            )
            for line in lift.lines[at]
        )
        if at == other:
            yield mirror(make)
        yield make.act(
            "strokes",
            f"Lift, {at}",
            lift.numbers[f"minutes_{at}"].known * 60,
            "Gel on this side only. Up and out; renew the gel before it dries.",
            side=at,
            lines=lines,
            hold_s=hold,
            level_most=most,
            sayings=lifting.sayings(settings.feel),
            **make.machine,
        )


def mirror(make: Making) -> Act:
    """One half shown against the other, before the second begins."""
    instruction = "Everything off the skin first. Show one half against the other, or photograph it; ask how it felt."
    return make.act("free", "Mirror", number("visit.half_face") * 60, instruction, mirror=True, modality="")


FIRST_ACT = "Gel off. Eyes shielded."


def _light(make: Making) -> Iterable[Act]:
    """One timed step for each colour: the panel is changed over between them."""
    settings = make.settings
    pulsed = "" if settings.duty_percent == 100 else f" Pulsed, on {settings.duty_percent:g} % of the time."
    yield make.ready("Panel", FIRST_ACT)
    for n, (_, colour, minutes) in enumerate(settings.parts):
        change = "Change the colour over. " if n else ""
        instruction = f"{change}Panel at {settings.distance_cm:g} cm, {settings.cover}.{pulsed}"
        yield make.act("timed", f"{colour.capitalize()} light", minutes * 60, instruction, over="Light off.")


def _current(make: Making) -> Iterable[Act]:
    yield make.ready()
    yield make.act(
        "timed", make.one.title, make.one.own_s, over="Current down to zero, then off the skin.", **make.machine
    )


def _bands(make: Making) -> Iterable[Act]:
    yield make.ready("Bands")
    for n, aspect in enumerate(("front", "back")):
        instruction = (
            "Raise by comfort, never past it." if n == 0 else "Down to zero, move the bands, raise again by comfort."
        )
        yield make.act(
            "timed",
            f"Stimulation, {aspect}",
            make.one.own_s / 2,
            instruction,
            over="Current down to zero.",
            **make.machine,
        )


def _warm(make: Making) -> Iterable[Act]:
    """Zone by zone, the higher side first, the mirror between the halves; read, asked, never still."""
    one, numbers = make.one, make.one.dose.numbers
    yield make.ready("Gliding cream")
    parts = zone_parts(make.brief, one, make.side) if make.laid else (Part(name=make.side), Part(name="other side"))
    first = tuple(part for part in parts if part.name.startswith(make.side))
    rest = tuple(part for part in parts if part not in first)
    halves = (
        [(make.side, first), ("left" if make.side == "right" else "right", rest)] if first and rest else [("", parts)]
    )
    target, peak = make.settings.target_c, numbers["peak"].value if "peak" in numbers else None
    heat = HeatRule(
        low_c=number("rf_bulk.target.least"),
        high_c=number("rf_bulk.target.most"),
        stop_c=number("rf_bulk.stop"),
        rate_c_s=numbers["rate"].known if "rate" in numbers else number("rf_bulk.rate.unknown"),
        dwell_s=number("rf_bulk.dwell"),
        deeper_c=max(0.0, (peak or target) - target),
        warn_min=number("rf_bulk.dose.warn"),
        stop_min=number("rf_bulk.dose.stop"),
    )
    whole, turning = sum(part.cm2 for part in parts) or 1, number("visit.half_face") * 60 if len(halves) > 1 else 0
    for n, (at, mine) in enumerate(halves):
        if n:
            yield mirror(make)
        share = sum(part.cm2 for part in mine) / whole if make.laid else 1 / len(halves)
        yield make.act(
            "sections",
            f"{one.title}, {at}".rstrip(", "),
            (one.own_s - turning) * share,
            f"{make.instruction} Hold at {target:g} °C.",
            parts=mine,
            passes=make.passes,
            heat=heat,
            **make.machine,
        )


def _gridded(make: Making) -> Iterable[Act]:
    """Footprint by footprint, section by section: the next one lit, the tip wiped when it is due,
    after its test spot.
    """
    one, name = make.one, make.one.step.modality
    tips = sorted(getattr(make.card, "tips", ()), key=lambda tip: -tip.area_cm2)
    parts: tuple[Part, ...] = (Part(name="everywhere"),)
    cells: tuple[Cell, ...] = (Cell(part=0, ring=()),)
    if make.laid and tips:
        chosen = make.card.tip(getattr(make.settings, "tip", "")) or tips[0]
        parts, cells = grid_cells(
            make.brief, one, make.side, _footprint(make, chosen), _footprint(make, min(chosen, tips[-1], key=_cm2))
        )
    hand = about()[name].technique[3].partition(". ")[0].rstrip(".") + "."
    wipe = int(number(f"{name}.clean")) if has_rule(f"{name}.clean") else 0
    yield make.ready(instruction=f"{make.preparation} {make.school}".strip())
    yield make.act(
        "pulses",
        one.title,
        one.own_s,
        f"{hand} {make.enough}",
        parts=parts,
        cells=cells,
        passes=make.passes,
        clean_every=wipe,
        spot=spot_rule(make.brief, one, make.laid),
        **make.machine,
    )


def _cm2(tip: CardTip) -> float:
    return tip.area_cm2


def _footprint(make: Making, tip: CardTip) -> Tip:
    """What one pulse covers: the tip; for focused lifting a line of its length, as far from the next as is set."""
    down = make.settings.spacing_mm if make.one.step.modality == "focused_lifting" else tip.down_mm
    shape: Any = "circle" if tip.round else "rectangle"
    overlap = getattr(make.settings, "overlap_percent", 0) / 100
    return Tip(shape=shape, across_mm=tip.across_mm, down_mm=down, overlap=min(overlap, 0.6))


def spot_rule(brief: Brief, one: Worked, laid: bool = True) -> SpotRule | None:
    """The test spot of an item: always for fractional radiofrequency; for acids and pulsed light until one was read
    (`spot_only`).
    """
    name = one.step.modality
    if name != "rf_fractional" and not one.spot_only:
        return None
    card: Any = one.machine.card if one.machine else None
    module = MODALITIES[name]
    field = module.INCREMENT.field
    dark = (brief.facts.findings.phototype or 0) >= number("phototype.dark")
    rule_id = {"peel": "acid.spot", "pulsed_light": f"pulsed_light.spot{'.dark' * dark}"}.get(
        name, "rf_fractional.spot"
    )
    minutes = number(rule_id) * (1 if name == "rf_fractional" else 60)
    at = float(getattr(one.settings, field))
    up, why = _next_up(brief, one, card) if laid else (None, "")
    gentler = float(getattr(incremented(module, one.settings, card, up=False), field))
    unit = card.scale if field == "at" else "min" if name == "peel" else ""
    return SpotRule(
        wait_s=round(minutes * 60),
        same_visit=name == "rf_fractional",
        name=type(one.settings).model_fields[field].title or field,
        unit=unit,
        at=at,
        down=gentler if gentler < at else None,
        up=up,
        why_not=why,
        numbed=name == "rf_fractional",
        rule=rule_id,
        minds=rule("chair.spot.numb").words if name == "rf_fractional" else "",
        severe=int(number("chair.spot.severe")),
        pain_stop=number("chair.pain.stop"),
        words=_spot_words(rule_id),
    )


def _spot_words(waits: str) -> dict[SpotWord, str]:
    """What is said of a spot, as it stands in the rule book now; `waits` is the rule of how long it waits."""
    told: tuple[SpotWord, ...] = ("first", "mark", "down", "kept", "once", "up")
    return {one: rule(f"chair.spot.{one}").words for one in told} | {"wait": rule(waits).words}


def _next_up(brief: Brief, one: Worked, card: Any) -> tuple[float | None, str]:
    """One step up, if neither a ceiling nor the rule of a fifth stands against it; else why it is not taken."""
    module = MODALITIES[one.step.modality]
    field = module.INCREMENT.field
    stronger = incremented(module, one.settings, card, up=True)
    was, now = float(getattr(one.settings, field)), float(getattr(stronger, field))
    if now <= was:
        return None, "The scale ends here."
    more = more_energy(card, field, was, now)
    if more and more > number("rf_fractional.step.most") + 1e-9:
        return None, f"A step would be {100 * (more - 1):.0f} % more energy; a fifth is the most."
    try:
        stops = compute(brief, one.step.with_settings(stronger), (), (), {}).stops
    except (MerakError, ValidationError) as stop:
        return None, str(stop)
    return (None, stops[0].words) if stops else (now, "")


MAKERS: dict[str, Callable[[Making], Iterable[Act]]] = {
    **dict.fromkeys(WAITING, _waiting),
    **dict.fromkeys(CLOCKED, _clocked),
    "microcurrent": _lift,
    "led": _light,
    "galvanic_softening": _current,
    "iontophoresis": _current,
    "muscle_stimulation": _bands,
    "oxygen_mask": _oxygen_mask,
    "oxygen_airbrush": _airbrush,
    "wet_abrasion": _wet,
    "diamond": _counted,
    "touch": _counted,
    "nano": _counted,
    "micro_needling": _counted,
    "rf_bulk": _warm,
    "rf_fractional": _gridded,
    "pulsed_light": _gridded,
    "focused_lifting": _gridded,
}
