"""Diamond abrasion: grit, suction, passes by what the skin bears and what follows."""

from collections.abc import Iterable
from typing import Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.dry_abrasion import path
from merak.core.modality.lanes import in_lanes
from merak.core.modality.making import Making, counted
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
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    %: diamond.start
    kPa: diamond.suction
    passes: diamond.gentle diamond.passes
    step: diamond.adjust.dark diamond.adjust.first_visit diamond.adjust.sensitive diamond.adjust.thin
    """,
)

NAME = "diamond"
CARD = scaled(NAME, "kPa")
INCREMENT = Increment("at")
AMOUNT = Amount("path", adds_up=True)
WAYS = Ways()
DARK = 4


class Settings(Base):
    """What is set: suction on the card's scale, grit, passes, how the hand moves."""

    at: float = Field(ge=0, le=200, title="Set to")
    grit: Literal["fine", "medium", "coarse"] = Field("fine", title="Grit")
    passes: int = Field(1, ge=1, le=10, title="Passes")
    tip_mm: float = Field(8, ge=1, le=40, title="Tip", json_schema_extra={"unit": "mm"})
    speed_mm_s: float = Field(30, ge=0.01, le=300, title="Speed", json_schema_extra={"unit": "mm/s"})


def start(card: MachineCard, subject: Subject) -> Start:
    """Low on the scale, fine grit, one pass."""
    found = on_card(NAME, card, subject)
    return Start(Settings(at=found.value or card.least), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Suction under its ceiling, passes by skin, path, dwell, minutes."""
    judge = Judge()
    suction = physical(judge, "suction", card, settings.at)
    house, maker = number(f"{NAME}.suction"), card.most_for(subject.phototype)
    judge.most(f"{NAME}.suction", suction, "at", limit=house if maker is None else min(house, maker))
    passes = as_set("passes", settings.passes, "", 0)
    if subject.thin or (subject.phototype or 0) >= DARK:
        judge.gives("abrasion", passes, f"{NAME}.gentle", "passes")
    judge.gives("abrasion", passes, f"{NAME}.passes", "passes")
    path(judge, subject, settings.tip_mm, settings.speed_mm_s, settings.passes)
    in_lanes(judge, judge.numbers["path"].known * 1000, judge.numbers["path_minutes"])
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Section by section, pass by pass."""
    return counted(make)
