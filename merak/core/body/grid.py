"""Grids for pulsed and stamped work: where each footprint lies, in which order, what is left and what is laid twice."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise
from math import atan2, ceil, cos, degrees, floor, pi, sin, sqrt, tan
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator
from shapely import (
    Polygon,
    contains_xy,
    difference,
    get_coordinates,
    intersects,
    polygons,
    prepare,
    transform,
    union_all,
)
from shapely.geometry.base import BaseGeometry

from merak.core.body.levels import Levels, Numbers, Whole, levels_of, turned
from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen

needs(
    __name__,
    """
    times: grid.round_bound
    """,
)

Footprint = Literal["rectangle", "square", "circle", "hexagon"]
Edge = Literal["inside", "cover"]
Rows = Whole
CIRCLE_STEPS = 32
#: Neighbours share edges that differ in the last bit; without a grid to snap to, an overlay can lose a whole footprint
#: there. In mm.
SNAP = 1e-6
#: Level lines that tell a strip's room (what they miss is seen when footprints are checked), and shares of the spare
#: height to try.
STRIP_INSIDE, STRIP_COVER = (np.linspace(-0.5, 0.5, many) * (1 - 1e-9) for many in (4, 12))
#: So many footprints are checked at a time.
PORTION = 4096
PHASES = (0.5, 0.0, 1.0)
ROW = sqrt(3) / 2
#: A grid of more cells than this is a slip of the pen, whatever the tip.
MOST_CELLS = 250_000


class Tip(Frozen):
    """What is set down on the skin: mm across (along the rows) and mm down; a square, circle or hexagon has one
    measure, `across_mm`.

    A hexagon is measured from flat to flat. `overlap` is the share of a footprint that the next one covers again, 0 to
    0.6; `gap_mm` the skin that is left between one and the next.
    """

    shape: Footprint = "square"
    across_mm: float = Field(10, gt=0, le=200)
    down_mm: float = Field(10, gt=0, le=200)
    overlap: float = Field(0, ge=0, le=0.6)
    gap_mm: float = Field(0, ge=0, le=40)

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
        along, down = (side * (1 - self.overlap) + self.gap_mm for side in (self.across_mm, self.down_mm))
        return along, along * ROW if self.honeycomb else down

    @cached_property
    def upper(self) -> Numbers:
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
        """The least count that could cover an area: area ÷ footprint, for a round tip times 1.2092, its covering bound
        (Kershner 1939).
        """
        return area_mm2 / self.area_mm2 * (number("grid.round_bound") if self.shape == "circle" else 1)


@dataclass(frozen=True)
class Grid:
    """Footprints over an area. `centres` (n × 2, mm) stand in walking order; `row` is each one's row, `angle_deg` the
    rows' direction.
    """

    area: BaseGeometry
    edge: Edge
    tip: Tip
    angle_deg: float
    centres: Numbers
    row: Rows

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
        return difference(self.area, self.covered, grid_size=SNAP)

    @cached_property
    def left_mm2(self) -> float:
        """How much stays uncovered: where nothing overlaps and all lies inside, what the footprints do not take."""
        if self.tip.overlap == 0 and self.edge == "inside":
            return float(self.area.area) - self.count * self.tip.area_mm2
        return float(self.left.area)

    @property
    def doubled_mm2(self) -> float:
        """Skin laid on more than once, each extra time counted; 0 where footprints only touch."""
        if self.tip.overlap == 0 and self.edge == "inside":
            return 0.0
        return max(0.0, self.count * self.tip.area_mm2 - float(self.covered.area))

    def cells(self) -> NDArray[np.object_]:
        """The footprints as polygons, in walking order."""
        return footprints(self.tip, self.centres, self.angle_deg)


@lru_cache(maxsize=64)
def long_axis(area: BaseGeometry) -> float:
    """The direction of the longer side of the smallest rectangle around an area, in degrees, above −90 up to 90; 0 for
    nothing.
    """
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


def grid(
    area: BaseGeometry,
    tip: Tip,
    angle_deg: float | None = None,
    edge: Edge = "inside",
    forbidden: BaseGeometry | None = None,
) -> Grid:
    """A grid over an area, walked back and forth from the lowest row up.

    Rows follow the area's long axis, or for an oblong tip whichever of it and its perpendicular serves better, unless
    `angle_deg` says otherwise. "inside" keeps footprints wholly inside the area, as many as find room; "cover" lays as
    few as cover it, and leaves out those that touch `forbidden`. Raises BadInput on a tip that would make no end of
    cells.
    """
    if area.is_empty:
        return Grid(area, edge, tip, angle_deg or 0.0, np.empty((0, 2)), np.empty(0, dtype=np.int64))
    prepare(area)
    if edge == "cover" and forbidden is not None:
        prepare(forbidden)
    angles = [angle_deg] if angle_deg is not None else [long_axis(area)]
    if angle_deg is None and tip.shape == "rectangle":
        angles.append(angles[0] - 90 if angles[0] > 0 else angles[0] + 90)
    better = max if edge == "inside" else min
    angle, (centres, row) = better(
        ((angle, found) for angle in angles for found in _tries(area, tip, angle, edge)), key=lambda one: len(one[1][0])
    )
    centres, row = _kept(area, tip, angle, edge, forbidden, centres, row)
    order = _walk(tip, centres, row, angle)
    return Grid(area, edge, tip, angle, centres[order], row[order])


def _tries(area: BaseGeometry, tip: Tip, angle: float, edge: Edge) -> Iterator[tuple[Numbers, Rows]]:
    """Grids to choose from, with their rows set a little higher each: the rim decides which fits."""
    levels = levels_of(area, angle)
    if tip.honeycomb:
        for phase in PHASES:
            yield _kept(area, tip, angle, edge, None, *_lattice(levels, tip, angle, phase))
    else:
        yield _upright(levels, tip, angle, edge)


def _kept(
    area: BaseGeometry, tip: Tip, angle: float, edge: Edge, forbidden: BaseGeometry | None, centres: Numbers, row: Rows
) -> tuple[Numbers, Rows]:
    """The footprints that may stay."""
    if tip.honeycomb and edge == "inside":  # laid over the bounds: most lie outside, and that is quickly seen
        near = contains_xy(area, centres[:, 0], centres[:, 1])
        centres, row = centres[near], row[near]
    rim = area.boundary
    prepare(rim)

    def stays(cells: NDArray[np.object_]) -> NDArray[np.bool_]:
        # A footprint that begins inside lies wholly inside, where the rim does not run through it.
        found: NDArray[np.bool_] = intersects(area, cells) if edge == "cover" else ~intersects(rim, cells)
        if edge == "cover" and forbidden is not None and not forbidden.is_empty:
            found &= ~intersects(forbidden, cells)
        return found

    # In portions, so that a hundred thousand footprints do not have to be in memory at once.
    portions = (centres[n : n + PORTION] for n in range(0, len(centres), PORTION))
    keep = [np.empty(0, dtype=bool), *(stays(footprints(tip, portion, angle, shrink=1e-6)) for portion in portions)]
    kept = np.concatenate(keep)
    return centres[kept], row[kept]


def _heights(levels: Levels, step: float, size: float, phase: float, fewest: bool) -> Numbers:
    """Where rows lie, the lowest on the skin first: in the middle of the area, or a share of a step above."""
    height = float(levels.high[1] - levels.low[1])
    rows = max(1, ceil((height - size) / step) + 1 if fewest else floor((height - size) / step) + 1)
    _bounded(rows, levels, step)
    slack = rows * step - step + size - height  # below 0: room to move in; above: what hangs over
    middle = (levels.low[1] + levels.high[1]) / 2 - (phase - 0.5) * abs(slack)
    found: Numbers = middle + (np.arange(rows)[::-1] - (rows - 1) / 2) * step  # y runs down
    return found


def _bounded(rows: int, levels: Levels, step: float) -> None:
    """Raises BadInput when there would be no end of footprints."""
    if rows * (float(levels.high[0] - levels.low[0]) / step + 1) > MOST_CELLS:
        raise BadInput({"across_mm": f"{rows} rows of footprints: this tip is too small for this area."})


def _upright(levels: Levels, tip: Tip, angle: float, edge: Edge) -> tuple[Numbers, Rows]:
    """Rows of an upright tip, each slid along to where it fits best, at the height that serves best."""
    along, rowwise = tip.steps
    inside = edge == "inside"
    strip = (STRIP_INSIDE if inside else STRIP_COVER) * tip.down_mm
    heights = [_heights(levels, rowwise, tip.down_mm, phase, fewest=not inside) for phase in PHASES]
    y, rows = (
        np.concatenate(heights),
        len(heights[0]),
    )  # all tries in one go: the rows of the second follow those of the first
    row, begin, end = levels.strips(y, strip, inside)
    spare = (end - begin - tip.across_mm) / along
    count = np.floor(spare + 1e-9) + 1 if inside else np.maximum(np.ceil(spare - 1e-9) + 1, 1)
    count = np.maximum(count, 0).astype(np.int64)
    totals = np.bincount(row // rows, count, minlength=len(PHASES))
    best = int(totals.argmax() if inside else totals.argmin())
    mine = row // rows == best
    row, middle, count, total = row[mine], (begin + end)[mine] / 2, count[mine], int(totals[best])
    nth = np.arange(total) - np.repeat(np.cumsum(count) - count, count)
    x = np.repeat(middle, count) + (nth - np.repeat((count - 1) / 2, count)) * along
    row = np.repeat(row, count)
    return turned(np.column_stack([x, y[row]]), angle), row


def _lattice(levels: Levels, tip: Tip, angle: float, phase: float) -> tuple[Numbers, Rows]:
    """A honeycomb over the area's bounds: every second row half a step aside."""
    along, rowwise = tip.steps
    rows = ceil((levels.high[1] - levels.low[1]) / rowwise) + 3
    _bounded(rows, levels, along)
    y = (levels.low[1] + levels.high[1]) / 2 + (np.arange(rows)[::-1] - (rows - 1) / 2 - phase / 2) * rowwise
    columns = ceil((levels.high[0] - levels.low[0]) / along) + 2
    x = (np.arange(columns) - (columns - 1) / 2) * along + (levels.low[0] + levels.high[0]) / 2
    xx, yy = np.meshgrid(x, y)
    xx[1::2] += along / 2
    return turned(np.column_stack([xx.ravel(), yy.ravel()]), angle), np.repeat(np.arange(len(y)), columns)


