"""Current and sound on the bench: density, dose, pulses, layouts, ultrasound."""

from typing import Literal

from pydantic import Field

from merak.core.bench.answer import Calculation, Curve, Inputs, Limit, Result, answered, span, thread
from merak.core.dose.current import (
    charge_mc,
    density_ma_cm2,
    dose_ma_min,
    hydroxide_umol,
    output_limit_ma,
    pulse_energy_mj,
    rms_ma,
    unbuffered_ph,
)
from merak.core.dose.sound import mean_intensity, minutes_over, share_at_depth
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.iontophoresis import Charge, pole_for
from merak.core.modality.shared import Judge, as_set, worked

needs(
    __name__,
    """
    W/cm²: ultrasound.ceiling ultrasound.equipment
    dB/cm/MHz: ultrasound.attenuation
    mA: galvanic.ceiling.current
    mA/cm²: galvanic.ceiling.density microcurrent.density.warn muscle_stimulation.density
    mA·min: galvanic.ceiling.dose
    mA·min/cm²: galvanic.ceiling.dose_density
    mJ: muscle_stimulation.pulse
    min: ultrasound.time
    µA: microcurrent.ceiling.current
    words: current.charge current.density current.faraday current.rms galvanic.dose galvanic.polarity
    words: muscle_stimulation.output ultrasound.mean
    """,
)

GROUP = "Current and sound"


class DensityIn(Inputs):
    """A current through a contact."""

    current_ua: float = Field(180, ge=0.01, le=20000, title="Current", json_schema_extra={"unit": "µA"})
    contact_cm2: float = Field(1.3, ge=0.01, le=500, title="Contact", json_schema_extra={"unit": "cm²"})
    minutes: float = Field(10, ge=0.01, le=120, title="Minutes", json_schema_extra={"unit": "min"})
    steady: bool = Field(False, title="Direct current")


def density(asked: DensityIn) -> Result:
    """Density and charge of a microcurrent, with its lines."""
    judge = Judge()
    current, contact, time = (
        as_set("current", asked.current_ua, "µA", 0),
        as_set("contact", asked.contact_cm2, "cm²", 2),
        as_set("minutes", asked.minutes, "min"),
    )
    found = worked(
        "current density",
        density_ma_cm2(asked.current_ua, asked.contact_cm2),
        "mA/cm²",
        "current ÷ contact",
        (current, contact),
        "current.density",
        digits=3,
    )
    judge.tell("density", found)
    judge.tell(
        "charge",
        worked(
            "charge",
            charge_mc(asked.current_ua, asked.minutes * 60),
            "mC",
            "current × minutes × 60",
            (current, time),
            "current.charge",
            digits=0,
        ),
    )
    judge.most("microcurrent.ceiling.current", current, "current_ua")
    line = number("microcurrent.density.warn")
    if asked.steady and (found.value or 0) >= line:
        judge.refuse(
            "microcurrent.density.warn",
            f"{found.text}: with direct current it stops at {line:g} mA/cm².",
            "contact_cm2",
            "A larger contact, or less.",
        )
    else:
        judge.warn("microcurrent.density.warn", found, "contact_cm2", "A larger contact, or less.")
    x = span(0.2, 10)
    curve = Curve(
        title="Density by contact",
        x="cm²",
        y="mA/cm²",
        threads=(thread("this current", x, [density_ma_cm2(asked.current_ua, a) for a in x]),),
        limits=(
            Limit(words="line", at=line, rule="microcurrent.density.warn"),
            Limit(words="contact", at=asked.contact_cm2, across=False),
        ),
    )
    return answered(judge, curve)


class GalvanicIn(Inputs):
    """A direct current for some minutes."""

    current_ma: float = Field(0.5, ge=0.01, le=20, title="Current", json_schema_extra={"unit": "mA"})
    electrode_cm2: float = Field(5, ge=0.01, le=200, title="Electrode", json_schema_extra={"unit": "cm²"})
    minutes: float = Field(6, ge=0.01, le=120, title="Minutes", json_schema_extra={"unit": "min"})
    water_ml: float = Field(2, ge=0.01, le=100, title="Liquid under it", json_schema_extra={"unit": "mL"})
    charge: Charge = Field("negative", title="Ingredient’s charge")
    polarity: Literal["positive", "negative"] = Field("negative", title="Working electrode")


