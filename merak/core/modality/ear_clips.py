"""Ear clips: a faint current through the lobes while the client lies still."""

from collections.abc import Iterable

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, left_to_work
from merak.core.modality.shared import Amount, Dose, Increment, Judge, Start, Subject, as_set, on_card, physical
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    %: ear_clips.start
    min: ear_clips.longest ear_clips.minutes
    µA: ear_clips.most
    """,
)

NAME = "ear_clips"
CARD = scaled(NAME, "µA")
INCREMENT = Increment("at")
AMOUNT = Amount("current")
WAYS = Ways()


class Settings(Base):
    """What is set: the current on the card's scale, and for how long the clips stay."""

    at: float = Field(ge=0, le=1000, title="Set to")
    minutes: float = Field(20, ge=1, le=120, title="Minutes", json_schema_extra={"unit": "min"})


def start(card: MachineCard, subject: Subject) -> Start:
    """Low on the scale, for the usual minutes."""
    found = on_card(NAME, card, subject)
    return Start(Settings(at=found.value or card.least, minutes=number(f"{NAME}.minutes")), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """The current under its ceiling, and the minutes, which add up over a visit."""
    judge = Judge()
    judge.most(f"{NAME}.most", physical(judge, "current", card, settings.at), "at")
    minutes = as_set("minutes", settings.minutes, "min", 0, f"{NAME}.minutes")
    judge.tell("minutes", minutes)
    judge.gives("current through the ears", minutes, f"{NAME}.longest", "minutes")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """On, up until it is just felt, left alone."""
    return left_to_work(make, "Ear clips", "Current down to zero, then the clips off.", **make.machine)