def footprints(tip: Tip, centres: Numbers, angle: float, shrink: float = 0) -> NDArray[np.object_]:
    """Polygons of the tip on centres; `shrink` takes off a share, so that touching an edge counts as inside."""
    lower = tip.upper[-2:0:-1] * np.array([1, -1])
    template = turned(np.vstack([tip.upper, lower]), angle) * (1 - shrink)
    found: NDArray[np.object_] = (
        polygons(centres[:, None, :] + template[None, :, :]) if len(centres) else np.empty(0, dtype=object)
    )
    return found


def _breaks(flat: Numbers, row: Rows, along: float) -> Rows:
    """Where runs of neighbours, a step apart each, begin and the last ends; the centres stand by row and from left to
    right.
    """
    begins = np.flatnonzero((row[1:] != row[:-1]) | (np.abs(flat[1:, 0] - flat[:-1, 0] - along) > 1e-6)) + 1
    return np.concatenate([[0], begins, [len(flat)]])


def _walk(tip: Tip, centres: Numbers, row: Rows, angle: float) -> Rows:
    """From the lowest row of footprints on, back and forth, each time to whichever end of a row lies nearest, so that
    the hand seldom crosses the area to go on.
    """
    if not len(centres):
        return row
    flat = turned(centres, -angle)
    order = np.lexsort((flat[:, 0], row))
    flat, row = flat[order], row[order]
    first = _breaks(flat, row, tip.steps[0])
    if (np.diff(row[first[:-1]]) > 0).all():  # one run a row: simply up, back and forth
        turns = np.repeat(np.arange(len(first) - 1) % 2, np.diff(first))
        return order[np.lexsort((np.where(turns, -flat[:, 0], flat[:, 0]), row))]
    tips = flat[np.column_stack([first[:-1], first[1:] - 1])] @ np.array(
        [1, 1j]
    )  # both ends of each run, as one number each
    walked = []
    here, backwards = 0, 0
    for _ in first[1:]:
        places = order[first[here] : first[here + 1]]
        walked.append(places[::-1] if backwards else places)
        at = tips[here, 0 if backwards else 1]
        tips[here] = np.inf
        here, backwards = divmod(int(np.argmin(np.abs(tips - at))), 2)
    return np.concatenate(walked)


