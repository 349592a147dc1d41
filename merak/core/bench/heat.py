"""Heat on the bench: a zone under a moving tip, readings, thermal dose, dwell, infrared, fractional energy, focused
lines.
"""

from math import ceil
from typing import Literal

import numpy as np
from pydantic import Field, model_validator

from merak.core.bench.answer import Calculation, Curve, Inputs, Limit, Result, Thread, answered, span, thread
from merak.core.dose.bioheat import HeatRun, Surface, absorbed_share, body, hottest, under_tip
from merak.core.dose.focused import line_count, too_deep
from merak.core.dose.radio import Per, fluence_j_cm2, pin_energy_mj, step_ratio
from merak.core.dose.thermal import (
    burn_integral,
    cem43_min,
    cem43_of,
    contact_limit_c,
    dwell_left_s,
    heating_rate_c_s,
    infrared_reads_c,
    pass_dose_j_cm2,
    skin_from_infrared_c,
)
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.focused_lifting import Place, tissue_rule
from merak.core.modality.rf_bulk import layer, layers
from merak.core.modality.shared import Judge, as_set, worked

needs(
    __name__,
    """
    J a line: focused_lifting.line.most
    W/m²K: heat.air heat.cold_head
    mJ: rf_fractional.pin.most
    min: rf_bulk.dose.stop rf_bulk.dose.warn
    mm: focused_lifting.clear
    s: rf_bulk.dwell
    share: rf_bulk.absorbed
    °C: rf_bulk.stop rf_bulk.target.least
    ×: rf_bulk.perfusion rf_fractional.step.most
    words: dose.energy heat.burn heat.contact heat.dose heat.infrared heat.pass heat.pennes rf_bulk.peak
    words: rf_bulk.reading rf_fractional.per
    """,
)

GROUP = "Heat"
DT = 0.1
Readings = tuple[tuple[float, float], ...]


#: Gel thinner than this is none: no cell of the model is as thin.
FILM_MM = 0.01


class HeatIn(Inputs):
    """A tip that works a zone, what lies on the skin, and what came after."""

    power_w: float = Field(12, ge=0.01, le=300, title="Power", json_schema_extra={"unit": "W"})
    absorbed: float = Field(0.7, ge=0.01, le=1, title="Absorbed share")
    tip_mm: float = Field(20, ge=4, le=80, title="Tip, across", json_schema_extra={"unit": "mm"})
    speed_mm_s: float = Field(20, ge=1, le=200, title="Speed", json_schema_extra={"unit": "mm/s"})
    zone_cm2: float = Field(100, ge=4, le=600, title="Zone", json_schema_extra={"unit": "cm²"})
    minutes: float = Field(4, ge=0.01, le=20, title="Minutes of heat", json_schema_extra={"unit": "min"})
    depth_mm: float = Field(4, ge=0.5, le=20, title="Power falls off over", json_schema_extra={"unit": "mm"})
    dermis_mm: float = Field(1.5, ge=0.5, le=4, title="Dermis", json_schema_extra={"unit": "mm"})
    fat_mm: float = Field(3, ge=0.5, le=30, title="Fat", json_schema_extra={"unit": "mm"})
    gel_mm: float = Field(0, ge=0, le=5, title="Gel", json_schema_extra={"unit": "mm"})
    room_c: float = Field(23, ge=10, le=35, title="Room", json_schema_extra={"unit": "°C"})
    cold_c: float | None = Field(None, ge=-10, le=20, title="Then a cold head at", json_schema_extra={"unit": "°C"})
    cold_min: float = Field(3, ge=0.01, le=10, title="for", json_schema_extra={"unit": "min"})
    readings: Readings = Field((), max_length=60, title="Surface readings", json_schema_extra={"unit": "s, °C"})

    @model_validator(mode="after")
    def _in_order(self) -> "HeatIn":
        if any(not 0 <= t <= 3600 or not 0 <= c <= 80 for t, c in self.readings):
            raise ValueError("readings are seconds from the start and °C")
        if list(self.readings) != sorted(self.readings):
            raise ValueError("readings stand in the order of time")
        return self


