"""Microcurrent lift: settings, start values, ceilings, strokes, dose, time, gel."""

from collections.abc import Iterable
from itertools import takewhile
from typing import Literal, NamedTuple, Self

from pydantic import Field
from shapely import LineString

from merak.core.acts import Act, StrokeLine
from merak.core.body.plate import Key, area_cm2
from merak.core.body.strokes import BORDER_MM, PATHS, Line, Path, pieces
from merak.core.body.treatable import Treatable, treatable
from merak.core.client import Measures, Side
from merak.core.dose.current import amount_umol, charge_mc, density_ma_cm2
from merak.core.dose.product import film_ml
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import about, caution, number, quantity
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import needs
from merak.core.modality.device import MicrocurrentCard
from merak.core.modality.exposure import exposed
from merak.core.modality.making import Making
from merak.core.modality.shared import Amount, Dose, Increment, Start, Subject
from merak.core.modality.shared import Settings as Base
from merak.core.modality.titration import titrate
from merak.core.modality.ways import Ground, Twin, Ways
from merak.core.working import Caution, Quantity, Saying

needs(
    __name__,
    """
    level: microcurrent.bone microcurrent.first_visit microcurrent.missed microcurrent.reacted microcurrent.sensitive
    mA/cm²: microcurrent.density.warn
    min: microcurrent.face_time
    mm: face.finger_breadth face.least_piece microcurrent.gel_film
    mm/s: microcurrent.speed
    of 10: microcurrent.start_level microcurrent.unknown_dose.level
    s: microcurrent.between microcurrent.hold microcurrent.reposition
    times: microcurrent.repeats
    µA: microcurrent.ceiling.current
    words: current.charge current.density current.faraday device.calibration microcurrent.carried_over
    words: microcurrent.feel microcurrent.probes_apart microcurrent.stop_signs path.time product.film plan.closed_zones
    """,
)

NAME = "microcurrent"
CARD = MicrocurrentCard
INCREMENT = Increment("level", 0.5)
AMOUNT = Amount("charge", adds_up=True)
WAYS = Ways(halves=True, ended="counted", twin=Twin("level", "current", "Current", "µA", 0), amounts={"gel": ""})
BOTH: tuple[Side, Side] = ("right", "left")
Polarity = Literal["alternating", "positive", "negative"]
Technique = Literal["fixed probe, hold", "paired strokes"]
Feel = Literal["raise until just felt", "stay below feeling"]


class Settings(Base):
    """What is set for a microcurrent lift. Current is told as `level` on the card's scale."""

    level: float = Field(ge=0.5, le=100, title="Level")
    frequency_hz: float = Field(0.6, ge=0.01, le=1000, title="Frequency", json_schema_extra={"unit": "Hz"})
    polarity: Polarity = Field("alternating", title="Polarity")
    technique: Technique = Field("fixed probe, hold", title="Hands")
    feel: Feel = Field("raise until just felt", title="Feel")
    paths: tuple[Path, ...] = Field(PATHS, min_length=1, title="Lines")
    repeats: int = Field(3, ge=1, le=10, title="Repeats")
    hold_s: float = Field(3, ge=0, le=10, title="Hold", json_schema_extra={"unit": "s"})
    speed_mm_s: float = Field(20, ge=5, le=100, title="Travel", json_schema_extra={"unit": "mm/s"})
    film_mm: float = Field(0.5, ge=0.01, le=3, title="Gel film", json_schema_extra={"unit": "mm"})

    @property
    def dial(self) -> tuple[str, float]:
        """The level."""
        return ("set to", self.level)

    def twin_for(self, value: float, card: MicrocurrentCard) -> Self:
        """The level that gives a current (µA). Raises BadInput on "current"."""
        level = card.level_for(value)
        if level is None:
            ends = [f"{of[1]:g}" for of in (card.calibration[0], card.calibration[-1])] if card.calibration else []
            words = f"was measured from {ends[0]} to {ends[1]} µA" if ends else "has no calibration"
            raise BadInput({"current": f"The {card.name} {words}."})
        return self.model_copy(update={"level": level})

    def drawn(self, card: MicrocurrentCard, grounds: tuple[Ground, ...]) -> Dose:
        """The lift on a client's own plates. Raises Refused where no line lies on one of them."""
        found = lift(self, card, *grounds)
        for ground in grounds:
            name = ground.area.plate.name
            if not any(there for there in found.plates[name].values()):
                words = f"No line of the lift lies on these zones of the {name} alone: all would cross others."
                raise Refused(words, "plan.closed_zones")
        return _dose(found)


