"""Which side a lifting treatment starts on."""

from typing import Literal

from merak.core.client import Findings, Side
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen, Quantity

needs(
    __name__,
    """
    mm: side.tie
    words: side.higher_first
    """,
)


class FirstSide(Frozen):
    """The side to start on, why, and how sure: "measured", "level" (a tie) or "unmeasured"."""

    side: Side
    how: Literal["measured", "level", "unmeasured"]
    why: str
    difference: Quantity


def first_side(findings: Findings) -> FirstSide:
    """The higher side, from brow and cheekbone heights in mm (right − left, the mean of what was measured).

    Rules side.higher_first and side.tie; a tie starts right, by house default.
    """
    pairs = (
        ("brow", findings.brow_right_mm, findings.brow_left_mm),
        ("cheekbone", findings.cheek_right_mm, findings.cheek_left_mm),
    )
    measured = [(name, right, left) for name, right, left in pairs if right is not None and left is not None]
    inputs = tuple(
        Quantity(name=f"{name}, {side}", value=value, unit="mm", digits=1)
        for name, right, left in measured
        for side, value in (("right", right), ("left", left))
    )
    mean = sum(right - left for _, right, left in measured) / len(measured) if measured else None
    difference = Quantity(
        name="right − left",
        value=mean,
        unit="mm",
        digits=1,
        formula="mean of the differences, brow and cheekbone",
        inputs=inputs,
        rules=("side.higher_first", "side.tie"),
    )
    if mean is None:
        return FirstSide(
            side="right", how="unmeasured", why="Heights not measured: right by house default.", difference=difference
        )
    if abs(mean) < number("side.tie"):
        return FirstSide(
            side="right",
            how="level",
            why=f"Level within {number('side.tie'):g} mm: right by house default.",
            difference=difference,
        )
    side: Side = "right" if mean > 0 else "left"
    words = f"The {side} is {abs(mean):.1f} mm higher: the lift shows against the untreated side."
    return FirstSide(side=side, how="measured", why=words, difference=difference)
