"""What crystal and diamond share: path, dwell, passes."""

from merak.core.dose.abrasion import path_mm, point_dwell_s
from merak.core.knowledge.register import needs
from merak.core.modality.shared import Judge, Subject, as_set, worked

needs(
    __name__,
    """
    words: device.tip work.pace
    """,
)


def path(judge: Judge, subject: Subject, tip_mm: float, speed_mm_s: float, passes: int) -> float:
    """Length of the path, minutes for it and dwell of a point; the minutes."""
    tip, speed, times = (
        as_set("tip", tip_mm, "mm", 1, "device.tip"),
        as_set("speed", speed_mm_s, "mm/s", 0),
        as_set("passes", passes, "", 0),
    )
    length = worked(
        "path",
        path_mm(subject.area_cm2, tip_mm) / 1000 * passes,
        "m",
        "area ÷ tip × passes",
        (subject.area, tip, times),
        "work.pace",
    )
    judge.tell("path", length)
    minutes = (length.value or 0) * 1000 / speed_mm_s / 60
    judge.tell(
        "path_minutes", worked("minutes for the path", minutes, "min", "path ÷ speed", (length, speed), "work.pace")
    )
    judge.tell(
        "dwell",
        worked(
            "a point lies under the tip",
            point_dwell_s(tip_mm, speed_mm_s, passes),
            "s",
            "tip ÷ speed × passes",
            (tip, speed, times),
            "work.pace",
            digits=2,
        ),
    )
    return minutes
