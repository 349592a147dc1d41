"""Light on the bench: fluence, distance, programmes, pulse trains, the day a spot is read, depth."""

from datetime import datetime, timedelta
from typing import Literal

from pydantic import Field, model_validator

from merak.core.bench.answer import Calculation, Curve, Inputs, Limit, Result, answered, span, thread
from merak.core.dose.light import disc_share, fluence_j_cm2, irradiance_at, minutes_for, photon_ev
from merak.core.dose.pulses import (
    adiabatic_rise,
    baseline_mu_a,
    cooling_curve,
    epidermis_mu_a,
    penetration_mm,
    reduced_scattering,
    relaxation_ms,
    train,
)
from merak.core.knowledge import caution, number
from merak.core.knowledge.register import needs
from merak.core.modality.device import Colour
from merak.core.modality.pulsed_light import DARK, delay_for
from merak.core.modality.shared import Judge, as_set, worked

needs(
    __name__,
    """
    1/cm: pulsed_light.blood
    J/cm²: led.ceiling.amber_fluence led.ceiling.blue_fluence led.ceiling.near_infrared_fluence
    J/cm²: led.ceiling.red_fluence led.low_fluence
    h: acid.spot pulsed_light.spot pulsed_light.spot.dark
    min: led.ceiling.minutes rf_fractional.spot
    ms: pulsed_light.epidermis_tau pulsed_light.width.least
    phototype: pulsed_light.never
    share: pulsed_light.melanin.1 pulsed_light.melanin.2 pulsed_light.melanin.3 pulsed_light.melanin.4
    share: pulsed_light.melanin.5 pulsed_light.melanin.6
    words: led.add led.distance led.duty led.fluence pulsed_light.relative pulsed_light.relaxation
    """,
)

GROUP = "Light"


class FluenceIn(Inputs):
    """How much light a place takes."""

    irradiance_mw_cm2: float = Field(40, ge=0.01, le=2000, title="Irradiance", json_schema_extra={"unit": "mW/cm²"})
    minutes: float = Field(20, ge=0.01, le=120, title="Minutes", json_schema_extra={"unit": "min"})
    duty_percent: float = Field(100, ge=0.01, le=100, title="Duty", json_schema_extra={"unit": "%"})
    colour: Colour = Field("red", title="Colour")
    wavelength_nm: float = Field(633, ge=200, le=2000, title="Wavelength", json_schema_extra={"unit": "nm"})


def fluence(asked: FluenceIn) -> Result:
    """Fluence over minutes, with its ceiling."""
    judge = Judge()
    bright, time = as_set("irradiance", asked.irradiance_mw_cm2, "mW/cm²"), as_set("minutes", asked.minutes, "min")
    duty = as_set("duty", asked.duty_percent, "%", 0)
    share = asked.duty_percent / 100
    value = fluence_j_cm2(asked.irradiance_mw_cm2, asked.minutes, share)
    found = worked(
        "fluence",
        value,
        "J/cm²",
        "irradiance × minutes × 60 ÷ 1000 × duty",
        (bright, time, duty),
        "led.fluence",
        "led.duty",
    )
    judge.tell("fluence", found)
    rule_id = f"led.ceiling.{asked.colour.replace('-', '_')}_fluence"
    judge.most(rule_id, found, "minutes")
    longest = minutes_for(number(rule_id), asked.irradiance_mw_cm2, share)
    judge.tell(
        "minutes_most",
        worked(
            "minutes to the ceiling",
            longest,
            "min",
            "ceiling ÷ irradiance ÷ duty",
            (as_set("ceiling", number(rule_id), "J/cm²", 0, rule_id), bright, duty),
            rule_id,
        ),
    )
    judge.tell(
        "photon",
        worked(
            "energy of a photon",
            photon_ev(asked.wavelength_nm),
            "eV",
            "h·c ÷ wavelength",
            (as_set("wavelength", asked.wavelength_nm, "nm", 0),),
            digits=3,
        ),
    )
    end = max(asked.minutes, longest) * 1.15
    x = span(0, end, 60)
    curve = Curve(
        title="Fluence over minutes",
        x="minutes",
        y="J/cm²",
        threads=(thread(asked.colour, x, [fluence_j_cm2(asked.irradiance_mw_cm2, t, share) for t in x]),),
        limits=(
            Limit(words="ceiling", at=number(rule_id), rule=rule_id),
            Limit(words="little below", at=number("led.low_fluence"), rule="led.low_fluence"),
            Limit(words="asked", at=asked.minutes, across=False),
        ),
    )
    return answered(judge, curve)


