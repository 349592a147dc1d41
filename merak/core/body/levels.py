"""Level lines through an area: where a row enters and leaves it."""

from functools import reduce
from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray
from shapely import get_coordinates, get_parts, get_rings
from shapely.geometry.base import BaseGeometry

Numbers = NDArray[np.float64]
Whole = NDArray[np.int64]
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
        at, ring = get_coordinates(get_rings(get_parts(area)), return_index=True)
        at = turned(at, -angle_deg)
        same = ring[:-1] == ring[1:]
        (self.x0, self.y0), (self.x1, self.y1) = at[:-1][same].T, at[1:][same].T
        self.low, self.high = at.min(axis=0), at.max(axis=0)

    def cuts(self, y: Numbers) -> tuple[Whole, Numbers, Numbers]:
        """The parts inside the area of each level: (number of the level, from, to), level by level and from left to right.

        Every edge is met by the levels between its ends; crossings, sorted, are entries and exits in turn.
        """
        level = y[:, None]
        at, edge = np.nonzero((self.y0 <= level) != (self.y1 <= level))
        x = self.x0[edge] + (y[at] - self.y0[edge]) * (self.x1[edge] - self.x0[edge]) / (self.y1[edge] - self.y0[edge])
        order = np.lexsort((x, at))
        x = x[order]
        return at[order][::2], x[::2], x[1::2]

    def strips(self, y: Numbers, offsets: Numbers, inside: bool) -> tuple[Whole, Numbers, Numbers]:
        """The room of each strip, read off levels at `offsets` from its middle: (number of the strip, from, to).

        Inside, where all levels run through the area; else where any does.
        """
        at, begin, end = self.cuts((y[:, None] + offsets).ravel())
        many = len(offsets)
        spans = np.bincount(at, minlength=len(y) * many).reshape(-1, many)
        low, high = np.full(len(y) * many, np.nan), np.full(len(y) * many, np.nan)
        low[at], high[at] = begin, end
        plain = (spans == 1).all(axis=1)
        lows, highs = low.reshape(-1, many)[plain], high.reshape(-1, many)[plain]
        row = [np.flatnonzero(plain)]
        room = [(lows.max(axis=1), highs.min(axis=1)) if inside else (lows.min(axis=1), highs.max(axis=1))]
        for n in np.flatnonzero(~plain & (spans.all(axis=1) if inside else spans.any(axis=1))):
            first, last = np.searchsorted(at, (n * many, (n + 1) * many))
            levels: list[list[Span]] = [[] for _ in range(many)]
            for level, a, b in zip(at[first:last].tolist(), begin[first:last].tolist(), end[first:last].tolist(), strict=True):
                levels[level - n * many].append((a, b))
            found = reduce(common, levels) if inside else merged([span for level in levels for span in level])
            row.append(np.full(len(found), n))
            room.append((np.array([a for a, _ in found]), np.array([b for _, b in found])))
        return np.concatenate(row), np.concatenate([a for a, _ in room]), np.concatenate([b for _, b in room])


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
