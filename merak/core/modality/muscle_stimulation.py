"""Body muscle stimulation: current by limb, pattern by session, r.m.s. and density, where the pads lie with + and −."""

from collections.abc import Iterable
from typing import Any, Literal, NamedTuple

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.current import density_ma_cm2, output_limit_ma, pulse_energy_mj, rms_ma
from merak.core.knowledge import number, quantity
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making
from merak.core.modality.shared import (
    Amount,
    Circumstances,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    physical,
    started,
    worked,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    %: device.unknown_share
    mA: muscle_stimulation.most.arm muscle_stimulation.most.thigh muscle_stimulation.start.arm
    mA: muscle_stimulation.start.thigh
    mA/cm²: muscle_stimulation.density
    mJ: muscle_stimulation.pulse
    min: muscle_stimulation.minutes
    sessions: muscle_stimulation.course
    step: muscle_stimulation.adjust.first_visit muscle_stimulation.adjust.reacted muscle_stimulation.adjust.sensitive
    words: current.density current.rms device.tip muscle_stimulation.output
    """,
)

NAME = "muscle_stimulation"
CARD = scaled(NAME, "mA")
INCREMENT = Increment("at")
AMOUNT = Amount("current")
WAYS = Ways()
Limb = Literal["thigh", "arm"]
Pattern = Literal["crossed", "parallel"]


class Settings(Base):
    """What is set: the current on the card's scale, the pattern and the minutes in front and behind."""

    limb: Limb = Field("thigh", title="Limb")
    at: float = Field(20, ge=0, le=200, title="Set to")
    session: int = Field(1, ge=1, le=3, title="Session of the course")
    minutes: float = Field(30, ge=1, le=60, title="Each aspect", json_schema_extra={"unit": "min"})
    width_us: float = Field(300, ge=20, le=1000, title="Phase width", json_schema_extra={"unit": "µs"})
    rate_hz: float = Field(50, ge=0.5, le=2000, title="Pulse rate", json_schema_extra={"unit": "Hz"})
    tip: str = Field("", title="Band or pad")

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """The limb that it lies on."""
        return {"limb": "arm" if around.plate.startswith("arm") else "thigh"}

    @property
    def pattern(self) -> Pattern:
        """The thigh is crossed at the first session; all else lies parallel (rule muscle_stimulation.course)."""
        return "crossed" if self.limb == "thigh" and self.session == 1 else "parallel"


class Pad(NamedTuple):
    """One pad on a limb: its output, its sign, how far down the limb (0 to 1) and how far across (0 inner to 1 outer),
    front or back.
    """

    output: int
    sign: Literal["+", "−"]
    down: float
    across: float
    aspect: Literal["front", "back"]


def layout(limb: Limb, pattern: Pattern) -> tuple[Pad, ...]:
    """Where the pads lie: positive low, negative high; crossed pairs run diagonally, parallel ones along the muscle,
    each on one limb.
    """
    outputs: list[tuple[int, float, Literal["front", "back"]]] = (
        [(1, 0.3, "front"), (2, 0.7, "front"), (3, 0.3, "back"), (4, 0.7, "back")]
        if limb == "thigh"
        else [(1, 0.5, "front"), (2, 0.3, "back"), (3, 0.7, "back")]
    )
    pads: list[Pad] = []
    for output, across, aspect in outputs:
        opposite = 1 - across if pattern == "crossed" else across
        pads += [Pad(output, "+", 0.75, across, aspect), Pad(output, "−", 0.25, opposite, aspect)]
    return tuple(pads)


def start(card: MachineCard, subject: Subject, limb: Limb = "thigh") -> Start:
    """The limb's start current, on the card's scale, less what this client asks for."""
    usual = quantity(f"{NAME}.start.{limb}", f"start on the {limb}")
    at = card.at(usual.value or 0)
    base = worked("on the scale", at, card.scale, f"the {card.name}'s setting for it", (usual,), *usual.rules)
    if at is None:
        base = as_set("lowest of the scale", card.least, card.scale, 1, "device.unknown_share")
    found = started(NAME, card.step, card.least, card.most, subject, card.scale, base=base)
    return Start(Settings(limb=limb, at=found.value or card.least, minutes=number(f"{NAME}.minutes")), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Current, r.m.s., density, energy of a pulse, minutes; nothing passes the equipment's limits."""
    judge = Judge()
    current = physical(judge, "current", card, settings.at)
    width, rate = as_set("phase width", settings.width_us, "µs", 0), as_set("pulse rate", settings.rate_hz, "Hz", 0)
    if 2 * settings.width_us * 1e-6 * settings.rate_hz > 1:
        judge.refuse("current.rms", "Two phases of this width do not fit into a period at this rate.", "width_us")
        return judge.dose()
    known: Any = current.value if current.value is not None else 0.0
    rms = worked(
        "current, r.m.s.",
        rms_ma(known, settings.width_us, settings.rate_hz),
        "mA",
        "I × √(2 × width × rate)",
        (current, width, rate),
        "current.rms",
        digits=2,
    )
    judge.tell("rms", rms)
    judge.most(f"{NAME}.output", rms, "at", limit=output_limit_ma(settings.rate_hz))
    judge.most(f"{NAME}.most.{settings.limb}", current, "at", "Small muscles cramp.")
    energy = worked(
        "energy of a pulse",
        pulse_energy_mj(known, settings.width_us),
        "mJ",
        "I² × 500 Ω × width",
        (current, width),
        f"{NAME}.pulse",
        digits=2,
    )
    judge.tell("pulse", energy)
    judge.most(f"{NAME}.pulse", energy, "width_us")
    tip = card.tip(settings.tip)
    if tip is not None:
        pad = as_set("area of a pad", tip.area_cm2, "cm²", 0, "device.tip")
        dense = worked(
            "density, r.m.s.",
            density_ma_cm2((rms.value or 0) * 1000, tip.area_cm2),
            "mA/cm²",
            "r.m.s. ÷ area",
            (rms, pad),
            "current.density",
            digits=3,
        )
        judge.tell("density", dense)
        judge.warn(f"{NAME}.density", dense, "at", "Larger pads, or less.")
    aspect = as_set("each aspect", settings.minutes, "min", 0, f"{NAME}.minutes")
    judge.exposes("muscle current", aspect, f"{NAME}.minutes")
    judge.tell(
        "minutes",
        worked("minutes, front and back", 2 * settings.minutes, "min", "2 × each aspect", (aspect,), digits=0),
    )
    judge.know(f"{NAME}.course")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """In front, then behind: the bands are moved between."""
    yield make.ready("Bands")
    for aspect, words in (
        ("front", "Raise by comfort, never past it."),
        ("back", "Down to zero, move the bands, raise again by comfort."),
    ):
        named, half = f"Stimulation, {aspect}", make.own_s / 2
        yield make.act("timed", named, half, words, over="Current down to zero.", **make.machine)