@by_book()
def sayings(feel: Feel) -> tuple[Saying, ...]:
    """What a client may say under microcurrent, in the order of the keys, and what to do then by the chosen school of
    feel.
    """
    at_edge = feel == "raise until just felt"
    return (
        Saying(
            words="nothing felt",
            action="One half step up, then ask again." if at_edge else "Good: stay here.",
            rule="microcurrent.feel",
        ),
        Saying(
            words="just felt",
            action="Good: stay here." if at_edge else "One half step down: stay below feeling.",
            rule="microcurrent.feel",
        ),
        Saying(words="too strong", action="One step down now; more gel.", rule="microcurrent.feel"),
        Saying(
            words="twitching",
            action="Down to zero, off the muscle. Stop if it comes again.",
            rule="microcurrent.stop_signs",
            stop=True,
        ),
        Saying(
            words="metal taste",
            action="One step down, away from the mouth. Stop if it bothers.",
            rule="microcurrent.stop_signs",
            stop=True,
        ),
    )


class Lift(NamedTuple):
    """Everything computed for one client: the strokes by side, the numbers by key, what to mind, what is refused by
    field.
    """

    lines: dict[Side, tuple[Line, ...]]
    numbers: dict[str, Quantity]
    cautions: tuple[Caution, ...]
    refused: dict[str, Caution]
    plates: dict[str, dict[Side, tuple[Line, ...]]]

    def on(self, plate: str, side: Side) -> tuple[Line, ...]:
        """The lines of a side on one of the plates."""
        return self.plates[plate][side]


def start(card: MicrocurrentCard, subject: Subject) -> Start:
    """Start-up settings for this client, and the level's working, each adjustment a line of it.

    Anything but "go" from today's screening takes a level off after a last visit.
    """
    share, last = card.levels / 10, subject.last
    known, turn = last.at if last else None, titrate(last).turn if last else "same"
    if known:
        base = Quantity(
            name="where last time ended", value=known, unit="level", digits=1, rules=("microcurrent.carried_over",)
        )
    else:
        base = Quantity(
            name="start level",
            value=number("microcurrent.start_level") * share,
            unit="level",
            digits=1,
            rules=("microcurrent.start_level", "microcurrent.first_visit"),
        )
    steps = [base]
    if subject.sensitive and not known:
        steps.append(quantity("microcurrent.sensitive", "sensitive skin", 1))
    if last and (turn in ("down", "stop") or subject.verdict == "change"):
        steps.append(quantity("microcurrent.reacted", "last time's reaction", 1))
    elif known and turn == "up":
        steps.append(quantity("microcurrent.missed", "last time fell short", 1))
    level = max(1.0, sum(step.known for step in steps))
    words = " ".join(
        f"{step.value:+g} {step.name}" if i else f"{step.value:g} {step.name}" for i, step in enumerate(steps)
    )
    found = Quantity(
        name="start level",
        value=level,
        unit=f"of {card.levels}",
        digits=1,
        formula=words.replace("-", "− "),
        inputs=tuple(steps),
        rules=tuple(r for step in steps for r in step.rules),
    )
    settings = Settings(
        level=level,
        repeats=int(number("microcurrent.repeats")),
        hold_s=number("microcurrent.hold"),
        speed_mm_s=number("microcurrent.speed"),
        film_mm=number("microcurrent.gel_film"),
    )
    return Start(settings, found)


def dose(settings: Settings, card: MicrocurrentCard, subject: Subject) -> Dose:
    """The lift on a face by the build's tapes and a usual finger: what it comes to before a client's own plate is
    there.
    """
    found = lift(settings, card, Ground(treatable(Measures(), NAME, number("face.finger_breadth"))))
    return _dose(found)


