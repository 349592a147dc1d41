"""Level lines through an area: where a row enters and leaves it."""

from functools import lru_cache
from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray
from shapely import get_coordinates, get_num_interior_rings, get_parts, get_rings, get_type_id
from shapely.geometry.base import BaseGeometry

Numbers = NDArray[np.float64]
Whole = NDArray[np.int64]
POLYGON = 3


def turned(points: Numbers, angle_deg: float) -> Numbers:
    """Points turned by an angle about the origin."""
    c, s = cos(radians(angle_deg)), sin(radians(angle_deg))
    found: Numbers = points @ np.array([[c, s], [-s, c]])
    return found


class Levels:
    """An area turned back by an angle, ready to be cut by level lines."""

    def __init__(self, area: BaseGeometry, angle_deg: float) -> None:
        x, y = turned(get_coordinates(area), -angle_deg).T
        edge = slice(None, -1), slice(1, None)
        self.x0, self.x1, self.y0, self.y1 = (side[end] for side in (x, y) for end in edge)
        if get_type_id(area) != POLYGON or get_num_interior_rings(area):  # no edge leads from one ring to the next
            _, ring = get_coordinates(get_rings(get_parts(area)), return_index=True)
            same = ring[:-1] == ring[1:]
            self.x0, self.x1, self.y0, self.y1 = (side[same] for side in (self.x0, self.x1, self.y0, self.y1))
        self.under, self.over = np.minimum(self.y0, self.y1), np.maximum(self.y0, self.y1)
        self.low, self.high = (x.min(), y.min()), (x.max(), y.max())

    def cuts(self, y: Numbers) -> tuple[Whole, Numbers, Numbers]:
        """The parts inside the area of each level: (number of the level, from, to), level by level and from left to
        right.

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

        Inside, where all levels run through the area; else where any does. Along a strip, it is counted how many levels
        are inside: room begins where the count comes up to what is needed, and ends where it falls below.
        """
        at, begin, end = self.cuts((y[:, None] + offsets).ravel())
        row, x = np.tile(at // len(offsets), 2), np.concatenate([begin, end])
        step = np.repeat([1, -1], len(at))
        order = np.lexsort((-step, x, row))
        row, x, step = row[order], x[order], step[order]
        count, need = np.cumsum(step), len(offsets) if inside else 1
        entry, leaving = (step > 0) & (count == need), (step < 0) & (count == need - 1)
        return row[entry], x[entry], x[leaving]


@lru_cache(maxsize=64)
def levels_of(area: BaseGeometry, angle_deg: float) -> Levels:
    """An area's levels; a section's grid and its rows ask for the same."""
    return Levels(area, angle_deg)