def _heated(asked: HeatIn, flow: float, absorbed: float) -> tuple[HeatRun, ...]:
    """The heat, then the cold head where there is one."""
    film = layer("gel", asked.gel_mm) if asked.gel_mm >= FILM_MM else None
    skin = layers(flow, dermis=asked.dermis_mm, fat=asked.fat_mm)
    under = body(skin, Surface(asked.room_c, number("heat.air")), film)
    tip_m2 = asked.tip_mm**2 * 1e-6 * np.pi / 4
    stay = tip_m2 / (asked.tip_mm * 1e-3) / (asked.speed_mm_s * 1e-3)  # by the tip's mean chord
    round_s = max(stay, asked.zone_cm2 * 1e-4 / (asked.speed_mm_s * 1e-3 * asked.tip_mm * 1e-3))
    power = under_tip(absorbed * asked.power_w / tip_m2, stay, round_s, ceil(asked.minutes * 60 / DT), DT)
    first = under.run(power, DT, asked.depth_mm / 1000)
    if asked.cold_c is None:
        return (first,)
    cold = body(skin, Surface(asked.cold_c, number("heat.cold_head")), film)
    return first, cold.run(np.zeros(ceil(asked.cold_min * 60 / DT)), DT, asked.depth_mm / 1000, first.profile_c)


def heat(asked: HeatIn) -> Result:
    """Surface and hottest depth over time as a band of blood flow; stay, pass dose, thermal dose; the absorbed share by
    readings.
    """
    judge = Judge()
    share = asked.absorbed
    if asked.readings:
        share = _fitted(judge, asked)
    usual, quick = (_heated(asked, flow, share) for flow in (1.0, number("rf_bulk.perfusion")))
    power, zone = as_set("power", asked.power_w, "W"), as_set("zone", asked.zone_cm2, "cm²", 0)
    told = as_set("absorbed share", share, "", 2, "rf_bulk.absorbed")
    reached = usual[0].reaches(number("rf_bulk.target.least"))
    judge.tell(
        "to_target",
        worked(
            "surface at 40 °C after",
            reached,
            "s",
            "bioheat" if reached is not None else "it is not reached",
            (power, zone, told),
            "heat.pennes",
            digits=0,
        ),
    )
    surface, peak = float(usual[0].surface_c.max()), float(hottest(usual).max())
    at = int(usual[0].peak_c.argmax())
    judge.tell(
        "surface",
        worked(
            "surface at most",
            surface,
            "°C",
            f"bioheat; {float(quick[0].surface_c.max()):.1f} with five times the flow",
            (power, zone, told),
            "heat.pennes",
            "rf_bulk.perfusion",
        ),
    )
    judge.tell(
        "peak",
        worked(
            "hottest point",
            peak,
            "°C",
            f"{usual[0].peak_mm[at]:.1f} mm deep; {float(hottest(quick).max()):.1f} with five times the flow",
            (power, zone, told),
            "heat.pennes",
            "rf_bulk.peak",
        ),
    )
    dose = worked(
        "thermal dose of the hottest depth",
        sum(float(run.cem43_min.max()) for run in usual),
        "CEM43 min",
        f"{sum(float(run.cem43_min.max()) for run in quick):.2f} with five times the flow",
        (as_set("minutes", asked.minutes, "min"),),
        "heat.dose",
        digits=2,
    )
    judge.tell("cem43", dose)
    tip_cm2 = asked.tip_mm**2 / 400 * float(np.pi)
    rate = worked(
        "heating rate under the tip",
        heating_rate_c_s(asked.power_w, tip_cm2, asked.depth_mm, share),
        "°C/s",
        "η·P ÷ (tip × depth) ÷ ρc",
        (power, told, as_set("tip", tip_cm2, "cm²", 2)),
        "heat.pennes",
        digits=2,
    )
    judge.tell("rate", rate)
    stop = number("rf_bulk.stop")
    left = dwell_left_s(float(usual[0].surface_c[-1]), rate.value or 0, number("rf_bulk.dwell"), stop)
    judge.tell(
        "dwell",
        worked(
            "stay at one spot, at the end",
            left,
            "s",
            f"smaller of {number('rf_bulk.dwell'):g} s and ({stop:g} − T) ÷ rate",
            (rate,),
            "rf_bulk.dwell",
            "rf_bulk.stop",
            digits=2,
        ),
    )
    judge.tell(
        "pass",
        worked(
            "dose of a pass",
            pass_dose_j_cm2(asked.power_w, asked.speed_mm_s, asked.tip_mm),
            "J/cm²",
            "power ÷ (speed × tip)",
            (power, as_set("speed", asked.speed_mm_s, "mm/s", 0)),
            "heat.pass",
            digits=2,
        ),
    )
    if surface > stop:
        judge.refuse(
            "rf_bulk.stop", f"The surface would pass {stop:g} °C.", "power_w", "Less power, a larger zone, or shorter."
        )
    judge.warn("rf_bulk.dose.warn", dose, "minutes", "Shorter, or less power.")
    judge.most("rf_bulk.dose.stop", dose, "minutes", "Shorter, or less power.")
    judge.know("rf_bulk.peak")
    return answered(judge, _heat_curve(asked, usual, quick, stop), _dose_curve(usual, quick))