def lift(settings: Settings, card: MicrocurrentCard, *grounds: Ground) -> Lift:
    """Strokes, minutes, density, charge and gel on this client's own plates; no line passes through a zone that is
    shut.
    """
    plates: dict[str, dict[Side, tuple[Line, ...]]] = {
        ground.area.plate.name: {side: _clear(ground.area, side, settings.paths, ground.shut) for side in BOTH}
        for ground in grounds
    }
    drawn: dict[Side, tuple[Line, ...]] = {
        side: tuple(line for there in plates.values() for line in there[side]) for side in BOTH
    }
    level = Quantity(name="level", value=settings.level, unit=f"of {card.levels}", digits=1)
    bone = quantity("microcurrent.bone", "over bone", 1)
    bone_level = Quantity(
        name="level over bone",
        value=max(1.0, settings.level + (bone.value or 0)),
        unit=f"of {card.levels}",
        digits=1,
        formula="level − 1 over bone",
        inputs=(level, bone),
        rules=("microcurrent.bone", "face.least_piece"),
    )
    current, bone_current = card.current(settings.level), card.current(bone_level.value or 0, "current over bone")
    numbers = {
        "current": current,
        "bone_level": bone_level,
        "bone_current": bone_current,
        "density": _density(current, card),
        **_strokes(settings, drawn["right"], drawn["left"]),
        "gel": _gel(settings, grounds),
    }
    numbers["charge"] = _charge(current, numbers["contact"])
    if settings.polarity != "alternating":
        numbers["alkali"] = _alkali(numbers["charge"])
    return Lift(drawn, numbers, *_checked(settings, card, numbers), plates)


def _dose(found: Lift) -> Dose:
    contact = found.numbers["contact"]
    given = exposed("microcurrent", contact.value, contact.unit, "microcurrent.face_time", by="body")
    return Dose(found.numbers, found.cautions, found.refused, given=(given,))


@by_book(256)
def _clear(area: Treatable, side: Side, paths: tuple[Path, ...], without: frozenset[Key]) -> tuple[Line, ...]:
    """The lines of a side that stay out of some zones: drawn once, whatever is set on the machine."""
    drawn = pieces(area, side, paths)
    shut = [shape for key, shape in area.plate.zones.items() if key in without]
    crossed = {
        line.stroke
        for line in drawn
        if any(LineString(line.points).intersection(shape).length > BORDER_MM for shape in shut)
    }
    return tuple(line for line in drawn if line.stroke not in crossed)


def _density(current: Quantity, card: MicrocurrentCard) -> Quantity:
    contact = Quantity(name="contact area of a probe", value=card.contact_cm2, unit="cm²", digits=2)
    return Quantity(
        name="current density",
        unit="mA/cm²",
        digits=2,
        formula="current ÷ contact area",
        inputs=(current, contact),
        value=None if current.value is None else density_ma_cm2(current.value, card.contact_cm2),
        rules=("current.density",),
    )


def seconds_of(settings: Settings, drawn: tuple[Line, ...]) -> float:
    """How long some lines take: under current, and from each stroke to the next."""
    return contact_s(settings, drawn) + _strokes_of(drawn) * number("microcurrent.between")


def _strokes_of(drawn: tuple[Line, ...]) -> int:
    """How many strokes these pieces are of."""
    return len({(line.path, line.stroke) for line in drawn})


def contact_s(settings: Settings, drawn: tuple[Line, ...]) -> float:
    """How long current flows along some lines: repeats × (travel + lines × (hold + setting down))."""
    hold_s = settings.hold_s if settings.technique == "fixed probe, hold" else 0
    travel_s = sum(line.length_mm for line in drawn) / settings.speed_mm_s
    return settings.repeats * (travel_s + len(drawn) * (hold_s + number("microcurrent.reposition")))


