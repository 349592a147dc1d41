"""Level lines through an area: where a row enters and leaves it."""

from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray
from shapely import get_coordinates, get_rings
from shapely.geometry.base import BaseGeometry

Numbers = NDArray[np.float64]
#: From where to where along a level, mm.
Span = tuple[float, float]


def turned(points: Numbers, angle_deg: float) -> Numbers:
    """Points turned by an angle about the origin."""
    c, s = cos(radians(angle_deg)), sin(radians(angle_deg))
    found: Numbers = points @ np.array([[c, s], [-s, c]])
    return found


class Levels:
    """An area turned back by an angle, ready to be cut by level lines."""

    def __init__(self, area: BaseGeometry, angle_deg: float) -> None:
        at, ring = get_coordinates(get_rings(area), return_index=True)
        at = turned(at, -angle_deg)
        same = ring[:-1] == ring[1:]
        (self.x0, self.y0), (self.x1, self.y1) = at[:-1][same].T, at[1:][same].T
        self.low, self.high = at.min(axis=0), at.max(axis=0)

    def spans(self, y: Numbers) -> list[list[Span]]:
        """The parts inside the area of each level, from left to right.

        Every edge is met by the levels between its ends; crossings, sorted, are entries and exits in turn.
        """
        level = y[:, None]
        row, edge = np.nonzero((self.y0 <= level) != (self.y1 <= level))
        x = self.x0[edge] + (y[row] - self.y0[edge]) * (self.x1[edge] - self.x0[edge]) / (self.y1[edge] - self.y0[edge])
        order = np.lexsort((x, row))
        found: list[list[Span]] = [[] for _ in y]
        for n, (begin, end) in zip(row[order][::2].tolist(), x[order].reshape(-1, 2).tolist(), strict=True):
            found[n].append((begin, end))
        return found


def common(some: list[Span], others: list[Span]) -> list[Span]:
    """What two rows of spans share."""
    return [(max(a, c), min(b, d)) for a, b in some for c, d in others if max(a, c) <= min(b, d)]


def merged(spans: list[Span]) -> list[Span]:
    """Spans that overlap put together."""
    found: list[Span] = []
    for begin, end in sorted(spans):
        if found and begin <= found[-1][1]:
            found[-1] = (found[-1][0], max(end, found[-1][1]))
        else:
            found.append((begin, end))
    return found
