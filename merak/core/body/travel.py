"""Strokes over an area: rows of a style, how long they are, how long they take, and how long any point stays under the
tip.

The hand comes to rest wherever it turns, is set down or lifted: it slows down and speeds up evenly, and the time that a
point spends under the tip is read off that motion, not assumed from the speed.
"""

from dataclasses import dataclass
from functools import cached_property
from itertools import chain, pairwise
from math import ceil, cos, hypot, pi, radians, sqrt
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from shapely import LineString, Polygon, buffer, covers, linestrings, prepare, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.grid import long_axis
from merak.core.body.levels import Levels, turned
from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen

needs(
    __name__,
    """
    mm/s²: travel.acceleration
    s: travel.set_down
    tip: travel.loop
    """,
)

Style = Literal["lines", "circles", "stroke and hold", "back and forth", "cross-hatch"]
STYLES: tuple[Style, ...] = get_args(Style)
Points = NDArray[np.float64]
Whole = NDArray[np.int64]
MOST_ROWS = 4000
#: A row shorter than this is not worth setting the tip down for.
LEAST_ROW_MM = 0.5
#: A row has two points; a curve has more.
STRAIGHT = 2
#: How far a stay is followed along a path, in samples: four tips.
WINDOW = 48


class Motion(Frozen):
    """How the hand moves: tip width (mm), overlap of rows (share of the tip), speed (mm/s), hold at the end (s), times
    each row.
    """

    tip_mm: float = Field(10, gt=0, le=200)
    overlap: float = Field(0.2, ge=0, le=0.6)
    speed_mm_s: float = Field(20, gt=0, le=300)
    hold_s: float = Field(0, ge=0, le=30)
    repeats: int = Field(1, ge=1, le=20)


@dataclass(frozen=True)
class Travel:
    """Strokes over an area. `pieces` (each n × 2, mm) are the contacts, from setting the tip down to lifting it.

    `seconds` counts travel, turns, holds and setting down again, all repeats; `dwell_s` is the longest unbroken time
    that any point stays under the tip in one repeat.
    """

    area: BaseGeometry
    style: Style
    motion: Motion
    angle_deg: float
    pieces: list[Points]
    rows: int
    length_mm: float
    seconds: float
    dwell_s: float

    @cached_property
    def swept(self) -> BaseGeometry:
        """All skin that the tip passes over."""
        lines = np.array([LineString(piece) for piece in self.pieces], dtype=object)
        return union_all(buffer(lines, self.motion.tip_mm / 2, quad_segs=4))

    @cached_property
    def left(self) -> BaseGeometry:
        """The part of the area that no row covers."""
        return self.area.difference(self.swept)


def room(area: BaseGeometry, style: Style, motion: Motion) -> BaseGeometry:
    """Where a row may run so that the tip, circling or not, stays wholly inside an area (mm)."""
    return area.buffer(-(motion.tip_mm + _loop_mm(style, motion)) / 2, quad_segs=4)


def cover(
    area: BaseGeometry, style: Style, motion: Motion, angle_deg: float | None = None, within: BaseGeometry | None = None
) -> Travel:
    """Rows over an area (mm), along its long axis unless `angle_deg` says otherwise.

    The tip stays wholly inside the area; or, where the area is a part of the skin that may be worked, inside all of
    that: `within` is then that skin's `room`. Raises BadInput on tip_mm when the tip is too small for the area to be
    told in rows.
    """
    angle = long_axis(area) if angle_deg is None else angle_deg
    inner = room(area, style, motion) if within is None else area.intersection(within)
    pieces, rows = _rows(inner, style, motion, angle)
    if style == "cross-hatch":
        across, more = _rows(inner, style, motion, angle + 90)
        pieces, rows = pieces + across, rows + more
    return _measured(area, style, motion, angle, pieces, rows)


def _rows(inner: BaseGeometry, style: Style, motion: Motion, angle: float) -> tuple[list[Points], int]:
    """The centre lines of the rows inside the area that the tip's centre may enter, lowest first, and their number."""
    if inner.is_empty:
        return [], 0
    levels = Levels(inner, angle)
    spacing = (motion.tip_mm + _loop_mm(style, motion)) * (1 - motion.overlap)
    # The outermost rows lie a little within the tips of the area, where a row would have no length.
    height = max(0.0, float(levels.high[1] - levels.low[1]) - 0.3 * spacing)
    count = ceil(height / spacing) + 1
    if count > MOST_ROWS:
        raise BadInput({"tip_mm": f"{count} rows: this tip is too small for this area."})
    gap = height / (count - 1) if count > 1 else 0.0  # rows are drawn together evenly, so that the last meets the rim
    y = (levels.low[1] + levels.high[1]) / 2 + (np.arange(count)[::-1] - (count - 1) / 2) * gap
    at, begin, end = levels.cuts(y)
    long = end - begin > LEAST_ROW_MM
    ends = np.column_stack([begin, y[at], end, y[at]])[long]
    drawn = list(turned(ends.reshape(-1, 2), angle).reshape(-1, 2, 2))
    if style == "circles":
        return [_circles(line, motion) for line in drawn], len(drawn)
    if style == "back and forth":
        return _joined(drawn, inner), len(drawn)
    return drawn, len(drawn)


