"""Cold head: how cold, over what, how long."""

from collections.abc import Iterable
from math import ceil, floor
from typing import Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, by_the_clock
from merak.core.modality.shared import (
    Amount,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    gel_ml,
    lower_is_more,
    on_scale,
    physical,
    worked,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.titration import titrate
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    passes: chair.pass.cold
    min: cold.longest cold.minutes
    step: cold.adjust.missed cold.adjust.thin
    °C: cold.coldest cold.start cold.warmest
    words: cold.bare
    """,
)

NAME = "cold"
CARD = scaled(NAME, "°C")
INCREMENT = Increment("at", down=True)
AMOUNT = Amount("minutes", adds_up=True)
WAYS = Ways(passes="chair.pass.cold", amounts={"gel": ""})
Over = Literal["gel", "serum", "sheet mask", "bare dry skin"]


class Settings(Base):
    """What is set: temperature on the card's scale, over what, minutes, the film."""

    at: float = Field(ge=-50, le=100, title="Set to")
    over: Over = Field("gel", title="Over")
    minutes: float = Field(5, ge=0.5, le=30, title="Minutes", json_schema_extra={"unit": "min"})
    film_mm: float = Field(0.5, ge=0.01, le=5, title="Film", json_schema_extra={"unit": "mm"})


def start(card: MachineCard, subject: Subject) -> Start:
    """The mildest cold of the range, in whole steps of the scale, or a step colder where that did not calm."""
    down, mildest = lower_is_more(INCREMENT, card), card.at(number(f"{NAME}.start"))
    mildest = (card.most if down else card.least) if mildest is None else mildest
    steps = (mildest - card.least) / card.step
    whole = ceil(steps - 1e-9) if down else floor(steps + 1e-9)
    base = as_set("mildest", on_scale(card.least + whole * card.step), card.scale, 1, f"{NAME}.start")
    missed = subject.last is not None and titrate(subject.last).turn == "up"
    last = subject.last.at if subject.last and subject.last.at is not None else base.known
    colder = as_set(
        "endpoint not reached last time",
        (-card.step if down else card.step) if missed else 0,
        card.scale,
        1,
        f"{NAME}.adjust.missed",
    )
    value = min(max(card.least, last + colder.known), card.most)
    found = worked(
        "start value",
        value,
        card.scale,
        "where last time ended, or the mildest; one step colder where it did not calm",
        (base, colder),
        f"{NAME}.start",
    )
    return Start(Settings(at=value, minutes=number(f"{NAME}.minutes")), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Temperature, minutes, gel; never on bare dry skin."""
    judge = Judge()
    cold = physical(judge, "temperature", card, settings.at)
    judge.least(f"{NAME}.coldest", cold, "at")
    if cold.value is not None and cold.value > number(f"{NAME}.warmest"):
        judge.change(f"{NAME}.warmest", f"{cold.text} is cool, not cold.", "Lower.", "at")
    time = as_set("minutes", settings.minutes, "min", 1, f"{NAME}.minutes")
    judge.tell("minutes", time)
    judge.gives("cold", time, f"{NAME}.longest", "minutes")
    if settings.over == "bare dry skin":
        judge.refuse(f"{NAME}.bare", "Never on bare dry skin.", "over", "Gel, serum or a sheet mask.")
    elif settings.over == "gel":
        judge.tell("gel", gel_ml(NAME, subject, settings.film_mm))
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Section by section, against the clock."""
    return by_the_clock(make, "Head off.")