class DistanceIn(Inputs):
    """A panel's measured points, and where it is held."""

    distance_cm: float = Field(12, ge=0.01, le=200, title="Distance", json_schema_extra={"unit": "cm"})
    points: tuple[tuple[float, float], ...] = Field(
        ((5, 96), (10, 62), (15, 41), (25, 20)),
        max_length=40,
        title="Measured points",
        json_schema_extra={"unit": "cm, mW/cm²"},
    )
    angle_deg: float = Field(0, ge=0, le=89, title="Tilt", json_schema_extra={"unit": "°"})
    face_mw_cm2: float | None = Field(
        None, ge=0.01, le=5000, title="Without points: at its face", json_schema_extra={"unit": "mW/cm²"}
    )
    radius_cm: float = Field(15, ge=0.01, le=100, title="Without points: its radius", json_schema_extra={"unit": "cm"})

    @model_validator(mode="after")
    def _measured(self) -> "DistanceIn":
        if any(distance <= 0 or bright <= 0 for distance, bright in self.points):
            raise ValueError("measured points must be positive")
        if len({distance for distance, _ in self.points}) < len(self.points):
            raise ValueError("each distance is measured once")
        return self


def distance(asked: DistanceIn) -> Result:
    """Irradiance at a distance: log–log between measured points, a disc without any, unknown beyond them."""
    judge = Judge()
    far, tilt = as_set("distance", asked.distance_cm, "cm"), as_set("tilt", asked.angle_deg, "°", 0)
    cosine = disc_share(0, 1, asked.angle_deg)
    if asked.points:
        straight = irradiance_at(asked.distance_cm, asked.points)
        formula, rule_id = "log–log between measured points × cos(tilt)", "led.distance"
        reach = span(min(d for d, _ in asked.points), max(d for d, _ in asked.points))
        y = [(irradiance_at(d, asked.points) or 0) * cosine for d in reach]
        if straight is None:
            judge.refuse(
                "led.distance",
                f"Measured from {reach[0]:g} to {reach[-1]:g} cm: beyond, nothing is known.",
                "distance_cm",
            )
    else:
        straight = (
            None if asked.face_mw_cm2 is None else asked.face_mw_cm2 * disc_share(asked.distance_cm, asked.radius_cm)
        )
        formula, rule_id = "at its face × R² ÷ (R² + d²) × cos(tilt), a model", "led.distance"
        reach = span(0.5, max(40.0, asked.distance_cm))
        y = [(asked.face_mw_cm2 or 0) * disc_share(d, asked.radius_cm, asked.angle_deg) for d in reach]
        judge.change("led.distance", "A disc model, not a measurement.", "Have the panel measured.", "points")
    value = None if straight is None else straight * cosine
    found = worked("irradiance", value, "mW/cm²", formula, (far, tilt), rule_id)
    judge.tell("irradiance", found)
    curve = Curve(
        title="Irradiance by distance",
        x="cm",
        y="mW/cm²",
        threads=(thread("irradiance", reach, y),),
        limits=(Limit(words="held", at=asked.distance_cm, across=False),),
    )
    return answered(judge, curve)


class ProgrammeIn(Inputs):
    """Several colours, one after the other or heads together."""

    red_mw_cm2: float = Field(40, ge=0, le=2000, title="Red", json_schema_extra={"unit": "mW/cm²"})
    red_minutes: float = Field(10, ge=0, le=120, title="Red for", json_schema_extra={"unit": "min"})
    blue_mw_cm2: float = Field(20, ge=0, le=2000, title="Blue", json_schema_extra={"unit": "mW/cm²"})
    blue_minutes: float = Field(5, ge=0, le=120, title="Blue for", json_schema_extra={"unit": "min"})
    near_infrared_mw_cm2: float = Field(0, ge=0, le=2000, title="Near-infrared", json_schema_extra={"unit": "mW/cm²"})
    near_infrared_minutes: float = Field(0, ge=0, le=120, title="Near-infrared for", json_schema_extra={"unit": "min"})
    amber_mw_cm2: float = Field(0, ge=0, le=2000, title="Amber", json_schema_extra={"unit": "mW/cm²"})
    amber_minutes: float = Field(0, ge=0, le=120, title="Amber for", json_schema_extra={"unit": "min"})
    duty_percent: float = Field(100, ge=0.01, le=100, title="Duty", json_schema_extra={"unit": "%"})
    together: bool = Field(False, title="Heads together")


