"""A path that is worked lane by lane, as grit and needles are: between two of them the skin is pulled taut anew."""

from math import ceil

from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.shared import Judge, as_set, worked
from merak.core.working import Quantity

needs(
    __name__,
    """
    mm: work.lane
    s: work.between
    words: work.pace
    """,
)


def in_lanes(judge: Judge, length_mm: float, moving: Quantity, between_rule: str = "work.between") -> None:
    """Minutes of a path that is worked lane by lane, skin pulled taut anew for each; told."""
    lane, between = (
        as_set("a lane", number("work.lane"), "mm", 0, "work.lane"),
        as_set("between lanes", number(between_rule), "s", 1, between_rule),
    )
    lanes = worked("lanes", ceil(length_mm / lane.known - 1e-9), "", "path ÷ lane, rounded up", (lane,), digits=0)
    judge.tell("lanes", lanes)
    minutes = moving.known + lanes.known * between.known / 60
    how = "gliding + lanes × seconds ÷ 60"
    judge.tell("minutes", worked("minutes", minutes, "min", how, (moving, lanes, between), "work.pace"))