def _joined(drawn: list[Points], inner: BaseGeometry) -> list[Points]:
    """Rows joined end to start without lifting, wherever the way across stays inside."""
    going = [line if n % 2 == 0 else line[::-1] for n, line in enumerate(drawn)]
    if not going:
        return []
    ways = linestrings(np.array([[before[-1], after[0]] for before, after in pairwise(going)]).reshape(-1, 2, 2))
    roomy = inner.buffer(0.1, quad_segs=2)
    prepare(roomy)
    ends = np.flatnonzero(~covers(roomy, ways)) + 1
    return [np.vstack(going[a:b]) for a, b in zip([0, *ends], [*ends, len(going)], strict=True)]


def _loop_mm(style: Style, motion: Motion) -> float:
    """The diameter that the tip's centre draws in a circle: a share of the tip, by house default; 0
    for other styles.
    """
    return motion.tip_mm * number("travel.loop") if style == "circles" else 0.0


def _circles(line: Points, motion: Motion) -> Points:
    """Small circles moving along a line: one loop for each step of a tip less its overlap."""
    gone = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    loops = max(1, round(float(gone[-1]) / (motion.tip_mm * (1 - motion.overlap))))
    t = np.linspace(0, 2 * pi * loops, loops * 16 + 1)
    r = _loop_mm("circles", motion) / 2
    centre = np.column_stack([np.interp(t / (2 * pi * loops) * gone[-1], gone, line[:, i]) for i in (0, 1)])
    circled: Points = centre + r * np.column_stack([np.cos(t), np.sin(t)])
    return circled


def along(line: Points, style: Style, motion: Motion) -> Travel:
    """One stroke between two points or along a curve (n × 2, mm), in a style; "back and forth" goes there and back."""
    points = np.asarray(line, dtype=float)
    if style == "circles":
        points = _circles(points, motion)
    elif style == "back and forth":
        points = np.vstack([points, points[-2::-1]])
    return _measured(Polygon(), style, motion, 0.0, [points], 1)


def _measured(
    area: BaseGeometry, style: Style, motion: Motion, angle: float, pieces: list[Points], rows: int
) -> Travel:
    hold = motion.hold_s if style == "stroke and hold" else 0.0
    down = number("travel.set_down")
    stretches = _all_stretches(pieces, smooth=style == "circles")
    moving = float(stretches_s(np.fromiter(chain.from_iterable(stretches), float), motion.speed_mm_s).sum())
    seconds = motion.repeats * (moving + len(pieces) * (hold + down))
    length = motion.repeats * sum(sum(found) for found in stretches)
    return Travel(area, style, motion, angle, pieces, rows, length, seconds, _dwell(pieces, stretches, motion, hold))


def stretches_s(length_mm: Points, speed_mm_s: float) -> Points:
    """Seconds from rest to rest over each stretch: even speeding up, speed, even slowing down (rule
    travel.acceleration).
    """
    a = number("travel.acceleration")
    ramps = speed_mm_s**2 / a
    return np.where(length_mm >= ramps, length_mm / speed_mm_s + speed_mm_s / a, 2 * np.sqrt(length_mm / a))


def stretch_s(length_mm: float, speed_mm_s: float) -> float:
    """The same for one stretch."""
    return float(stretches_s(np.array(length_mm), speed_mm_s))


def _all_stretches(pieces: list[Points], smooth: bool) -> list[list[float]]:
    """Each piece's stretches; rows that are all straight, in one go."""
    if pieces and all(len(piece) == STRAIGHT for piece in pieces):
        return [[hypot(x, y)] for x, y in np.array([piece[1] - piece[0] for piece in pieces]).tolist()]
    return [_stretches(piece, smooth) for piece in pieces]


def _stretches(piece: Points, smooth: bool) -> list[float]:
    """The lengths between points of rest: ends and corners; a curve drawn without corners has none inside."""
    steps = np.diff(piece, axis=0)
    lengths = np.hypot(*steps.T)
    if smooth:
        return [float(lengths.sum())]
    unit = steps / np.maximum(lengths, 1e-12)[:, None]
    corner = (unit[:-1] * unit[1:]).sum(axis=1) < cos(radians(30))
    return [float(part.sum()) for part in np.split(lengths, np.flatnonzero(corner) + 1)]


