"""How a part of a plate is gone over, drawn: lines between landmarks, circles along them, rows, points. What is not
counted one by one is still seen where it lies.
"""

import numpy as np
from shapely import LineString, get_parts
from shapely.geometry.base import BaseGeometry

from merak.core.body.curves import Pair
from merak.core.body.grid import Tip, grid
from merak.core.body.plate import SIDES, is_speck
from merak.core.body.strokes import PATHS, lines
from merak.core.body.travel import Motion, Style, along, cover
from merak.core.body.treatable import Treatable
from merak.core.knowledge import number
from merak.core.knowledge.register import needs

needs(
    __name__,
    """
    mm: face.least_piece
    """,
)

#: Along lines between landmarks, where a plate has them; else in rows.
BETWEEN_LANDMARKS = frozenset({"lines", "sweeps", "rolls", "circles"})
#: Set apart from each other: points by the tip's width, dabs by half as much again.
APART = {"points": 1.0, "dabs": 1.5}
#: The layings that are drawn.
GUIDED = BETWEEN_LANDMARKS | {*APART, "rows"}
#: Kept to a tenth of a millimetre: finer than any hand.
DIGITS = 1


def guides(area: Treatable, shape: BaseGeometry, laying: str, tip_mm: float) -> tuple[tuple[Pair, ...], ...]:
    """The strokes of a laying over a part (mm) of what may be treated, each as its points in mm, in the direction of
    the hand; a point or a dab as a small ring. None for what lies still, is kneaded or goes all over, and where a tip
    so wide finds no room.
    """
    if is_speck(shape) or laying not in GUIDED:
        return ()
    if laying in APART:
        return _set_down(shape, tip_mm * APART[laying], tip_mm / 4)
    motion = Motion(tip_mm=tip_mm)
    style: Style = "circles" if laying == "circles" else "lines"
    if laying in BETWEEN_LANDMARKS:
        drawn = _between_landmarks(area, shape)
        if drawn:
            found = [piece for line in drawn for piece in along(np.array(line.coords), style, motion).pieces]
            return _told(found)
    return _told(cover(shape, style, motion).pieces)


def _between_landmarks(area: Treatable, shape: BaseGeometry) -> list[LineString]:
    """What of the lines between landmarks lies in a part."""
    strokes = (LineString(line.points) for side in SIDES for line in lines(area, side, PATHS))
    pieces = (piece for stroke in strokes for piece in get_parts(stroke.intersection(shape)))
    least = number("face.least_piece")
    return [piece for piece in pieces if piece.geom_type == "LineString" and piece.length >= least]


def _set_down(shape: BaseGeometry, apart_mm: float, ring_mm: float) -> tuple[tuple[Pair, ...], ...]:
    """Small rings where something is set down, so far apart."""
    turns = np.linspace(0, 2 * np.pi, 9)
    ring = ring_mm * np.column_stack([np.cos(turns), np.sin(turns)])
    return _told([centre + ring for centre in grid(shape, Tip(shape="circle", across_mm=apart_mm)).centres])


def _told(pieces: list[np.ndarray]) -> tuple[tuple[Pair, ...], ...]:
    return tuple(tuple((round(float(x), DIGITS), round(float(y), DIGITS)) for x, y in piece) for piece in pieces)
