"""Crystal abrasion: a timed run by sections."""

from collections.abc import Iterable

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.dry_abrasion import path
from merak.core.modality.making import Making, by_the_clock
from merak.core.modality.shared import Amount, Dose, Increment, Judge, Start, Subject, as_set, on_card, physical
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    %: crystal.start
    min: crystal.timer
    passes: crystal.passes
    sessions: crystal.course
    step: crystal.adjust.dark crystal.adjust.first_visit crystal.adjust.sensitive crystal.adjust.thin
    words: crystal.eyes
    """,
)

NAME = "crystal"
CARD = scaled(NAME, "kPa")
INCREMENT = Increment("at")
AMOUNT = Amount("suction")
WAYS = Ways()


class Settings(Base):
    """What is set: suction on the card's scale, the timer, how the hand moves, passes."""

    at: float = Field(ge=0, le=200, title="Set to")
    timer_min: float = Field(15, ge=0.5, le=60, title="Timer", json_schema_extra={"unit": "min"})
    passes: int = Field(1, ge=1, le=10, title="Passes")
    tip_mm: float = Field(8, ge=1, le=40, title="Tip", json_schema_extra={"unit": "mm"})
    speed_mm_s: float = Field(30, ge=0.01, le=300, title="Speed", json_schema_extra={"unit": "mm/s"})


def start(card: MachineCard, subject: Subject) -> Start:
    """Low on the scale, less what this skin asks for; the usual timer."""
    found = on_card(NAME, card, subject)
    return Start(Settings(at=found.value or card.least, timer_min=number(f"{NAME}.timer")), found)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Path, dwell, minutes against the timer."""
    judge = Judge()
    physical(judge, "suction", card, settings.at)
    judge.gives("abrasion", as_set("passes", settings.passes, "", 0), f"{NAME}.passes", "passes")
    timer = as_set("timer", settings.timer_min, "min", 1, f"{NAME}.timer")
    judge.tell("minutes", timer)
    judge.gives("powder", timer, f"{NAME}.timer", "timer_min")
    wanted = path(judge, subject, settings.tip_mm, settings.speed_mm_s, settings.passes)
    if wanted > settings.timer_min:
        judge.change(
            f"{NAME}.timer",
            f"The path takes {wanted:.0f} minutes, the timer rings at {settings.timer_min:g}.",
            "Faster, fewer passes or zones.",
            "timer_min",
        )
    judge.know(f"{NAME}.eyes", f"{NAME}.course")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Numbered sections in a turning order, against the clock."""
    return by_the_clock(make, "Machine off. Brush off, look for red and dry patches.", "anticlockwise")