def _dwell(pieces: list[Points], stretches: list[list[float]], motion: Motion, hold: float) -> float:
    """The longest unbroken time (s) that any point of the paths stays under the tip, in one repeat."""
    both = list(zip(pieces, stretches, strict=True))
    straight = max((sum(found) for piece, found in both if len(piece) == STRAIGHT), default=0.0)
    longest = _from_rest(straight, motion) + hold if straight else 0.0
    bent = [(piece, found) for piece, found in both if len(piece) > STRAIGHT]
    curves = [one for one in bent if len(one[1]) == 1]  # circles along rows are all alike: the longest tells
    tried = [one for one in bent if len(one[1]) > 1] + sorted(curves, key=lambda one: one[1])[-1:]
    return max([longest, *(_dwell_of(piece, found, motion, hold) for piece, found in tried)])


def _from_rest(length: float, motion: Motion) -> float:
    """A straight stroke is slowest at its ends: the point half a tip from a rest is under the tip for the first (or
    last) tip's width.
    """
    a, width, v = number("travel.acceleration"), motion.tip_mm, motion.speed_mm_s
    if length <= width:
        return stretch_s(length, v)
    ramp = min(v * v / (2 * a), length / 2)
    return sqrt(2 * width / a) if width <= ramp else sqrt(2 * ramp / a) + (width - ramp) / sqrt(2 * a * ramp)


def _dwell_of(piece: Points, stretches: list[float], motion: Motion, hold: float) -> float:
    """The same for one path that bends.

    The motion is sampled in space, a twelfth of a tip apart, each sample with its moment. Around each rest (and, on a
    curve without rests, at its ends and middle) points on and beside the path are tried: samples in a row within half a
    tip of one are its stay.
    """
    travelled = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(piece, axis=0).T))])
    total = float(travelled[-1])
    apart = motion.tip_mm / 12
    at = np.linspace(0, total, max(3, ceil(total / apart) + 1))
    where = np.column_stack([np.interp(at, travelled, piece[:, i]) for i in (0, 1)])
    rests = np.concatenate([[0.0], np.cumsum(stretches)])
    time = _time_at(at, rests, motion.speed_mm_s)
    around = rests if len(stretches) > 1 else np.array([0.0, total / 2, total])
    reach = motion.tip_mm / 2
    tried = np.clip(around[:, None] + np.linspace(-2, 2, 9) * reach, 0, total)
    on_path = np.stack([np.interp(tried, travelled, piece[:, i]) for i in (0, 1)], axis=-1)
    beside = np.stack(np.meshgrid(*[np.linspace(-1, 1, 7) * reach] * 2), axis=-1).reshape(1, -1, 2)
    points = np.concatenate([on_path, on_path[:, [4]] + beside], axis=1)
    window = np.searchsorted(at, around)[:, None] + np.arange(-WINDOW, WINDOW + 1)
    there = (window >= 0) & (window < len(at))
    window = np.clip(window, 0, len(at) - 1)
    gap = np.sqrt(((where[window][:, None] - points[:, :, None]) ** 2).sum(axis=-1))
    under = (gap <= reach * (1 + 1e-9)) & there[:, None]
    before, after = np.zeros_like(under), np.zeros_like(under)
    before[..., 1:], after[..., :-1] = under[..., :-1], under[..., 1:]
    rest, point, begun = np.nonzero(under & ~before)
    _, _, ended = np.nonzero(under & ~after)

    def edge(inside: Whole, outside: Whole) -> Points:
        """The moment at which the tip's rim passes the point, between the last sample under it and
        the next beside it.
        """
        outside = np.clip(outside, 0, window.shape[1] - 1)
        a, b = gap[rest, point, inside], gap[rest, point, outside]
        share = np.where(b > a, (reach - a) / np.maximum(b - a, 1e-12), 0.0)
        t_in, t_out = time[window[rest, inside]], time[window[rest, outside]]
        crossed: Points = t_in + np.clip(share, 0, 1) * (t_out - t_in)
        return crossed

    stay = edge(ended, ended + 1) - edge(begun, begun - 1) + np.where(window[rest, ended] == len(at) - 1, hold, 0.0)
    return float(stay.max(initial=0.0))


def _time_at(at: Points, rests: Points, speed: float) -> Points:
    """The moment (s) at which each travelled length is reached, with rests at the given lengths."""
    a = number("travel.acceleration")
    part = np.clip(np.searchsorted(rests, at, side="right") - 1, 0, len(rests) - 2)
    lengths = np.diff(rests)
    begun = np.concatenate([[0.0], np.cumsum(stretches_s(lengths, speed))])
    length, gone = lengths[part], np.clip(at - rests[part], 0, None)
    ramp = np.minimum(speed**2 / (2 * a), length / 2)
    top = np.sqrt(2 * a * ramp)
    whole = begun[part + 1] - begun[part]
    up, down = np.sqrt(2 * gone / a), whole - np.sqrt(2 * np.clip(length - gone, 0, None) / a)
    level = top / a + (gone - ramp) / np.maximum(top, 1e-12)
    within = np.where(gone <= ramp, up, np.where(gone >= length - ramp, down, level))
    found: Points = begun[part] + within
    return found
