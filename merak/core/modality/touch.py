"""Vibration and massage: strokes, minutes."""

from collections.abc import Iterable
from typing import Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.making import Making, counted
from merak.core.modality.shared import Dose, Increment, Judge, Start, Subject, as_set, whole, worked
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    passes: chair.pass.touch
    lines: touch.lines
    min: touch.longest
    s: touch.stroke_s
    strokes: touch.strokes
    words: touch.acne
    """,
)

NAME = "touch"
CARD = None
INCREMENT = Increment("strokes", 1)
AMOUNT = None
WAYS = Ways(passes="chair.pass.touch", free=True)


class Settings(Base):
    """What is set: by hand or with a vibrating head, strokes a line, lines, on which skin."""

    how: Literal["vibration", "hands"] = Field("hands", title="How")
    strokes: int = Field(3, ge=1, le=20, title="Strokes a line")
    lines: int = Field(12, ge=1, le=60, title="Lines, both sides")
    acne: bool = Field(False, title="Active acne")


def start(card: None, subject: Subject) -> Start:
    """Three strokes a line."""
    found = as_set("strokes a line", 3, "", 0, f"{NAME}.strokes")
    return Start(Settings(lines=whole(f"{NAME}.lines")), found)


def dose(settings: Settings, card: None, subject: Subject) -> Dose:
    """Strokes and minutes."""
    judge = Judge()
    each = as_set("strokes a line", settings.strokes, "", 0, f"{NAME}.strokes")
    judge.most(f"{NAME}.strokes", each, "strokes")
    lines, pace = (
        as_set("lines", settings.lines, "", 0, f"{NAME}.lines"),
        as_set("a stroke", number(f"{NAME}.stroke_s"), "s", 0, f"{NAME}.stroke_s"),
    )
    strokes = worked(
        "strokes", settings.strokes * settings.lines, "", "strokes a line × lines", (each, lines), digits=0
    )
    judge.tell("strokes", strokes)
    minutes = worked(
        "minutes", (strokes.value or 0) * (pace.value or 0) / 60, "min", "strokes × seconds ÷ 60", (strokes, pace)
    )
    judge.tell("minutes", minutes)
    judge.most(f"{NAME}.longest", minutes, "lines")
    if settings.acne:
        judge.refuse(f"{NAME}.acne", "No face massage on acne.", "acne")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Each part stroke by stroke."""
    return counted(make)