def galvanic(asked: GalvanicIn) -> Result:
    """Density, mA·min, hydroxide by Faraday, the pH it could come to, the right pole."""
    judge = Judge()
    current, plate, time = (
        as_set("current", asked.current_ma, "mA", 2),
        as_set("electrode", asked.electrode_cm2, "cm²", 1),
        as_set("minutes", asked.minutes, "min"),
    )
    dense = worked(
        "current density",
        density_ma_cm2(asked.current_ma * 1000, asked.electrode_cm2),
        "mA/cm²",
        "current ÷ electrode",
        (current, plate),
        "current.density",
        digits=3,
    )
    total = worked(
        "dose",
        dose_ma_min(asked.current_ma, asked.minutes),
        "mA·min",
        "current × minutes",
        (current, time),
        "galvanic.dose",
        digits=2,
    )
    each = worked(
        "dose under the electrode",
        (total.value or 0) / asked.electrode_cm2,
        "mA·min/cm²",
        "dose ÷ electrode",
        (total, plate),
        "galvanic.dose",
        digits=3,
    )
    ions = worked(
        "hydroxide at the − pole, at most",
        hydroxide_umol(asked.current_ma, asked.minutes),
        "µmol",
        "dose × 60 ÷ Faraday constant",
        (total,),
        "current.faraday",
        digits=3,
    )
    for key, found in (("density", dense), ("dose", total), ("dose_density", each), ("hydroxide", ions)):
        judge.tell(key, found)
    judge.tell(
        "ph",
        worked(
            "pH it could come to, unbuffered",
            unbuffered_ph(ions.value or 0, asked.water_ml),
            "",
            "14 + log10(hydroxide ÷ liquid)",
            (ions, as_set("liquid", asked.water_ml, "mL")),
            "current.faraday",
            digits=2,
        ),
    )
    judge.most("galvanic.ceiling.density", dense, "current_ma")
    judge.most("galvanic.ceiling.current", current, "current_ma")
    judge.most("galvanic.ceiling.dose", total, "minutes")
    judge.most("galvanic.ceiling.dose_density", each, "minutes")
    wanted = pole_for(asked.charge)
    if wanted != asked.polarity:
        judge.refuse(
            "galvanic.polarity",
            f"A {asked.charge} ingredient goes from the {wanted} electrode.",
            "polarity",
            "Turn it round.",
        )
    x = span(0, max(10.0, asked.minutes))
    curve = Curve(
        title="pH at the cathode, unbuffered: the upper bound",
        x="minutes",
        y="pH",
        threads=(
            thread("unbuffered", x, [unbuffered_ph(hydroxide_umol(asked.current_ma, t), asked.water_ml) for t in x]),
        ),
        limits=(Limit(words="asked", at=asked.minutes, across=False),),
    )
    return answered(judge, curve)


class PulsesIn(Inputs):
    """Biphasic pulses through pads."""

    current_ma: float = Field(20, ge=0.01, le=200, title="Peak current", json_schema_extra={"unit": "mA"})
    width_us: float = Field(300, ge=20, le=2000, title="Phase width", json_schema_extra={"unit": "µs"})
    rate_hz: float = Field(50, ge=0.01, le=5000, title="Pulse rate", json_schema_extra={"unit": "Hz"})
    pad_cm2: float = Field(25, ge=0.01, le=500, title="Pad", json_schema_extra={"unit": "cm²"})


def pulses(asked: PulsesIn) -> Result:
    """R.m.s., density, energy of a pulse, the equipment's limit."""
    judge = Judge()
    peak, width, rate, pad = (
        as_set("peak current", asked.current_ma, "mA"),
        as_set("phase width", asked.width_us, "µs", 0),
        as_set("pulse rate", asked.rate_hz, "Hz", 0),
        as_set("pad", asked.pad_cm2, "cm²", 0),
    )
    if 2 * asked.width_us * 1e-6 * asked.rate_hz > 1:
        judge.refuse("current.rms", "Two phases of this width do not fit into a period at this rate.", "width_us")
        return answered(judge)
    rms = worked(
        "current, r.m.s.",
        rms_ma(asked.current_ma, asked.width_us, asked.rate_hz),
        "mA",
        "I × √(2 × width × rate)",
        (peak, width, rate),
        "current.rms",
        digits=3,
    )
    judge.tell("rms", rms)
    dense = worked(
        "density, r.m.s.",
        (rms.value or 0) / asked.pad_cm2,
        "mA/cm²",
        "r.m.s. ÷ pad",
        (rms, pad),
        "current.density",
        digits=4,
    )
    judge.tell("density", dense)
    energy = worked(
        "energy of a pulse",
        pulse_energy_mj(asked.current_ma, asked.width_us),
        "mJ",
        "I² × 500 Ω × width",
        (peak, width),
        "muscle_stimulation.pulse",
        digits=2,
    )
    judge.tell("pulse", energy)
    limit = output_limit_ma(asked.rate_hz)
    judge.tell(
        "limit",
        worked(
            "limit at this rate", limit, "mA", "by rate, into 500 Ω", (rate,), "muscle_stimulation.output", digits=0
        ),
    )
    judge.most("muscle_stimulation.output", rms, "current_ma", limit=limit)
    judge.most("muscle_stimulation.pulse", energy, "width_us")
    judge.warn("muscle_stimulation.density", dense, "pad_cm2", "Larger pads, or less.")
    return answered(judge)