def programme(asked: ProgrammeIn) -> Result:
    """Fluence of each colour and of all, and the minutes."""
    judge = Judge()
    parts = []
    for colour in ("red", "blue", "near_infrared", "amber"):
        bright, minutes = getattr(asked, f"{colour}_mw_cm2"), getattr(asked, f"{colour}_minutes")
        if bright and minutes:
            words = colour.replace("_", "-")
            found = worked(
                f"fluence, {words}",
                fluence_j_cm2(bright, minutes, asked.duty_percent / 100),
                "J/cm²",
                "irradiance × minutes × 60 ÷ 1000 × duty",
                (as_set("irradiance", bright, "mW/cm²"), as_set("minutes", minutes, "min")),
                "led.fluence",
            )
            judge.tell(colour, found)
            judge.most(f"led.ceiling.{colour}_fluence", found, f"{colour}_minutes")
            parts.append((found, minutes))
    total = worked(
        "fluence, all colours",
        sum(found.value or 0 for found, _ in parts),
        "J/cm²",
        "they add",
        tuple(found for found, _ in parts),
        "led.add",
    )
    judge.tell("fluence", total)
    minutes = [minutes for _, minutes in parts]
    time = worked(
        "minutes",
        (max(minutes) if asked.together else sum(minutes)) if minutes else 0.0,
        "min",
        "the longest" if asked.together else "one after the other",
        (),
        "led.add",
    )
    judge.tell("minutes", time)
    judge.most("led.ceiling.minutes", time, "red_minutes")
    return answered(judge)


class TrainIn(Inputs):
    """A train of sub-pulses on skin."""

    fluence_j_cm2: float = Field(18, ge=0.01, le=100, title="Fluence in all", json_schema_extra={"unit": "J/cm²"})
    cutoff_nm: float = Field(590, ge=400, le=1200, title="Filter from", json_schema_extra={"unit": "nm"})
    pulses: int = Field(2, ge=1, le=6, title="Sub-pulses")
    width_ms: float = Field(4, ge=0.01, le=100, title="Width", json_schema_extra={"unit": "ms"})
    delay_ms: float = Field(25, ge=0.01, le=500, title="Delay between", json_schema_extra={"unit": "ms"})
    phototype: int = Field(2, ge=1, le=6, title="Phototype")
    target_um: float = Field(100, ge=5, le=1000, title="Vessel", json_schema_extra={"unit": "µm"})
    backscatter: float = Field(2, ge=1, le=4, title="Build-up by scattering")


def pulse_train(asked: TrainIn) -> Result:
    """Relative heating of epidermis and vessel through the train; the guards of width and delay."""
    judge = Judge()
    each, period = asked.fluence_j_cm2 / asked.pulses, asked.width_ms + asked.delay_ms
    tau, skin_tau = relaxation_ms(asked.target_um), number("pulsed_light.epidermis_tau")
    judge.tell(
        "relaxation",
        worked(
            "vessel’s relaxation time",
            tau,
            "ms",
            "d² ÷ 16κ",
            (as_set("vessel", asked.target_um, "µm", 0),),
            "pulsed_light.relaxation",
        ),
    )
    melanin = number(f"pulsed_light.melanin.{asked.phototype}")
    skin = train(
        adiabatic_rise(epidermis_mu_a(asked.cutoff_nm, melanin), each, asked.backscatter),
        asked.width_ms,
        period,
        asked.pulses,
        skin_tau,
    )
    vessel = train(
        adiabatic_rise(number("pulsed_light.blood"), each, asked.backscatter), asked.width_ms, period, asked.pulses, tau
    )
    light = as_set("fluence of a sub-pulse", each, "J/cm²")
    share = as_set("melanin share", melanin, "", 2, f"pulsed_light.melanin.{asked.phototype}")
    judge.tell(
        "epidermis",
        worked(
            "epidermis, relative peak",
            max(skin),
            "relative",
            "µa·F·β ÷ ρc, through the train",
            (light, share),
            "pulsed_light.relative",
            "pulsed_light.epidermis_tau",
        ),
    )
    judge.tell(
        "vessel",
        worked(
            "vessel, relative peak",
            max(vessel),
            "relative",
            "the same for the vessel",
            (light,),
            "pulsed_light.relative",
            "pulsed_light.blood",
        ),
    )
    judge.tell(
        "ratio",
        worked(
            "vessel beside epidermis",
            max(vessel) / max(skin),
            "×",
            "peak ÷ peak",
            (),
            "pulsed_light.relative",
            digits=2,
        ),
    )
    judge.least("pulsed_light.width.least", as_set("width", asked.width_ms, "ms"), "width_ms")
    if asked.pulses > 1:
        judge.least(delay_for(asked.phototype), as_set("delay", asked.delay_ms, "ms"), "delay_ms")
    if asked.phototype >= number("pulsed_light.never"):
        judge.refuse("pulsed_light.never", "Never on phototype VI.", "phototype")
    judge.know("pulsed_light.relative")
    until = asked.pulses * period + 60
    drawn = tuple(
        thread(name, [x for x, _ in points], [y for _, y in points])
        for name, points in (
            ("epidermis", cooling_curve(skin, asked.width_ms, period, skin_tau, until)),
            ("vessel", cooling_curve(vessel, asked.width_ms, period, tau, until)),
        )
    )
    return answered(judge, Curve(title="Relative heating through the train", x="ms", y="relative", threads=drawn))