def _fitted(judge: Judge, asked: HeatIn) -> float:
    """The absorbed share that the readings ask for, and their own thermal dose."""
    (full,) = _heated(asked.model_copy(update={"cold_c": None}), 1.0, 1.0)
    (unheated,) = _heated(asked.model_copy(update={"cold_c": None}), 1.0, 1e-12)
    within = tuple(reading for reading in asked.readings if reading[0] <= asked.minutes * 60)
    share = asked.absorbed
    try:
        share = max(0.01, absorbed_share(within, unheated, full))
        judge.tell(
            "absorbed",
            worked(
                "absorbed share, fitted",
                share,
                "",
                f"least squares through {len(within)} readings",
                (),
                "rf_bulk.absorbed",
                digits=2,
            ),
        )
    except ValueError as unfit:
        judge.refuse("rf_bulk.reading", f"{unfit}.".capitalize(), "readings")
    if len(asked.readings) > 1:
        judge.tell(
            "measured",
            worked(
                "thermal dose of the readings",
                cem43_of(asked.readings),
                "CEM43 min",
                "straight between the readings",
                (),
                "heat.dose",
                digits=2,
            ),
        )
    judge.know("rf_bulk.reading")
    return share


def _heat_curve(asked: HeatIn, usual: tuple[HeatRun, ...], quick: tuple[HeatRun, ...], stop: float) -> Curve:
    def both(runs: tuple[HeatRun, ...], inside: bool) -> tuple[np.ndarray, np.ndarray]:
        y = hottest(runs) if inside else np.concatenate([runs[0].surface_c, *(run.surface_c[1:] for run in runs[1:])])
        return np.arange(len(y)) * DT / 60, y

    drawn = tuple(
        thread(name, *both(runs, inside))
        for name, runs, inside in (
            ("surface", usual, False),
            ("hottest", usual, True),
            ("surface, ×5 flow", quick, False),
            ("hottest, ×5 flow", quick, True),
        )
    )
    seen = (
        (Thread(name="readings", points=tuple((t / 60, c) for t, c in asked.readings), dots=True),)
        if asked.readings
        else ()
    )
    limits = (
        Limit(words="stop", at=stop, rule="rf_bulk.stop"),
        Limit(words="target", at=number("rf_bulk.target.least"), rule="rf_bulk.target.least"),
    )
    return Curve(title="Temperature over time", x="minutes", y="°C", threads=(*drawn, *seen), limits=limits)


def _dose_curve(usual: tuple[HeatRun, ...], quick: tuple[HeatRun, ...]) -> Curve:
    """Thermal dose of the hottest point as it grows."""

    def grown(runs: tuple[HeatRun, ...]) -> tuple[np.ndarray, np.ndarray]:
        peaks = hottest(runs)
        steps = np.array([cem43_min(float(c), DT / 60) for c in peaks[1:]])
        return np.arange(len(peaks)) * DT / 60, np.concatenate([[0.0], np.cumsum(steps)])

    drawn = tuple(thread(name, *grown(runs)) for name, runs in (("hottest", usual), ("hottest, ×5 flow", quick)))
    top = max(y for line in drawn for _, y in line.points)
    limits = tuple(
        Limit(words=words, at=number(rule_id), rule=rule_id)
        for words, rule_id in (("warn", "rf_bulk.dose.warn"), ("stop", "rf_bulk.dose.stop"))
        if top > number(rule_id) / 4
    )
    return Curve(title="Thermal dose over time", x="minutes", y="CEM43 min", threads=drawn, limits=limits)


class ThermalIn(Inputs):
    """A temperature for a time, or readings."""

    celsius: float = Field(42, ge=37, le=60, title="Temperature", json_schema_extra={"unit": "°C"})
    minutes: float = Field(5, ge=0.01, le=600, title="Minutes", json_schema_extra={"unit": "min"})
    material: Literal["metal", "glass", "plastic"] = Field("metal", title="Touching")


