"""Nano needling: speed, rounds, minutes; screening and hygiene of needles."""

from collections.abc import Iterable

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, counted
from merak.core.modality.needling import beside_layers, glide_min
from merak.core.modality.shared import (
    Amount,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    on_card,
    physical,
    whole,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    %: nano.start
    Hz: nano.rate
    mm: nano.depth
    rounds: nano.rounds
    step: nano.adjust.bone nano.adjust.first_visit nano.adjust.sensitive nano.adjust.thin
    words: nano.screen needles.sterile
    """,
)

NAME = "nano"
CARD = scaled(NAME, "Hz")
INCREMENT = Increment("at")
AMOUNT = Amount("depth")
WAYS = Ways()


class Settings(Base):
    """What is set: speed on the card's scale, depth, rounds."""

    at: float = Field(ge=0, le=1000, title="Set to")
    depth_mm: float = Field(0.25, ge=0.05, le=5, title="Depth", json_schema_extra={"unit": "mm"})
    rounds: int = Field(2, ge=1, le=10, title="Rounds")


def start(card: MachineCard, subject: Subject) -> Start:
    """Slow first, the base depth, each area twice."""
    found = on_card(NAME, card, subject)
    return Start(
        Settings(at=found.value or card.least, depth_mm=number(f"{NAME}.depth"), rounds=whole(f"{NAME}.rounds")), found
    )


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Rate, depth beside layers, minutes."""
    judge = Judge()
    rate = physical(judge, "rate", card, settings.at)
    judge.most(f"{NAME}.rate", rate, "at")
    judge.most(f"{NAME}.depth", beside_layers(judge, settings.depth_mm, subject.thin), "depth_mm")
    judge.gives("nano rounds", as_set("rounds", settings.rounds, "", 0), f"{NAME}.rounds", "rounds")
    tip = card.tip("")
    glide_min(judge, subject, tip.across_mm if tip else 8, 0, settings.rounds)
    judge.know(f"{NAME}.screen", "needles.sterile")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Section by section, pass by pass."""
    return counted(make)