class SpotIn(Inputs):
    """When a test spot was set."""

    method: Literal["pulsed light", "fractional radiofrequency", "acid"] = Field("pulsed light", title="Of")
    set_at: datetime = Field(datetime(2026, 1, 5, 10, 0), title="Set on")
    phototype: int = Field(2, ge=1, le=6, title="Phototype")


def spot(asked: SpotIn) -> Result:
    """The earliest moment at which it may be read."""
    judge = Judge()
    dark = asked.phototype >= DARK
    rule_id, hours = {
        "pulsed light": ("pulsed_light.spot.dark", number("pulsed_light.spot.dark"))
        if dark
        else ("pulsed_light.spot", number("pulsed_light.spot")),
        "fractional radiofrequency": ("rf_fractional.spot", number("rf_fractional.spot") / 60),
        "acid": ("acid.spot", number("acid.spot")),
    }[asked.method]
    when = asked.set_at + timedelta(hours=hours)
    judge.tell(
        "hours",
        worked(
            f"read from {when:%a %-d %b %Y, %H:%M}",
            hours,
            "h",
            "set + waiting time",
            (),
            rule_id,
            digits=2 if hours < 1 else 0,
        ),
    )
    judge.mind.append(caution(rule_id))
    return answered(judge)


class DepthIn(Inputs):
    """How deep light goes."""

    wavelength_nm: float = Field(633, ge=400, le=1100, title="Wavelength", json_schema_extra={"unit": "nm"})
    absorption_cm: float | None = Field(
        None, ge=0.01, le=100, title="Absorption, if known", json_schema_extra={"unit": "1/cm"}
    )


def depth(asked: DepthIn) -> Result:
    """Reduced scattering, absorption, the depth at which 1/e is left."""
    judge = Judge()
    absorbs = baseline_mu_a(asked.wavelength_nm) if asked.absorption_cm is None else asked.absorption_cm
    wave = as_set("wavelength", asked.wavelength_nm, "nm", 0)
    mu_a = worked(
        "absorption",
        absorbs,
        "1/cm",
        "skin without melanin and blood" if asked.absorption_cm is None else "as given",
        (wave,),
        digits=3,
    )
    mu_s = worked(
        "reduced scattering",
        reduced_scattering(asked.wavelength_nm),
        "1/cm",
        "46 × (λ ÷ 500)^−1.421",
        (wave,),
        digits=2,
    )
    judge.tell("absorption", mu_a)
    judge.tell("scattering", mu_s)
    judge.tell(
        "depth",
        worked(
            "depth at which 1/e is left",
            penetration_mm(absorbs, mu_s.value or 0),
            "mm",
            "1 ÷ √(3·µa·(µa + µs′))",
            (mu_a, mu_s),
            digits=2,
        ),
    )
    x = span(400, 1100)
    y = [penetration_mm(baseline_mu_a(w), reduced_scattering(w)) for w in x]
    return answered(
        judge,
        Curve(
            title="Depth by wavelength, skin without melanin and blood",
            x="nm",
            y="mm",
            threads=(thread("depth", x, y),),
            limits=(Limit(words="asked", at=asked.wavelength_nm, across=False),),
        ),
    )


CALCULATIONS = (
    Calculation(
        "fluence",
        "Fluence of a light",
        GROUP,
        "Irradiance and minutes to J/cm², and how long until the ceiling.",
        FluenceIn,
        fluence,
        (("minutes_most", "led.minutes"),),
    ),
    Calculation(
        "distance", "Light at a distance", GROUP, "Between measured points, never past them.", DistanceIn, distance
    ),
    Calculation(
        "programme",
        "Programme of colours",
        GROUP,
        "What several colours add up to.",
        ProgrammeIn,
        programme,
        (("minutes", "led.minutes"),),
    ),
    Calculation("pulse-train", "Pulse train", GROUP, "Relative heating of epidermis and vessel.", TrainIn, pulse_train),
    Calculation("test-spot", "Reading a test spot", GROUP, "The earliest moment it may be read.", SpotIn, spot),
    Calculation("depth", "How deep light goes", GROUP, "Scattering, absorption, depth.", DepthIn, depth),
)