def _strokes(settings: Settings, right: tuple[Line, ...], left: tuple[Line, ...]) -> dict[str, Quantity]:
    """Strokes and minutes per side and both, from lines × repeats × (travel + hold + setting down) and the way from
    line to line; minutes under current by themselves.
    """
    hold_s = settings.hold_s if settings.technique == "fixed probe, hold" else 0
    repeats = Quantity(name="repeats", value=settings.repeats, unit="a line", rules=("microcurrent.repeats",))
    speed = Quantity(name="travel speed", value=settings.speed_mm_s, unit="mm/s", rules=("microcurrent.speed",))
    hold = Quantity(name="hold", value=hold_s, unit="s", digits=1, rules=("microcurrent.hold",))
    down = quantity("microcurrent.reposition", "setting down")
    between = quantity("microcurrent.between", "to the next line")
    found: dict[str, Quantity] = {}
    for side, drawn in (("right", right), ("left", left)):
        count = Quantity(name=f"lines, {side}", value=len(drawn))
        found[f"strokes_{side}"] = Quantity(
            name=f"strokes, {side} side",
            value=len(drawn) * settings.repeats,
            formula="lines × repeats",
            inputs=(count, repeats),
            rules=("microcurrent.repeats",),
        )
        travel = Quantity(
            name="travel", value=sum(line.length_mm for line in drawn), unit="mm", formula="length of all lines"
        )
        contact = found[f"contact_{side}"] = Quantity(
            name=f"minutes of current, {side} side",
            value=contact_s(settings, drawn) / 60,
            unit="min",
            digits=1,
            rules=("path.time",),
            formula="repeats × (travel ÷ speed + lines × (hold + setting down)) ÷ 60",
            inputs=(repeats, travel, speed, count, hold, down),
        )
        found[f"minutes_{side}"] = Quantity(
            name=f"minutes, {side} side",
            value=seconds_of(settings, drawn) / 60,
            unit="min",
            digits=1,
            formula="minutes of current + strokes × to the next ÷ 60",
            inputs=(contact, Quantity(name=f"strokes uncut, {side}", value=_strokes_of(drawn)), between),
        )
    for key, unit, digits in (("strokes", "", 0), ("contact", "min", 1), ("minutes", "min", 1)):
        both = (found[f"{key}_right"], found[f"{key}_left"])
        found[key] = Quantity(
            name=f"{'minutes of current' if key == 'contact' else key}, both sides",
            value=sum(side.value or 0 for side in both),
            unit=unit,
            digits=digits,
            formula="right + left",
            inputs=both,
        )
    return found


def _charge(current: Quantity, minutes: Quantity) -> Quantity:
    value = None if current.value is None else charge_mc(current.value, (minutes.value or 0) * 60)
    return Quantity(
        name="charge at most",
        value=value,
        unit="mC",
        digits=0,
        formula="current × minutes of current × 60",
        inputs=(current, minutes),
        rules=("current.charge",),
    )


def _alkali(charge: Quantity) -> Quantity:
    """What steady current makes at the negative probe, in µmol, by Faraday's law: one hydroxide ion a charge, if
    nothing else reacts.
    """
    value = None if charge.value is None else amount_umol(charge.value)
    return Quantity(
        name="alkali at the − probe, at most",
        value=value,
        unit="µmol",
        digits=2,
        formula="charge ÷ Faraday constant",
        inputs=(charge,),
        rules=("current.faraday",),
    )


def _gel(settings: Settings, grounds: tuple[Ground, ...]) -> Quantity:
    both = Quantity(
        name="treatable area, both sides",
        value=sum(area_cm2(shape) for ground in grounds for shape in ground.worked.values()),
        unit="cm²",
        formula="zones − margins − no-go areas",
        rules=tuple(dict.fromkeys(rule for ground in grounds for rule in ground.area.rules)),
    )
    film = Quantity(name="film", value=settings.film_mm, unit="mm", digits=2, rules=("microcurrent.gel_film",))
    return Quantity(
        name="gel",
        value=film_ml(both.value or 0, settings.film_mm),
        unit="mL",
        digits=0,
        formula="area × film ÷ 10",
        inputs=(both, film),
        rules=("product.film",),
    )


def level_most(settings: Settings, card: MicrocurrentCard) -> float:
    """The highest level, in half steps, that no ceiling refuses with these settings on this card; 0 when even the
    lowest is refused.
    """
    return _level_most(settings.polarity, card)


@by_book(64)
def _level_most(polarity: Polarity, card: MicrocurrentCard) -> float:
    halves = (half / 2 for half in range(2, 2 * card.levels + 1))
    return max(takewhile(lambda level: _level_refusal(level, polarity, card) is None, halves), default=0.0)


