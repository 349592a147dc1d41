"""Micro needling: pen or roller, depth by licence and zone, punctures, untouched share, rows, minutes."""

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.needles import pen_density_cm2, roller_density_cm2, untouched_share
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, counted
from merak.core.modality.needling import beside_layers, glide_min
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
    %: micro_needling.overlap
    /cm²: micro_needling.density micro_needling.density.most
    mm: micro_needling.channel micro_needling.most micro_needling.start micro_needling.step micro_needling.thin
    mm: micro_needling.unlicensed
    step: micro_needling.adjust.missed
    s: needles.between
    words: device.tip needles.lesions needles.sterile
    """,
)

NAME = "micro_needling"
CARD = scaled(NAME, "Hz")
INCREMENT = Increment("depth_mm", 0.25)
AMOUNT = Amount("depth")
WAYS = Ways()


class Settings(Base):
    """What is set: pen (rate on the card's scale) or roller, depth, needles, how long or how often, overlap; who may go
    deeper, and whether it is numbed.
    """

    tool: Literal["pen", "roller"] = Field("pen", title="Tool")
    at: float = Field(100, ge=0, le=1000, title="Set to")
    depth_mm: float = Field(0.25, ge=0.05, le=5, title="Depth", json_schema_extra={"unit": "mm"})
    licensed: bool = Field(False, title="Licensed for depth")
    comfort: Literal["numbed", "asked all the time"] = Field("numbed", title="Comfort")
    needles: int = Field(12, ge=1, le=1200, title="Needles")
    overlap_percent: float = Field(50, ge=0, le=60, title="Overlap of rows", json_schema_extra={"unit": "%"})
    passes: int = Field(1, ge=1, le=30, title="Passes")
    tip_mm: float = Field(8, ge=2, le=40, title="Tip, or roller’s width", json_schema_extra={"unit": "mm"})
    roller_mm: float = Field(20, ge=5, le=60, title="Roller’s diameter", json_schema_extra={"unit": "mm"})

    @property
    def licence(self) -> str:
        """Deeper needs one."""
        return "micro depth" if self.depth_mm > number(f"{NAME}.unlicensed") else ""

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Who may go deeper; whether the house numbs for shallow work."""
        comfort = "asked all the time" if around.school("numbing") == "none" else "numbed"
        return {"licensed": "micro depth" in around.licences, "comfort": comfort}


def start(card: MachineCard, subject: Subject) -> Start:
    """The shallowest depth, or a step deeper where the endpoint was not reached, within what this zone allows without a
    licence.
    """
    step = number(f"{NAME}.step")
    found = started(NAME, step, step, number(f"{NAME}.unlicensed"), subject, "mm", 2)
    tip = card.tip("")
    return Start(
        Settings(
            at=card.least,
            depth_mm=found.value or step,
            needles=tip.pins if tip and tip.pins else 12,
            tip_mm=tip.across_mm if tip else 8,
            overlap_percent=number(f"{NAME}.overlap"),
        ),
        found,
    )


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Depth under licence and zone; punctures a cm², untouched share, minutes."""
    judge = Judge()
    depth = beside_layers(judge, settings.depth_mm, subject.thin)
    judge.most(f"{NAME}.most", depth, "depth_mm")
    if not settings.licensed:
        judge.most(f"{NAME}.unlicensed", depth, "depth_mm", "Deeper needs a licence.")
    if subject.thin or subject.bony:
        judge.most(f"{NAME}.thin", depth, "depth_mm")
    overlap, passes = settings.overlap_percent / 100, as_set("passes", settings.passes, "", 0)
    minutes = glide_min(judge, subject, settings.tip_mm, overlap, settings.passes, "needles.between")
    needles, lap = (
        as_set("needles", settings.needles, "", 0, "device.tip"),
        as_set("overlap", settings.overlap_percent, "%", 0, f"{NAME}.overlap"),
    )
    if settings.tool == "pen":
        rate = physical(judge, "rate", card, settings.at)
        # The glide's minutes already hold the overlap, so it is not counted twice.
        value = pen_density_cm2(settings.needles, rate.value or 0, (minutes.value or 0) * 60, subject.area_cm2)
        density = worked(
            "punctures a cm²",
            value,
            "",
            "needles × rate × seconds ÷ area, rows overlapping",
            (needles, rate, minutes, subject.area, lap),
            f"{NAME}.overlap",
            digits=0,
        )
    else:
        value = roller_density_cm2(settings.needles, settings.roller_mm / 10, settings.tip_mm / 10, settings.passes) / (
            1 - overlap
        )
        density = worked(
            "punctures a cm²",
            value,
            "",
            "needles ÷ (π × diameter × width) × passes ÷ (1 − overlap)",
            (needles, passes, lap),
            f"{NAME}.overlap",
            digits=0,
        )
    judge.tell("density", density)
    judge.warn(f"{NAME}.density", density, "passes", "Fewer passes, or slower needles.")
    judge.gives("punctures", density, f"{NAME}.density.most", "passes")
    channel = as_set("channel", number(f"{NAME}.channel"), "mm", 2, f"{NAME}.channel")
    judge.tell(
        "untouched",
        worked(
            "skin that no needle touches",
            100 * untouched_share(density.value or 0, channel.value or 0),
            "%",
            "e^(−punctures × channel area)",
            (density, channel),
            f"{NAME}.channel",
            digits=0,
        ),
    )
    judge.know("needles.lesions", "needles.sterile")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Section by section, pass by pass."""
    return counted(make)
