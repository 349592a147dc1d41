"""Ultrasonic spatula: lifts debris or a mask off wet skin."""

from collections.abc import Iterable

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, by_the_clock
from merak.core.modality.shared import Dose, Increment, Judge, Start, Subject, as_set, on_card, physical
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    %: spatula.start
    min: spatula.longest spatula.minutes
    step: spatula.adjust.sensitive spatula.adjust.thin
    """,
)

NAME = "spatula"
CARD = scaled(NAME, "W")
INCREMENT = Increment("at")
AMOUNT = None
WAYS = Ways()


class Settings(Base):
    """What is set: power on the card's scale, minutes."""

    at: float = Field(ge=0, le=100, title="Set to")
    minutes: float = Field(5, ge=0.5, le=30, title="Minutes", json_schema_extra={"unit": "min"})


def start(card: MachineCard, subject: Subject) -> Start:
    """Two fifths of the scale."""
    found = on_card(NAME, card, subject)
    return Start(Settings(at=found.value or card.least, minutes=number(f"{NAME}.minutes")), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Power and minutes."""
    judge = Judge()
    physical(judge, "power", card, settings.at)
    time = as_set("minutes", settings.minutes, "min", 1, f"{NAME}.minutes")
    judge.tell("minutes", time)
    judge.gives("spatula", time, f"{NAME}.longest", "minutes")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Section by section, against the clock."""
    return by_the_clock(make, "Spatula off.")