def _level_refusal(level: float, polarity: Polarity, card: MicrocurrentCard) -> tuple[str, str] | None:
    """Why a level is refused, and by which rule; None when no ceiling stands against it."""
    current, ceiling, dense = (
        card.current_ua(level),
        number("microcurrent.ceiling.current"),
        number("microcurrent.density.warn"),
    )
    if level > card.levels:
        return f"The {card.name} goes to level {card.levels}.", "device.calibration"
    if current is None and card.calibration:
        (first, least), (last, _) = card.calibration[0], card.calibration[-1]
        if level > last:
            return f"The {card.name} was measured to level {last:g}: beyond, nothing is known.", "device.calibration"
        current = least if level < first else current  # below the points it is no more than at the lowest
    if current is None:
        most = number("microcurrent.unknown_dose.level") * card.levels / 10
        words = (
            f"Level {most:g} at most on the {card.name}, whose dose is unknown. Lower it, or have it measured"
            " (Practice)."
        )
        return (words, "microcurrent.unknown_dose.level") if level > most else None
    if current > ceiling:
        return f"{current:.0f} µA is above {ceiling:.0f} µA, which nobody plans past.", "microcurrent.ceiling.current"
    density = density_ma_cm2(current, card.contact_cm2)
    if polarity != "alternating" and density >= dense:
        words = (
            f"{density:.2f} mA/cm² at the probe; {dense:g} is the line. With steady {polarity} current it stops there."
        )
        return words, "microcurrent.density.warn"
    return None


def _checked(
    settings: Settings, card: MicrocurrentCard, numbers: dict[str, Quantity]
) -> tuple[tuple[Caution, ...], dict[str, Caution]]:
    """What to mind, and what is refused by field. The ceilings hold here, whatever asked."""
    mind: list[Caution] = []
    refused: dict[str, Caution] = {}
    against = _level_refusal(settings.level, settings.polarity, card)
    if against:
        refused["level"] = caution(against[1], "stop", against[0], field="level")
    if numbers["current"].value is None and card.calibration:
        first, least = card.calibration[0]
        words = f"Dose unknown: the {card.name} was measured from level {first:g}."
        action = f"It is no more than the {least:g} µA there."
        mind.append(caution("device.calibration", "change", words, action))
    elif numbers["current"].value is None:
        most = number("microcurrent.unknown_dose.level") * card.levels / 10
        words = f"Dose unknown: level {settings.level:g} on the {card.name} has no calibration."
        action = f"Stay at level {most:g} or below, or have the {card.name} measured and add the points under Practice."
        mind.append(caution("microcurrent.unknown_dose.level", "change", words, action))
    density, dense = numbers["density"].value, number("microcurrent.density.warn")
    if density is not None and density >= dense and not against:
        words = f"{density:.2f} mA/cm² at the probe; {dense:g} is the line."
        mind.append(
            caution("microcurrent.density.warn", "change", words, "Lower the level or take a larger probe.", "level")
        )
    if numbers["contact"].known > number("microcurrent.face_time"):
        words = f"{numbers['contact'].text} of strokes is long for a face."
        mind.append(caution("microcurrent.face_time", "change", words, "Fewer repeats or lines.", "repeats"))
    return (*mind, caution("microcurrent.probes_apart"), caution("microcurrent.stop_signs")), refused


def acts(make: Making) -> Iterable[Act]:
    """One side, the mirror, then the other: gel dries, and the lift shows only against the untreated side."""
    settings = make.settings
    found = lift(settings, make.card, *make.grounds)
    bone_level = found.numbers["bone_level"].value or settings.level
    yield make.ready("Gel and probes", f"{about()[NAME].technique[0]} {make.school}")
    worked_sides = [at for at in (make.side, make.other_side) if found.lines[at]]
    for at in worked_sides:
        if at != worked_sides[0]:
            yield make.mirror()
        for plate in found.plates:
            drawn = found.on(plate, at)
            if drawn:
                share = seconds_of(settings, drawn) / (seconds_of(settings, found.lines[at]) or 1)
                yield make.act(
                    "strokes",
                    f"Lift, {at}" if plate == make.plate else f"Lift, {at} {plate}",
                    found.numbers[f"minutes_{at}"].known * 60 * share,
                    "Gel on this side only. Up and out; renew the gel before it dries.",
                    side=at,
                    lines=_stroke_lines(settings, drawn, bone_level),
                    hold_s=settings.hold_s if settings.technique == "fixed probe, hold" else 0,
                    level_most=level_most(settings, make.card),
                    sayings=sayings(settings.feel),
                    **make.machine | {"plate": plate},
                )


def _stroke_lines(settings: Settings, drawn: tuple[Line, ...], bone_level: float) -> tuple[StrokeLine, ...]:
    return tuple(
        StrokeLine(
            path=line.path,
            points=line.points,
            repeats=settings.repeats,
            bony=line.bony,
            level=bone_level if line.bony else settings.level,
        )
        for line in drawn
    )
