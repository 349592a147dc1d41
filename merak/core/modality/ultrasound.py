"""Ultrasound infusion: intensity, time by area, what is left at depth."""

from collections.abc import Iterable
from math import ceil
from typing import Any, ClassVar

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.sound import mean_intensity, minutes_over, share_at_depth
from merak.core.knowledge import number, quantity
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, by_the_clock
from merak.core.modality.shared import (
    Amount,
    Circumstances,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    gel_ml,
    physical,
    started,
    worked,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    passes: chair.pass.ultrasound
    %: device.unknown_share
    W/cm²: ultrasound.ceiling ultrasound.equipment ultrasound.start ultrasound.usual
    dB/cm/MHz: ultrasound.attenuation
    MHz: ultrasound.frequency
    min: ultrasound.longest ultrasound.time
    step: ultrasound.adjust.bone ultrasound.adjust.reacted ultrasound.adjust.sensitive ultrasound.adjust.thin
    words: device.tip ultrasound.mean
    """,
)

NAME = "ultrasound"
CARD = scaled(NAME, "W/cm²")
INCREMENT = Increment("at")
AMOUNT = Amount("mean")
WAYS = Ways(passes="chair.pass.ultrasound", amounts={"gel": ""})


class Settings(Base):
    """What is set: intensity on the card's scale, duty, frequency, the head's radiating area, how long."""

    BY_AREA: ClassVar[frozenset[str]] = frozenset({"minutes"})
    at: float = Field(ge=0, le=100, title="Set to")
    duty_percent: float = Field(50, ge=5, le=100, title="Duty", json_schema_extra={"unit": "%"})
    frequency_mhz: float = Field(3, ge=0.8, le=10, title="Frequency", json_schema_extra={"unit": "MHz"})
    head_cm2: float = Field(5, ge=0.5, le=30, title="Radiating area", json_schema_extra={"unit": "cm²"})
    minutes: float = Field(8, ge=0.5, le=60, title="Minutes", json_schema_extra={"unit": "min"})
    depth_mm: float = Field(5, ge=0, le=50, title="Told at a depth of", json_schema_extra={"unit": "mm"})
    film_mm: float = Field(1, ge=0.01, le=5, title="Film", json_schema_extra={"unit": "mm"})
    face: bool = Field(True, title="On the face")

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Whether it goes over a face, with its sinuses."""
        return {"face": around.plate == "face"}


def start(card: MachineCard, subject: Subject) -> Start:
    """A low intensity; minutes for the area with this head, as far as the clock allows."""
    usual = quantity(f"{NAME}.start", "start", 2)
    at = card.at(usual.value or 0)
    base = worked("on the scale", at, card.scale, f"the {card.name}'s setting for it", (usual,), *usual.rules, digits=2)
    if at is None:
        base = as_set("lowest of the scale", card.least, card.scale, 2, "device.unknown_share")
    found = started(NAME, card.step, card.least, card.most, subject, card.scale, 2, base)
    tip = card.tip("")
    head = tip.area_cm2 if tip else 5.0
    tenths = ceil(10 * minutes_over(subject.area_cm2, head, 0.5) - 1e-9)
    minutes = min(max(0.5, tenths / 10), number(f"{NAME}.longest"))
    return Start(Settings(at=found.value or card.least, head_cm2=head, minutes=minutes), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Peak and mean intensity, what is left at depth, the minutes that the area asks for."""
    judge = Judge()
    peak = physical(judge, "intensity", card, settings.at)
    duty = as_set("duty", settings.duty_percent, "%", 0)
    known = peak.value or 0
    if settings.face:
        frequency = as_set("frequency", settings.frequency_mhz, "MHz", 1)
        judge.least(f"{NAME}.frequency", frequency, "frequency_mhz", "A 3 MHz head, or a body.")
    judge.most(f"{NAME}.equipment", peak, "at")
    judge.most(f"{NAME}.ceiling", peak, "at")
    if known > number(f"{NAME}.usual") + 1e-9:
        judge.warn(f"{NAME}.usual", peak, "at", "Lower on a face.")
    mean = worked(
        "mean intensity",
        mean_intensity(known, settings.duty_percent / 100),
        "W/cm²",
        "peak × duty",
        (peak, duty),
        f"{NAME}.mean",
        digits=2,
    )
    judge.tell("mean", mean)
    depth = as_set("depth", settings.depth_mm, "mm", 1)
    left = share_at_depth(settings.frequency_mhz, settings.depth_mm / 10, number(f"{NAME}.attenuation"))
    at_depth = worked(
        "left at that depth",
        (mean.value or 0) * left,
        "W/cm²",
        "mean × 10^(−0.07 × MHz × cm)",
        (mean, depth, as_set("frequency", settings.frequency_mhz, "MHz")),
        f"{NAME}.attenuation",
        digits=3,
    )
    judge.tell("at_depth", at_depth)
    head = as_set("radiating area", settings.head_cm2, "cm²", 1, "device.tip")
    wanted = minutes_over(subject.area_cm2, settings.head_cm2, settings.duty_percent / 100, number(f"{NAME}.time"))
    judge.tell(
        "wanted",
        worked(
            "minutes that the area asks for",
            wanted,
            "min",
            "area ÷ radiating area ÷ duty",
            (subject.area, head, duty),
            f"{NAME}.time",
        ),
    )
    time = as_set("minutes", settings.minutes, "min", 1)
    judge.tell("minutes", time)
    judge.gives("sound", time, f"{NAME}.longest", "minutes")
    if wanted > settings.minutes:
        words = f"The area asks for {wanted:.0f} minutes with this head; {settings.minutes:g} are planned."
        judge.change(f"{NAME}.time", words, "Choose the zones that matter most, or a larger head.", "minutes")
    judge.tell("gel", gel_ml(NAME, subject, settings.film_mm))
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Section by section, against the clock."""
    return by_the_clock(make, "Head off.")
