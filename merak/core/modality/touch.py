"""Vibration and massage: strokes, minutes."""

from collections.abc import Iterable
from typing import Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.making import Making, counted
from merak.core.modality.shared import Dose, Increment, Judge, Start, Subject, as_set, worked
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways
from merak.core.working import Quantity

needs(
    __name__,
    """
    passes: chair.pass.touch
    min: touch.longest
    s: touch.pace touch.stroke_s
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
    """What is set: by hand or with a vibrating head, strokes a line; how many lines, where they are counted; on which
    skin.
    """

    how: Literal["vibration", "hands"] = Field("hands", title="How")
    strokes: int = Field(3, ge=1, le=20, title="Strokes a line")
    lines: int | None = Field(None, ge=1, le=60, title="Lines, both sides")
    acne: bool = Field(False, title="Active acne")


def start(card: None, subject: Subject) -> Start:
    """Three strokes a line; fewer where so large an area would take too long."""
    most = number(f"{NAME}.longest") * 60 / (number(f"{NAME}.pace") * subject.area_cm2 / 100)
    found = as_set("strokes a line", max(1, min(3, int(most))), "", 0, f"{NAME}.strokes")
    return Start(Settings(strokes=int(found.known)), found)


def dose(settings: Settings, card: None, subject: Subject) -> Dose:
    """Strokes and minutes."""
    judge = Judge()
    each = as_set("strokes a line", settings.strokes, "", 0, f"{NAME}.strokes")
    judge.most(f"{NAME}.strokes", each, "strokes")
    minutes = _by_area(subject, each) if settings.lines is None else _by_lines(judge, settings.lines, each)
    judge.tell("minutes", minutes)
    judge.most(f"{NAME}.longest", minutes, "strokes" if settings.lines is None else "lines")
    if settings.acne:
        judge.refuse(f"{NAME}.acne", "No face massage on acne.", "acne")
    return judge.dose()


def _by_area(subject: Subject, each: Quantity) -> Quantity:
    """Minutes that hands take over an area."""
    pace = as_set("a stroke over 100 cm²", number(f"{NAME}.pace"), "s", 0, f"{NAME}.pace")
    minutes = each.known * subject.area_cm2 / 100 * pace.known / 60
    return worked("minutes", minutes, "min", "strokes × area ÷ 100 × seconds ÷ 60", (each, subject.area, pace))


def _by_lines(judge: Judge, count: int, each: Quantity) -> Quantity:
    """Minutes of so many lines."""
    lines = as_set("lines", count, "", 0)
    pace = as_set("a stroke", number(f"{NAME}.stroke_s"), "s", 0, f"{NAME}.stroke_s")
    strokes = worked("strokes", each.known * count, "", "strokes a line × lines", (each, lines), digits=0)
    judge.tell("strokes", strokes)
    return worked("minutes", strokes.known * pace.known / 60, "min", "strokes × seconds ÷ 60", (strokes, pace))


def acts(make: Making) -> Iterable[Act]:
    """Each part stroke by stroke."""
    return counted(make)