class SoundIn(Inputs):
    """An ultrasound head over an area."""

    intensity_w_cm2: float = Field(0.3, ge=0.01, le=10, title="Intensity, peak", json_schema_extra={"unit": "W/cm²"})
    duty_percent: float = Field(50, ge=0.01, le=100, title="Duty", json_schema_extra={"unit": "%"})
    frequency_mhz: float = Field(3, ge=0.5, le=10, title="Frequency", json_schema_extra={"unit": "MHz"})
    depth_mm: float = Field(10, ge=0, le=60, title="Depth", json_schema_extra={"unit": "mm"})
    area_cm2: float = Field(30, ge=0.01, le=2000, title="Area", json_schema_extra={"unit": "cm²"})
    head_cm2: float = Field(5, ge=0.01, le=50, title="Radiating area", json_schema_extra={"unit": "cm²"})


def sound(asked: SoundIn) -> Result:
    """Mean intensity, what is left at depth, minutes."""
    judge = Judge()
    peak, duty = (
        as_set("intensity, peak", asked.intensity_w_cm2, "W/cm²", 2),
        as_set("duty", asked.duty_percent, "%", 0),
    )
    judge.most("ultrasound.equipment", peak, "intensity_w_cm2")
    judge.most("ultrasound.ceiling", peak, "intensity_w_cm2")
    mean = worked(
        "mean intensity",
        mean_intensity(asked.intensity_w_cm2, asked.duty_percent / 100),
        "W/cm²",
        "peak × duty",
        (peak, duty),
        "ultrasound.mean",
        digits=3,
    )
    judge.tell("mean", mean)
    loss = number("ultrasound.attenuation")
    share = worked(
        "share left at that depth",
        share_at_depth(asked.frequency_mhz, asked.depth_mm / 10, loss),
        "",
        "10^(−0.07 × MHz × cm)",
        (as_set("frequency", asked.frequency_mhz, "MHz"), as_set("depth", asked.depth_mm, "mm")),
        "ultrasound.attenuation",
        digits=3,
    )
    judge.tell("share", share)
    judge.tell(
        "at_depth",
        worked(
            "mean intensity there",
            (mean.value or 0) * (share.value or 0),
            "W/cm²",
            "mean × share",
            (mean, share),
            "ultrasound.attenuation",
            digits=3,
        ),
    )
    area, head = as_set("area", asked.area_cm2, "cm²", 0), as_set("radiating area", asked.head_cm2, "cm²", 1)
    judge.tell(
        "minutes",
        worked(
            "minutes",
            minutes_over(asked.area_cm2, asked.head_cm2, asked.duty_percent / 100, number("ultrasound.time")),
            "min",
            "area ÷ radiating area ÷ duty",
            (area, head, duty),
            "ultrasound.time",
        ),
    )
    x = span(0, 40)
    curve = Curve(
        title="Left at depth",
        x="mm",
        y="share",
        threads=tuple(
            thread(f"{f:g} MHz", x, [share_at_depth(f, z / 10, loss) for z in x])
            for f in sorted({1.0, 3.0, asked.frequency_mhz})
        ),
        limits=(Limit(words="asked", at=asked.depth_mm, across=False),),
    )
    return answered(judge, curve)


CALCULATIONS = (
    Calculation(
        "density",
        "Microcurrent density",
        GROUP,
        "What a probe's contact makes of a current.",
        DensityIn,
        density,
        (("current_ua", "microcurrent.current"),),
    ),
    Calculation(
        "galvanic", "Galvanic dose", GROUP, "Density, mA·min, hydroxide, the right pole.", GalvanicIn, galvanic
    ),
    Calculation(
        "pulses", "Muscle pulses", GROUP, "R.m.s. and energy against the equipment's limits.", PulsesIn, pulses
    ),
    Calculation("sound", "Ultrasound", GROUP, "Mean intensity, depth, minutes.", SoundIn, sound),
)
