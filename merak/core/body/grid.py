"""Grids for pulsed and stamped work: where each footprint lies, in which order, what is left and what is laid twice."""

from dataclasses import dataclass
from functools import cached_property
from math import atan2, ceil, cos, degrees, pi, radians, sin, sqrt, tan
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator
from shapely import Polygon, contains_xy, covers, get_coordinates, intersects, polygons, prepare, transform, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.working import Frozen

Footprint = Literal["rectangle", "square", "circle", "hexagon"]
Edge = Literal["inside", "cover"]
CIRCLE_STEPS = 32
ROW = sqrt(3) / 2
#: A grid of more cells than this is a slip of the pen, whatever the tip.
MOST_CELLS = 250_000


class Tip(Frozen):
    """What is set down on the skin: mm across (along the rows) and mm down; a square, circle or hexagon has one measure, `across_mm`.

    A hexagon is measured from flat to flat. `overlap` is the share of a footprint that the next one covers again, 0 to 0.6.
    """

    shape: Footprint = "square"
    across_mm: float = Field(10, gt=0, le=200)
    down_mm: float = Field(10, gt=0, le=200)
    overlap: float = Field(0, ge=0, le=0.6)

    @model_validator(mode="before")
    @classmethod
    def _one_measure(cls, data: object) -> object:
        if isinstance(data, dict) and data.get("shape", "square") != "rectangle" and "across_mm" in data:
            return {**data, "down_mm": data["across_mm"]}
        return data

    @cached_property
    def area_mm2(self) -> float:
        """The footprint's own area."""
        match self.shape:
            case "circle":
                return pi * self.across_mm**2 / 4
            case "hexagon":
                return ROW * self.across_mm**2
            case _:
                return self.across_mm * self.down_mm

    @property
    def honeycomb(self) -> bool:
        """Whether every second row is set half a step aside, so that the tips lie closest."""
        return self.shape in ("circle", "hexagon")

    @property
    def steps(self) -> tuple[float, float]:
        """(along a row, from row to row) in mm, centre to centre."""
        along = self.across_mm * (1 - self.overlap)
        return along, along * ROW if self.honeycomb else self.down_mm * (1 - self.overlap)

    @cached_property
    def upper(self) -> NDArray[np.float64]:
        """The footprint's upper edge from its left end to its right end; the lower edge is its mirror image."""
        w, h = self.across_mm / 2, self.down_mm / 2
        match self.shape:
            case "circle":  # a polygon of the same area as the round tip
                r = sqrt(self.area_mm2 / (CIRCLE_STEPS / 2 * sin(2 * pi / CIRCLE_STEPS)))
                turn = np.linspace(pi, 0, CIRCLE_STEPS // 2 + 1)
                return np.column_stack([r * np.cos(turn), r * np.sin(turn)])
            case "hexagon":
                return np.array([(-w, 0), (-w, w * tan(pi / 6)), (0, w / cos(pi / 6)), (w, w * tan(pi / 6)), (w, 0)])
            case _:
                return np.array([(-w, 0), (-w, h), (w, h), (w, 0)])

    def least(self, area_mm2: float) -> float:
        """The least count that could cover an area: area ÷ footprint, for a round tip times 1.2092, its covering bound (Kershner 1939)."""
        return area_mm2 / self.area_mm2 * (number("grid.round_bound") if self.shape == "circle" else 1)


@dataclass(frozen=True)
class Grid:
    """Footprints over an area. `centres` (n × 2, mm) stand in walking order; `row` is each one's row, `angle_deg` the rows' direction."""

    area: BaseGeometry
    edge: Edge
    tip: Tip
    angle_deg: float
    centres: NDArray[np.float64]
    row: NDArray[np.int64]

    @property
    def count(self) -> int:
        """How many footprints."""
        return len(self.centres)

    @property
    def ratio(self) -> float:
        """Count ÷ the least possible; 0 for no area."""
        least = self.tip.least(self.area.area)
        return self.count / least if least else 0.0

    @cached_property
    def covered(self) -> BaseGeometry:
        """All footprints in one shape."""
        return _covered(self.tip, self.centres, self.row, self.angle_deg)

    @cached_property
    def left(self) -> BaseGeometry:
        """What stays uncovered."""
        return self.area.difference(self.covered)

    @cached_property
    def left_mm2(self) -> float:
        """How much stays uncovered: where nothing overlaps and all lies inside, what the footprints do not take."""
        if self.tip.overlap == 0 and self.edge == "inside":
            return float(self.area.area) - self.count * self.tip.area_mm2
        return float(self.left.area)

    @property
    def doubled_mm2(self) -> float:
        """Skin laid on more than once, each extra time counted; 0 where footprints only touch."""
        return 0.0 if self.tip.overlap == 0 else max(0.0, self.count * self.tip.area_mm2 - float(self.covered.area))

    def cells(self) -> NDArray[np.object_]:
        """The footprints as polygons, in walking order."""
        return _footprints(self.tip, self.centres, self.angle_deg)


def long_axis(area: BaseGeometry) -> float:
    """The direction of the longer side of the smallest rectangle around an area, in degrees, above −90 up to 90; 0 for nothing."""
    if area.is_empty:
        return 0.0
    corners = get_coordinates(area.minimum_rotated_rectangle)
    if len(corners) < 4:
        return 0.0
    (dx, dy), (ex, ey) = corners[1] - corners[0], corners[2] - corners[1]
    if dx * dx + dy * dy < ex * ex + ey * ey:
        dx, dy = ex, ey
    found = degrees(atan2(dy, dx))
    return float(found - 180 if found > 90 else found + 180 if found <= -90 else found)


def grid(area: BaseGeometry, tip: Tip, angle_deg: float | None = None, edge: Edge = "inside", forbidden: BaseGeometry | None = None) -> Grid:
    """A grid over an area, walked back and forth from the lowest row up.

    Rows follow the area's long axis unless `angle_deg` says otherwise. "inside" keeps footprints wholly inside the area; "cover"
    keeps all that touch it, except those that touch `forbidden`. Raises BadInput on tip sizes that would make no end of cells.
    """
    angle = long_axis(area) if angle_deg is None else angle_deg
    if area.is_empty:
        return Grid(area, edge, tip, angle, np.empty((0, 2)), np.empty(0, dtype=np.int64))
    prepare(area)
    centres, row = _lattice(area, tip, angle)
    if edge == "inside":
        near = contains_xy(area, centres[:, 0], centres[:, 1])
        centres, row = centres[near], row[near]
        keep = covers(area, _footprints(tip, centres, angle, shrink=1e-6))
    else:
        cells = _footprints(tip, centres, angle, shrink=1e-6)
        keep = intersects(area, cells)
        if forbidden is not None and not forbidden.is_empty:
            prepare(forbidden)
            keep &= ~intersects(forbidden, cells)
    centres, row = centres[keep], row[keep]
    order = _walk(centres, row, angle)
    return Grid(area, edge, tip, angle, centres[order], row[order])


def turned(points: NDArray[np.float64], angle_deg: float) -> NDArray[np.float64]:
    """Points turned by an angle about the origin."""
    c, s = cos(radians(angle_deg)), sin(radians(angle_deg))
    return points @ np.array([[c, s], [-s, c]])


def _lattice(area: BaseGeometry, tip: Tip, angle: float) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Centres over the area's bounds, in the middle of them, and their rows, counted from the lowest on the skin."""
    flat = turned(get_coordinates(area), -angle)
    low, high = flat.min(axis=0), flat.max(axis=0)
    along, rowwise = tip.steps
    columns = int(ceil((high[0] - low[0]) / along)) + 2
    rows = int(ceil((high[1] - low[1]) / rowwise)) + 1
    if columns * rows > MOST_CELLS * 4:
        raise BadInput({"across_mm": f"{columns * rows} footprints: this tip is too small for this area."})
    middle = (low + high) / 2
    x = (np.arange(columns) - (columns - 1) / 2) * along + middle[0]
    y = (np.arange(rows) - (rows - 1) / 2)[::-1] * rowwise + middle[1]  # y runs down: the lowest row first
    xx, yy = np.meshgrid(x, y)
    if tip.honeycomb:
        xx[1::2] += along / 2
    row = np.repeat(np.arange(rows), columns)
    return turned(np.column_stack([xx.ravel(), yy.ravel()]), angle), row


def _footprints(tip: Tip, centres: NDArray[np.float64], angle: float, shrink: float = 0) -> NDArray[np.object_]:
    """Polygons of the tip on centres; `shrink` takes off a share, so that touching an edge counts as inside."""
    lower = tip.upper[-2:0:-1] * np.array([1, -1])
    template = turned(np.vstack([tip.upper, lower]), angle) * (1 - shrink)
    found: NDArray[np.object_] = polygons(centres[:, None, :] + template[None, :, :]) if len(centres) else np.empty(0, dtype=object)
    return found


def _walk(centres: NDArray[np.float64], row: NDArray[np.int64], angle: float) -> NDArray[np.int64]:
    """Row after row, every second one backwards, so that the hand never crosses the area to go on."""
    along = turned(centres, -angle)[:, 0]
    return np.lexsort((np.where(row % 2 == 0, along, -along), row))


def _covered(tip: Tip, centres: NDArray[np.float64], row: NDArray[np.int64], angle: float) -> BaseGeometry:
    """The union of all footprints.

    Neighbours in a row are joined beforehand into one outline, which is known without cutting: for each run of a row, the ends of its
    first and last footprint and, between them, the part of each upper edge that lies within half a step of its centre.
    """
    if not len(centres):
        return Polygon()
    flat = turned(centres, -angle)
    along, _ = tip.steps
    order = np.lexsort((flat[:, 0], row))
    flat, row = flat[order], row[order]
    breaks = np.flatnonzero((np.diff(row) != 0) | (np.diff(flat[:, 0]) > along * 1.5)) + 1
    runs = [polygon for run in np.split(flat, breaks) for polygon in _run(tip, run, along)]
    return transform(union_all(runs), lambda points: turned(points, angle))


def _run(tip: Tip, run: NDArray[np.float64], along: float) -> list[BaseGeometry]:
    """One run of footprints as one outline; round tips that only touch stay apart."""
    upper = tip.upper
    if along >= 2 * upper[-1, 0] * (1 - 1e-9) and tip.shape == "circle":
        return list(_footprints(tip, run, 0))
    half = along / 2
    cut = float(np.interp(half, upper[:, 0], upper[:, 1])) if half < upper[-1, 0] else float(upper[-2, 1])
    inner = upper[np.abs(upper[:, 0]) < half - 1e-9]
    middle = np.vstack([(-half, cut), inner, (half, cut)])
    first, last = upper[upper[:, 0] < half - 1e-9], upper[upper[:, 0] > -half + 1e-9]
    between = (middle[None] + np.arange(1, len(run) - 1)[:, None, None] * (along, 0)).reshape(-1, 2)
    edge = np.vstack([first, (half, cut), between, last + ((len(run) - 1) * along, 0)]) if len(run) > 1 else upper
    lower = edge[-2:0:-1] * np.array([1, -1])
    return [Polygon(np.vstack([edge, lower]) + run[0])]