def thermal(asked: ThermalIn) -> Result:
    """CEM43, the burn integral, what a touched surface may have."""
    judge = Judge()
    warm, time = as_set("temperature", asked.celsius, "°C"), as_set("minutes", asked.minutes, "min")
    dose = worked(
        "thermal dose",
        cem43_min(asked.celsius, asked.minutes),
        "CEM43 min",
        "minutes × R^(43 − T)",
        (warm, time),
        "heat.dose",
        digits=2,
    )
    judge.tell("cem43", dose)
    judge.tell(
        "burn",
        worked(
            "burn integral; 1 is a burn",
            burn_integral(asked.celsius, asked.minutes * 60),
            "",
            "A·e^(−E ÷ RT) × seconds",
            (warm, time),
            "heat.burn",
            digits=3,
        ),
    )
    judge.tell(
        "contact",
        worked(
            f"{asked.material} may have, at most",
            contact_limit_c(asked.material, asked.minutes * 60),
            "°C",
            "next longer tabled contact",
            (time,),
            "heat.contact",
            digits=0,
        ),
    )
    judge.warn("rf_bulk.dose.warn", dose, "minutes", "Shorter, or cooler.")
    judge.most("rf_bulk.dose.stop", dose, "minutes", "Shorter, or cooler.")
    x = span(38, 46)
    curve = Curve(
        title="Minutes until the dose limits",
        x="°C",
        y="minutes",
        threads=tuple(
            thread(f"{words}, {number(rule_id):g}", x, [min(60.0, number(rule_id) / cem43_min(c, 1)) for c in x])
            for words, rule_id in (("warn", "rf_bulk.dose.warn"), ("stop", "rf_bulk.dose.stop"))
        ),
        limits=(Limit(words="asked", at=asked.celsius, across=False),),
    )
    return answered(judge, curve)


class InfraredIn(Inputs):
    """What an infrared thermometer shows."""

    reading_c: float = Field(42, ge=0, le=80, title="Reading", json_schema_extra={"unit": "°C"})
    set_emissivity: float = Field(0.95, ge=0.5, le=1, title="Set to emissivity")
    skin_emissivity: float = Field(0.98, ge=0.5, le=1, title="Skin’s emissivity")
    room_c: float = Field(22, ge=5, le=40, title="Room", json_schema_extra={"unit": "°C"})


def infrared(asked: InfraredIn) -> Result:
    """The skin behind a reading."""
    judge = Judge()
    inputs = (
        as_set("reading", asked.reading_c, "°C", 2),
        as_set("set to", asked.set_emissivity, "", 2),
        as_set("skin", asked.skin_emissivity, "", 2),
        as_set("room", asked.room_c, "°C"),
    )
    skin = skin_from_infrared_c(asked.reading_c, asked.set_emissivity, asked.skin_emissivity, asked.room_c)
    judge.tell("skin", worked("skin", skin, "°C", "Stefan–Boltzmann, turned round", inputs, "heat.infrared", digits=2))
    judge.tell(
        "off",
        worked(
            "reads too high by", asked.reading_c - skin, "°C", "reading − skin", inputs[:1], "heat.infrared", digits=2
        ),
    )
    judge.know("rf_bulk.reading")
    x = span(0.9, 1.0, 40)
    curve = Curve(
        title="What skin at 42 °C reads, by the emissivity set",
        x="emissivity set",
        y="°C",
        threads=(thread("reading", x, [infrared_reads_c(42, e, asked.skin_emissivity, asked.room_c) for e in x]),),
        limits=(Limit(words="set", at=asked.set_emissivity, across=False),),
    )
    return answered(judge, curve)


class FractionalIn(Inputs):
    """A fractional setting, and the one it steps from."""

    power_w: float = Field(5, ge=0.01, le=300, title="Power", json_schema_extra={"unit": "W"})
    pulse_ms: float = Field(20, ge=0.01, le=1000, title="Pulse", json_schema_extra={"unit": "ms"})
    per: Per = Field("tip", title="Watts of a")
    rows: int = Field(7, ge=1, le=40, title="Rows of pins")
    columns: int = Field(7, ge=1, le=40, title="Pins a row")
    across_mm: float = Field(10, ge=0.01, le=100, title="Tip, across", json_schema_extra={"unit": "mm"})
    down_mm: float = Field(10, ge=0.01, le=100, title="Tip, down", json_schema_extra={"unit": "mm"})
    passes: int = Field(1, ge=1, le=10, title="Passes")
    next_w: float = Field(6, ge=0.01, le=300, title="Next power", json_schema_extra={"unit": "W"})
    next_ms: float = Field(20, ge=0.01, le=1000, title="Next pulse", json_schema_extra={"unit": "ms"})