def _covered(tip: Tip, centres: Numbers, row: Rows, angle: float) -> BaseGeometry:
    """The union of all footprints.

    Neighbours in a row are joined beforehand into one outline, which is known without cutting: for each run of a row,
    the ends of its first and last footprint and, between them, the part of each upper edge that lies within half a step
    of its centre.
    """
    if not len(centres):
        return Polygon()
    flat = turned(centres, -angle)
    along, _ = tip.steps
    order = np.lexsort((flat[:, 0], row))
    flat, row = flat[order], row[order]
    first = _breaks(flat, row, along)
    runs = [polygon for a, b in pairwise(first) for polygon in _run(tip, flat[a:b], along)]
    return transform(union_all(runs, grid_size=SNAP), lambda points: turned(points, angle))


def _run(tip: Tip, run: Numbers, along: float) -> list[BaseGeometry]:
    """One run of footprints as one outline; round tips that only touch stay apart."""
    upper = tip.upper
    if along >= 2 * upper[-1, 0] * (1 - 1e-9) and tip.shape == "circle":
        return list(footprints(tip, run, 0))
    half = along / 2
    cut = float(np.interp(half, upper[:, 0], upper[:, 1])) if half < upper[-1, 0] else float(upper[-2, 1])
    inner = upper[np.abs(upper[:, 0]) < half - 1e-9]
    middle = np.vstack([(-half, cut), inner, (half, cut)])
    first, last = upper[upper[:, 0] < half - 1e-9], upper[upper[:, 0] > -half + 1e-9]
    between = (middle[None] + np.arange(1, len(run) - 1)[:, None, None] * np.array([along, 0])).reshape(-1, 2)
    edge = (
        np.vstack([first, (half, cut), between, last + np.array([(len(run) - 1) * along, 0])])
        if len(run) > 1
        else upper
    )
    lower = edge[-2:0:-1] * np.array([1, -1])
    return [Polygon(np.vstack([edge, lower]) + run[0])]
