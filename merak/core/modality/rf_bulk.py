"""Bulk radiofrequency: power against a target; what surface and hottest depth come to; dwell, pass dose, thermal dose,
minutes.
"""

from collections.abc import Iterable
from itertools import chain
from math import pi
from typing import Literal, NamedTuple

import numpy as np
from pydantic import Field

from merak.core.acts import Act, HeatRule, Part
from merak.core.dose.bioheat import HeatResponse, HeatRun, Layer, Surface, body, thermal_dose_min
from merak.core.dose.bioheat import response as steady_response
from merak.core.dose.thermal import cem43_min, dwell_left_s, heating_rate_c_s, pass_dose_j_cm2
from merak.core.knowledge import number, tissues
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making
from merak.core.modality.shared import (
    Amount,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    on_card,
    on_scale,
    physical,
    started,
    worked,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import ASKED_WARM, Ways
from merak.core.working import Quantity

needs(
    __name__,
    """
    passes: chair.pass.rf_bulk
    %: rf_bulk.start
    W/m²K: heat.air
    min: rf_bulk.dose.stop rf_bulk.dose.warn rf_bulk.hold rf_bulk.hold.most rf_bulk.to_target
    min: rf_bulk.to_target.most
    mm: rf_bulk.depth
    s: rf_bulk.dwell
    share: rf_bulk.absorbed
    step: rf_bulk.adjust.bone rf_bulk.adjust.first_visit rf_bulk.adjust.missed rf_bulk.adjust.reacted
    step: rf_bulk.adjust.sensitive rf_bulk.adjust.thin
    °C/s: rf_bulk.rate.unknown
    °C: heat.room rf_bulk.stop rf_bulk.target rf_bulk.target.least rf_bulk.target.most
    ×: rf_bulk.perfusion
    words: device.tip heat.dose heat.pass heat.pennes rf_bulk.pad rf_bulk.peak rf_bulk.reading rf_bulk.zone
    """,
    tissue=("tissue.epidermis", "tissue.dermis", "tissue.fat", "tissue.muscle", "tissue.gel"),
)

NAME = "rf_bulk"
CARD = scaled(NAME, "W")
#: Slower than this a hand stands still, mm/s.
STANDING_MM_S = 0.01
INCREMENT = Increment("at")
AMOUNT = Amount("power")
WAYS = Ways(asks=ASKED_WARM, halves=True, passes="chair.pass.rf_bulk")
SAMPLE_S = 0.1
#: No zone is warmed for longer than this before its target is called out of reach, s.
PATIENCE_S = 900.0
#: A practised hand holds a target within this, °C.
HELD_WITHIN_C = 0.5


class Settings(Base):
    """What is set: power on the card's scale, the tip, the target and how long it is held, how the hand moves."""

    at: float = Field(ge=0, le=200, title="Set to")
    polarity: Literal["bipolar", "monopolar"] = Field("bipolar", title="Electrodes")
    target_c: float = Field(41, ge=37, le=50, title="Target", json_schema_extra={"unit": "°C"})
    hold_min: float = Field(4, ge=0.5, le=15, title="At target", json_schema_extra={"unit": "min"})
    tip_mm: float = Field(20, ge=4, le=80, title="Tip", json_schema_extra={"unit": "mm"})
    speed_mm_s: float = Field(20, ge=0, le=200, title="Speed", json_schema_extra={"unit": "mm/s"})
    zone_cm2: float = Field(100, ge=4, le=600, title="Zone worked at once", json_schema_extra={"unit": "cm²"})
    depth_mm: float = Field(4, ge=0.5, le=20, title="Power falls off over", json_schema_extra={"unit": "mm"})
    absorbed: float = Field(0.7, ge=0.01, le=1, title="Absorbed share")
    gel_mm: float = Field(0, ge=0, le=3, title="Gel on top", json_schema_extra={"unit": "mm"})

    def warmed_c(self, card: MachineCard | None, seconds: float, held_back: bool) -> tuple[float, float]:
        """By the bioheat model; a machine that nobody measured warms nothing here."""
        power = (card.physical(self.at) if card else None) or 0.0
        return surface_c(power, self, seconds, held_back)


def layers(flow: float = 1.0, **mm: float) -> tuple[Layer, ...]:
    """Skin and what lies below, as the rule book has them: the dermis's blood flow × `flow`, a layer's own thickness
    (mm) by its name.
    """
    return tuple(
        layer(name, mm.get(name), flow if name == "dermis" else 1.0)
        for name in ("epidermis", "dermis", "fat", "muscle")
    )


def layer(name: str, mm: float | None = None, flow: float = 1.0) -> Layer:
    """One layer of the rule book, as thick as it says or as `mm` does."""
    entry = tissues()[f"tissue.{name}"]
    return Layer(entry.words, entry.mm if mm is None else mm, entry.k, entry.rho, entry.c, entry.perfusion * flow)


@by_book(16)
def response(flow: float, gel_mm: float, depth_mm: float) -> HeatResponse:
    """How skin warms under slow, even work, with the dermis's blood flow × `flow`: one run for every power and zone."""
    gel = layer("gel", gel_mm) if gel_mm else None
    under = body(layers(flow), Surface(number("heat.room"), number("heat.air")), gel)
    return steady_response(under, PATIENCE_S, SAMPLE_S, depth_mm / 1000)


def absorbed_w_m2(power_w: float, settings: Settings, zone_cm2: float | None = None) -> float:
    """What a zone (the one that is set) takes up of slow, even work, W/m²: η·P over its area."""
    return settings.absorbed * power_w / ((zone_cm2 or settings.zone_cm2) * 1e-4)


def warmed(power_w: float, settings: Settings, flow: float = 1.0, zone_cm2: float | None = None) -> HeatRun:
    """A zone (the one that is set) under slow, even work, with the dermis's blood flow × `flow`."""
    given = absorbed_w_m2(power_w, settings, zone_cm2)
    return response(flow, settings.gel_mm, settings.depth_mm).under(given)


def surface_c(power_w: float, settings: Settings, seconds: float, held_back: bool = True) -> tuple[float, float]:
    """(surface, untouched skin) in °C after so many seconds of work on a zone; held at the target once it is there, as
    a hand does.
    """
    run = warmed(power_w, settings)
    reached = float(np.interp(max(seconds, 1.0), run.seconds, run.surface_c))
    return (min(reached, settings.target_c + HELD_WITHIN_C) if held_back else reached), float(run.surface_c[0])


def at_once_cm2(settings: Settings, subject: Subject) -> float:
    """The zone that is really worked at once: one side at a time, so never more than half of what is treated, nor less
    than the tip covers.
    """
    return max(settings.tip_mm**2 * pi / 400, min(settings.zone_cm2, subject.area_cm2 / 2))


class Held(NamedTuple):
    """A zone brought to its target and held there: seconds to it, the hottest depth then, thermal dose of the hottest
    depth in all.
    """

    seconds: float | None
    peak_c: float
    peak_mm: float
    cem43_min: float


def held(power_w: float, settings: Settings, flow: float, zone_cm2: float) -> Held:
    """What warming comes to when, at the target, the hand gives only what is lost: the hottest depth then stays as it
    is.
    """
    given = absorbed_w_m2(power_w, settings, zone_cm2)
    rising = _risen(flow, settings.gel_mm, settings.depth_mm, given, settings.target_c)
    holding = cem43_min(rising.peak_c, settings.hold_min) if rising.seconds is not None else 0.0
    return rising._replace(cem43_min=rising.cem43_min + holding)


@by_book(1024)
def _risen(flow: float, gel_mm: float, depth_mm: float, w_m2: float, target_c: float) -> Held:
    """The way to the target, before it is held there; as far as it gets where it is never reached."""
    known = response(flow, gel_mm, depth_mm)
    reached = known.reaches(target_c, w_m2)
    samples = None if reached is None else round(reached / SAMPLE_S) + 1
    run = known.under(w_m2, samples)
    deepest = int(run.inside_c[:, -1].argmax())
    dose = float(thermal_dose_min(run.peak_c[1:], SAMPLE_S))
    return Held(reached, float(run.inside_c[deepest, -1]), float(run.depth_mm[deepest]), dose)


def start(card: MachineCard, subject: Subject) -> Start:
    """The power that brings the largest zone to the usual target in the usual time and that no ceiling refuses, less
    what this skin asks for; a share of the scale where the machine's watts are not known.
    """
    tip = card.tip("")
    first = Settings(
        at=card.least,
        target_c=number(f"{NAME}.target"),
        hold_min=number(f"{NAME}.hold"),
        tip_mm=tip.across_mm if tip else 20,
        depth_mm=number(f"{NAME}.depth"),
        absorbed=number(f"{NAME}.absorbed"),
    )
    sizes = tuple(min(size, subject.area_cm2 / 2) for size in ZONES_CM2)
    if card.physical(card.least) is None:
        return _started(first, on_card(NAME, card, subject), sizes[0])
    least = as_set("lowest of the scale", card.least, card.scale, 1)
    tried = chain(
        (_started(first, _for_zone(first, card, subject, zone), zone) for zone in sizes),
        (_started(first, least, zone) for zone in sizes),
    )
    judged: list[tuple[bool, float, Start]] = []
    for one in tried:
        assert isinstance(one.settings, Settings)
        found = dose(one.settings, card, subject)
        judged.append((bool(found.refused), _reached_s(found), one))
        if not found.refused and _reached_s(found) <= number(f"{NAME}.to_target.most") * 60:
            return one
    return min(judged, key=lambda each: each[:2])[2]


def _reached_s(found: Dose) -> float:
    return found.numbers["to_target"].known if "to_target" in found.numbers else PATIENCE_S


def _started(settings: Settings, at: Quantity, zone_cm2: float) -> Start:
    zone = max(LEAST_ZONE_CM2, zone_cm2)
    return Start(settings.model_copy(update={"at": at.known, "zone_cm2": zone}), at)


#: Zones worked at once, cm², from the usual down; the least that is set.
ZONES_CM2, LEAST_ZONE_CM2 = (100.0, 70.0, 50.0, 35.0, 25.0, 16.0), 4.0


def _for_zone(settings: Settings, card: MachineCard, subject: Subject, zone_cm2: float) -> Quantity:
    """The setting that brings a zone to its target in the usual time, less what this skin asks for as far as the target
    is still reached before long.
    """
    usual = as_set("minutes to the target", number(f"{NAME}.to_target"), "min", 1, f"{NAME}.to_target")
    given = response(1.0, settings.gel_mm, settings.depth_mm).power_for(settings.target_c, usual.known * 60)
    watts = given * zone_cm2 * 1e-4 / settings.absorbed
    zone = as_set("zone", zone_cm2, "cm²", 0)
    power = worked("power for it", watts, "W", "bioheat, even work", (zone, usual), "heat.pennes")
    at = card.at(watts) if watts > (card.physical(card.least) or 0) else card.least
    base = worked(
        "on the scale",
        card.most if at is None else at,
        card.scale,
        f"the {card.name}'s setting for it, or its highest",
        (power,),
        f"{NAME}.to_target",
    )
    found = started(NAME, card.step, card.least, card.most, subject, card.scale, base=base)
    if subject.last is not None and subject.last.at is not None:
        return found
    while found.known + card.step <= base.known and not _warms(settings, card, found.known, zone_cm2):
        found = found.model_copy(
            update={"value": on_scale(found.known + card.step), "formula": f"{found.formula}, as far as it still warms"}
        )
    return found


def _warms(settings: Settings, card: MachineCard, at: float, zone_cm2: float) -> bool:
    """Whether a setting brings a zone to its target before long."""
    given = absorbed_w_m2(card.physical(at) or 0, settings, zone_cm2)
    found = response(1.0, settings.gel_mm, settings.depth_mm).reaches(settings.target_c, given)
    return found is not None and found <= number(f"{NAME}.to_target.most") * 60


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Heating rate, dwell, pass dose; seconds to target, hottest depth and thermal dose as a band of blood flow;
    minutes.
    """
    judge = Judge()
    power = physical(judge, "power", card, settings.at)
    target = as_set("target", settings.target_c, "°C", 1, f"{NAME}.target")
    judge.most(f"{NAME}.stop", target, "target_c")
    judge.most(f"{NAME}.target.most", target, "target_c")
    if settings.target_c < number(f"{NAME}.target.least"):
        judge.change(
            f"{NAME}.target.least",
            f"{settings.target_c:g} °C is below the range in which collagen answers.",
            "40 to 42 °C.",
            "target_c",
        )
    judge.most(f"{NAME}.hold.most", as_set("at target", settings.hold_min, "min", 1), "hold_min")
    if settings.speed_mm_s < STANDING_MM_S:
        judge.refuse(f"{NAME}.dwell", "The tip never stands still.", "speed_mm_s", "Move it.")
    else:
        _moving(judge, settings, power)
    unknown = worked("thermal dose of the hottest depth", None, "CEM43 min", "not known", (power,), "heat.dose")
    judge.exposes("heat", unknown, f"{NAME}.dose.stop")  # until it is known below
    if power.value is None:
        judge.tell("minutes", worked("minutes", None, "min", "the power is not known", (power,)))
    elif not judge.refused:
        _predicted(judge, settings, subject, power)
    judge.know(f"{NAME}.peak", f"{NAME}.reading", *([f"{NAME}.pad"] if settings.polarity == "monopolar" else []))
    return judge.dose()


def _moving(judge: Judge, settings: Settings, power: Quantity) -> None:
    tip_cm2 = settings.tip_mm**2 * np.pi / 400
    tip, depth = (
        as_set("tip", tip_cm2, "cm²", 2, "device.tip"),
        as_set("falls off over", settings.depth_mm, "mm", 1, f"{NAME}.depth"),
    )
    share = as_set("absorbed share", settings.absorbed, "", 2, f"{NAME}.absorbed")
    if power.value is None:
        rule_id = f"{NAME}.rate.unknown"
        rate = as_set("heating rate, taken as", number(rule_id), "°C/s", 2, rule_id)
        dose = None
    else:
        rate = worked(
            "heating rate under the tip",
            heating_rate_c_s(power.value, float(tip_cm2), settings.depth_mm, settings.absorbed),
            "°C/s",
            "η·P ÷ (tip × depth) ÷ ρc",
            (power, share, tip, depth),
            "heat.pennes",
            digits=2,
        )
        dose = pass_dose_j_cm2(power.value, settings.speed_mm_s, settings.tip_mm)
    judge.tell("rate", rate)
    most_s, limit = number(f"{NAME}.dwell"), number(f"{NAME}.stop")
    for key, at in (("dwell_34", 34.0), ("dwell_41", 41.0)):
        left = dwell_left_s(at, rate.known, most_s, limit)
        judge.tell(
            key,
            worked(
                f"stay at one spot, skin at {at:g} °C",
                left,
                "s",
                f"smaller of {most_s:g} s and ({limit:g} − T) ÷ rate",
                (rate,),
                f"{NAME}.dwell",
                f"{NAME}.stop",
            ),
        )
    speed, width = as_set("speed", settings.speed_mm_s, "mm/s", 0), as_set("tip", settings.tip_mm, "mm", 0)
    judge.tell(
        "pass",
        worked(
            "dose of a pass",
            dose,
            "J/cm²",
            "power ÷ (speed × width)",
            (power, speed, width),
            "heat.pass",
        ),
    )
    stay = worked(
        "stay under the tip", settings.tip_mm / settings.speed_mm_s, "s", "tip ÷ speed", (width, speed), digits=2
    )
    judge.tell("stay", stay)
    longest = judge.numbers["dwell_34"]
    if longest.value is not None and stay.known > longest.value + 1e-9:
        judge.refuse(
            f"{NAME}.dwell",
            f"A point stays {stay.text} under the tip; {longest.text} is the limit.",
            "speed_mm_s",
            "Faster, or less power.",
        )


def _predicted(judge: Judge, settings: Settings, subject: Subject, power: Quantity) -> None:
    """Seconds to target, hottest depth, thermal dose; with the usual blood flow and with the highest."""
    watts = power.known
    zone = as_set("zone", at_once_cm2(settings, subject), "cm²", 0, f"{NAME}.zone")
    flows = (1.0, number(f"{NAME}.perfusion"))
    usual, quick = (held(watts, settings, flow, zone.known) for flow in flows)
    band = ("heat.pennes", f"{NAME}.perfusion")
    if usual.seconds is None:
        where = f"{power.text} over {zone.text}"
        words = f"{where} does not bring the surface to {settings.target_c:g} °C in {PATIENCE_S / 60:g} minutes."
        judge.change(f"{NAME}.target", words, "A smaller zone at once, or more power.", "at")
        judge.tell("minutes", worked("minutes", None, "min", "the target is not reached", (power, zone)))
        return
    later = (
        "never with five times the flow" if quick.seconds is None else f"{quick.seconds:.0f} s with five times the flow"
    )
    judge.tell(
        "to_target",
        worked(
            "seconds to the target", usual.seconds, "s", f"bioheat, even work; {later}", (power, zone), *band, digits=0
        ),
    )
    peak = worked(
        "hottest point then",
        usual.peak_c,
        "°C",
        f"bioheat, {usual.peak_mm:.1f} mm deep; {quick.peak_c:.1f} °C with five times the flow",
        (power, zone),
        *band,
        f"{NAME}.peak",
    )
    judge.tell("peak", peak)
    total = worked(
        "thermal dose of the hottest depth",
        usual.cem43_min,
        "CEM43 min",
        "rising and held at target",
        (peak, as_set("at target", settings.hold_min, "min", 1)),
        "heat.dose",
        digits=2,
    )
    judge.tell("cem43", total)
    judge.warn(f"{NAME}.dose.warn", total, "hold_min", "Shorter at target, or a lower one.")
    judge.gives("heat", total, f"{NAME}.dose.stop", "hold_min", "Shorter at target, or a lower one.")
    zones = max(1.0, subject.area_cm2 / zone.known)
    minutes = zones * (usual.seconds / 60 + settings.hold_min)
    judge.tell(
        "minutes", worked("minutes", minutes, "min", "zones × (to target + at target)", (subject.area, zone), digits=0)
    )


def acts(make: Making) -> Iterable[Act]:
    """Zone by zone, the higher side first, the mirror between the halves; read, asked, never still."""
    yield make.ready("Gliding cream")
    unlaid = (Part(name=make.side), Part(name="other side"))[: len(make.sides)]
    parts = make.laid.zones() if make.laid.known else unlaid
    first = tuple(part for part in parts if part.name.startswith(make.side))
    rest = tuple(part for part in parts if part not in first)
    halves = [(make.side, first), (make.other_side, rest)] if first and rest else [("", parts)]
    heat, target = _watched(make), make.settings.target_c
    whole = sum(part.cm2 for part in parts) or 1
    for n, (at, mine) in enumerate(halves):
        if n:
            yield make.mirror()
        share = sum(part.cm2 for part in mine) / whole if make.laid.known else 1 / len(halves)
        yield make.act(
            "sections",
            f"{make.title}, {at}".rstrip(", "),
            make.own_s * share,
            f"{make.instruction} Hold at {target:g} °C.",
            side=at or None,
            parts=mine,
            passes=make.passes,
            heat=heat,
            **make.machine,
        )


def _watched(make: Making) -> HeatRule:
    """How warm the skin may become while this is done."""
    numbers, target = make.numbers, make.settings.target_c
    peak = numbers["peak"].value if "peak" in numbers else None
    return HeatRule(
        low_c=number(f"{NAME}.target.least"),
        high_c=number(f"{NAME}.target.most"),
        stop_c=number(f"{NAME}.stop"),
        rate_c_s=numbers["rate"].known if "rate" in numbers else number(f"{NAME}.rate.unknown"),
        dwell_s=number(f"{NAME}.dwell"),
        deeper_c=max(0.0, (peak or target) - target),
        warn_min=number(f"{NAME}.dose.warn"),
        stop_min=number(f"{NAME}.dose.stop"),
    )