def fractional(asked: FractionalIn) -> Result:
    """Energy a pin and a cm², and how large the step is."""
    judge = Judge()
    pins, face = asked.rows * asked.columns, asked.across_mm * asked.down_mm / 100
    power, pulse, count = (
        as_set("power", asked.power_w, "W"),
        as_set("pulse", asked.pulse_ms, "ms", 0),
        as_set("pins", pins, "", 0),
    )
    pin = worked(
        "energy of a pin",
        pin_energy_mj(asked.power_w, asked.pulse_ms, pins, asked.per),
        "mJ",
        "power × pulse ÷ pins" if asked.per == "tip" else "power × pulse",
        (power, pulse, count),
        "rf_fractional.per",
        digits=2,
    )
    judge.tell("pin", pin)
    judge.most("rf_fractional.pin.most", pin, "pulse_ms")
    total = fluence_j_cm2(asked.power_w, asked.pulse_ms, pins, asked.per, face, asked.passes)
    judge.tell(
        "fluence",
        worked(
            "energy over the tip",
            total,
            "J/cm²",
            "pins × energy ÷ tip × passes",
            (pin, as_set("tip", face, "cm²", 2), as_set("passes", asked.passes, "", 0)),
            "rf_fractional.per",
            digits=3,
        ),
    )
    ratio = worked(
        "next beside this",
        step_ratio(asked.power_w, asked.pulse_ms, asked.next_w, asked.next_ms),
        "×",
        "power × pulse ÷ the same before",
        (power, pulse),
        "rf_fractional.step.most",
        digits=2,
    )
    judge.tell("step", ratio)
    judge.most("rf_fractional.step.most", ratio, "next_ms", "10 ms or 1 W, whichever is the smaller share.")
    return answered(judge)


class LinesIn(Inputs):
    """Focused lines over a place."""

    place: Place = Field("cheek", title="Place")
    depth_mm: float = Field(4.5, ge=0.01, le=15, title="Depth", json_schema_extra={"unit": "mm"})
    width_mm: float = Field(60, ge=0.01, le=400, title="Width across the lines", json_schema_extra={"unit": "mm"})
    spacing_mm: float = Field(3, ge=0.01, le=50, title="Between lines", json_schema_extra={"unit": "mm"})
    line_j: float = Field(0.5, ge=0.01, le=5, title="Energy a line", json_schema_extra={"unit": "J"})
    passes: int = Field(3, ge=1, le=10, title="Passes")


def focused(asked: LinesIn) -> Result:
    """Lines, joules, and whether the focus keeps clear of bone."""
    judge = Judge()
    rule_id = tissue_rule(asked.place)
    tissue, clear = (
        as_set("soft tissue", number(rule_id), "mm", 1, rule_id),
        as_set("short of bone by", number("focused_lifting.clear"), "mm", 1, "focused_lifting.clear"),
    )
    deepest = worked(
        "deepest focus here",
        (tissue.value or 0) - (clear.value or 0),
        "mm",
        "soft tissue − clearance",
        (tissue, clear),
        rule_id,
    )
    judge.tell("deepest", deepest)
    if too_deep(asked.depth_mm, tissue.value or 0, clear.value or 0):
        judge.refuse(
            "focused_lifting.clear",
            f"{asked.depth_mm:g} mm on the {asked.place}: {deepest.text} at most.",
            "depth_mm",
            "A shallower cartridge here.",
        )
    count = line_count(asked.width_mm, asked.spacing_mm) * asked.passes
    lines = worked(
        "lines",
        count,
        "",
        "(width ÷ spacing, rounded down, + 1) × passes",
        (
            as_set("width", asked.width_mm, "mm", 0),
            as_set("spacing", asked.spacing_mm, "mm"),
            as_set("passes", asked.passes, "", 0),
        ),
        digits=0,
    )
    judge.tell("lines", lines)
    line = as_set("energy a line", asked.line_j, "J", 2)
    judge.most("focused_lifting.line.most", line, "line_j")
    judge.tell(
        "joules",
        worked("energy in all", count * asked.line_j, "J", "lines × energy a line", (lines, line), "dose.energy"),
    )
    return answered(judge)


CALCULATIONS = (
    Calculation(
        "heat",
        "A warmed zone",
        GROUP,
        "Surface and hottest depth over time; the absorbed share by readings.",
        HeatIn,
        heat,
    ),
    Calculation(
        "thermal-dose", "Thermal dose", GROUP, "Minutes at a temperature, and what they amount to.", ThermalIn, thermal
    ),
    Calculation("infrared", "Infrared reading", GROUP, "The skin behind a reading.", InfraredIn, infrared),
    Calculation(
        "fractional", "Fractional energy", GROUP, "A pin's energy, and the size of a step.", FractionalIn, fractional
    ),
    Calculation("focused", "Focused lines", GROUP, "Lines, joules, depth against bone.", LinesIn, focused),
)
