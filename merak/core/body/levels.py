"""Level lines through an area: where a row enters and leaves it."""

from functools import lru_cache, reduce
from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray
from shapely import get_coordinates, get_num_interior_rings, get_parts, get_rings, get_type_id
from shapely.geometry.base import BaseGeometry

Numbers = NDArray[np.float64]
Whole = NDArray[np.int64]
#: From where to where along a level, mm.
Span = tuple[float, float]
POLYGON = 3


def turned(points: Numbers, angle_deg: float) -> Numbers:
    """Points turned by an angle about the origin."""
    c, s = cos(radians(angle_deg)), sin(radians(angle_deg))
    found: Numbers = points @ np.array([[c, s], [-s, c]])
    return found


class Levels:
    """An area turned back by an angle, ready to be cut by level lines."""

    def __init__(self, area: BaseGeometry, angle_deg: float) -> None:
        at = turned(get_coordinates(area), -angle_deg)
        begin, end = at[:-1], at[1:]
        if get_type_id(area) != POLYGON or get_num_interior_rings(area):  # no edge leads from one ring to the next
            _, ring = get_coordinates(get_rings(get_parts(area)), return_index=True)
            same = ring[:-1] == ring[1:]
            begin, end = begin[same], end[same]
        (self.x0, self.y0), (self.x1, self.y1) = begin.T, end.T
        self.under, self.over = np.minimum(self.y0, self.y1), np.maximum(self.y0, self.y1)
        self.low, self.high = at.min(axis=0), at.max(axis=0)

    def cuts(self, y: Numbers) -> tuple[Whole, Numbers, Numbers]:
        """The parts inside the area of each level: (number of the level, from, to), level by level and from left to right.

        Every edge is met by the levels between its ends; crossings, sorted, are entries and exits in turn.
        """
        order = np.argsort(y)
        first, last = (np.searchsorted(y, side, sorter=order) for side in (self.under, self.over))
        many = last - first
        edge = np.repeat(np.arange(len(many)), many)
        at = order[np.arange(len(edge)) - np.repeat(np.cumsum(many) - many - first, many)]
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
        first = np.searchsorted(at, np.arange(len(y) * many + 1))
        spans = np.diff(first).reshape(-1, many)
        row, room = [np.empty(0, dtype=np.int64)], [(np.empty(0), np.empty(0))]
        alike = (spans == spans[:, :1]).all(axis=1)
        for count in np.unique(spans[alike, 0]) if inside else (1,):  # levels that are cut alike: span by span
            rows = np.flatnonzero(alike & (spans[:, 0] == count))
            mine = first[:-1].reshape(-1, many)[rows][..., None] + np.arange(count)
            a, b = begin[mine], end[mine]
            row.append(np.repeat(rows, count))
            room.append((a.max(axis=1).ravel(), b.min(axis=1).ravel()) if inside else (a.min(axis=1).ravel(), b.max(axis=1).ravel()))
        other = spans.all(axis=1) & ~alike if inside else spans.any(axis=1) & ~(alike & (spans[:, 0] == 1))
        for n in np.flatnonzero(other):
            levels: list[list[Span]] = []
            for level in range(n * many, (n + 1) * many):
                cut = slice(first[level], first[level + 1])
                levels.append(list(zip(begin[cut].tolist(), end[cut].tolist(), strict=True)))
            found = reduce(common, levels) if inside else merged([span for level in levels for span in level])
            row.append(np.full(len(found), n))
            room.append((np.array([a for a, _ in found]), np.array([b for _, b in found])))
        return np.concatenate(row), np.concatenate([a for a, _ in room]), np.concatenate([b for _, b in room])


@lru_cache(maxsize=64)
def levels_of(area: BaseGeometry, angle_deg: float) -> Levels:
    """An area's levels; a section's grid and its rows ask for the same."""
    return Levels(area, angle_deg)


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
