"""Strokes over an area: rows of a style, how long they are, how long they take, and how long any point stays under the tip.

The hand comes to rest wherever it turns, is set down or lifted: it slows down and speeds up evenly, and the time that a point spends under
the tip is read off that motion, not assumed from the speed.
"""

from math import ceil, cos, pi, radians, sqrt
from typing import Literal, NamedTuple, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy.spatial import cKDTree
from shapely import LineString, MultiLineString, Polygon, covers, get_coordinates, get_parts, intersection, linestrings, prepare
from shapely.geometry.base import BaseGeometry

from merak.core.body.grid import long_axis, turned
from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.working import Frozen

Style = Literal["lines", "circles", "stroke and hold", "back and forth", "cross-hatch"]
STYLES: tuple[Style, ...] = get_args(Style)
Points = NDArray[np.float64]
MOST_ROWS = 4000


class Motion(Frozen):
    """How the hand moves: tip width (mm), overlap of neighbouring rows (share of the tip), speed (mm/s), hold at the end (s), times each row."""

    tip_mm: float = Field(10, gt=0, le=200)
    overlap: float = Field(0.2, ge=0, le=0.6)
    speed_mm_s: float = Field(20, gt=0, le=300)
    hold_s: float = Field(0, ge=0, le=30)
    repeats: int = Field(1, ge=1, le=20)


class Travel(NamedTuple):
    """Strokes over an area. `pieces` (each n × 2, mm) are the contacts, from setting the tip down to lifting it.

    `seconds` counts travel, turns, holds and setting down again, all repeats; `dwell_s` is the longest unbroken time that any point stays
    under the tip in one repeat; `left` is the skin that no row covers.
    """

    style: Style
    motion: Motion
    angle_deg: float
    pieces: list[Points]
    rows: int
    length_mm: float
    seconds: float
    dwell_s: float
    left: BaseGeometry


def cover(area: BaseGeometry, style: Style, motion: Motion, angle_deg: float | None = None) -> Travel:
    """Rows over an area (mm), the tip wholly inside it, along its long axis unless `angle_deg` says otherwise.

    Raises BadInput on tip_mm when the tip is too small for the area to be told in rows.
    """
    angle = long_axis(area) if angle_deg is None else angle_deg
    inner = area.buffer(-motion.tip_mm / 2, quad_segs=4)
    pieces, rows = _rows(inner, style, motion, angle)
    if style == "cross-hatch":
        across, more = _rows(inner, style, motion, angle + 90)
        pieces, rows = pieces + across, rows + more
    return _measured(area, style, motion, angle, pieces, rows)


def _rows(inner: BaseGeometry, style: Style, motion: Motion, angle: float) -> tuple[list[Points], int]:
    """The centre lines of the rows inside the area that the tip's centre may enter, lowest first, and their number."""
    if inner.is_empty:
        return [], 0
    flat = turned(get_coordinates(inner), -angle)
    low, high = flat.min(axis=0), flat.max(axis=0)
    loop = _loop_mm(motion) if style == "circles" else 0.0
    if loop:
        inner = inner.buffer(-loop / 2, quad_segs=4)
    spacing = (motion.tip_mm + loop) * (1 - motion.overlap)
    height = high[1] - low[1] - loop
    count = max(1, int(ceil(height / spacing)) + 1)
    if count > MOST_ROWS:
        raise BadInput({"tip_mm": f"{count} rows: this tip is too small for this area."})
    gap = height / (count - 1) if count > 1 else 0.0  # rows are drawn together evenly, so that the last meets the rim
    middle = (low[1] + high[1]) / 2
    y = middle + (np.arange(count) - (count - 1) / 2)[::-1] * gap
    ends = np.empty((count, 2, 2))
    ends[:, 0, 0], ends[:, 1, 0], ends[:, :, 1] = low[0] - 1, high[0] + 1, y[:, None]
    prepare(inner)
    cut = intersection(inner, linestrings(turned(ends.reshape(-1, 2), angle).reshape(-1, 2, 2)))
    parts, at = get_parts(cut, return_index=True)
    drawn = [(int(row), np.asarray(part.coords)) for part, row in zip(parts, at, strict=True) if isinstance(part, LineString) and part.length > 0.5]
    drawn = [(row, line if turned(line, -angle)[0, 0] <= turned(line, -angle)[-1, 0] else line[::-1]) for row, line in drawn]
    if style == "circles":
        return [_circles(line, motion) for _, line in drawn], len(drawn)
    if style == "back and forth":
        return _joined(drawn, inner), len(drawn)
    return [line for _, line in drawn], len(drawn)


def _joined(drawn: list[tuple[int, Points]], inner: BaseGeometry) -> list[Points]:
    """Rows joined end to start without lifting, wherever the way across stays inside."""
    pieces: list[Points] = []
    for n, (_, line) in enumerate(drawn):
        going = line if n % 2 == 0 else line[::-1]
        if pieces and covers(inner.buffer(0.1), LineString([pieces[-1][-1], going[0]])):
            pieces[-1] = np.vstack([pieces[-1], going])
        else:
            pieces.append(going)
    return pieces


def _loop_mm(motion: Motion) -> float:
    """The diameter that the tip's centre draws in a circle: a tip's width, by house default."""
    return motion.tip_mm * number("travel.loop")


def _circles(line: Points, motion: Motion) -> Points:
    """Small circles moving along a line: one loop for each step of a tip less its overlap."""
    length = float(np.hypot(*np.diff(line, axis=0).T).sum())
    loops = max(1, round(length / (motion.tip_mm * (1 - motion.overlap))))
    t = np.linspace(0, 2 * pi * loops, loops * 16 + 1)
    at = LineString(line).interpolate(t / (2 * pi * loops), normalized=True)
    r = _loop_mm(motion) / 2
    centre = np.array([(point.x, point.y) for point in at])
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


def _measured(area: BaseGeometry, style: Style, motion: Motion, angle: float, pieces: list[Points], rows: int) -> Travel:
    hold = motion.hold_s if style == "stroke and hold" else 0.0
    down = number("travel.set_down")
    stretches = [_stretches(piece, smooth=style == "circles") for piece in pieces]
    moving = sum(stretch_s(length, motion.speed_mm_s) for found in stretches for length in found)
    seconds = motion.repeats * (moving + len(pieces) * (hold + down))
    length = motion.repeats * sum(sum(found) for found in stretches)
    swept = MultiLineString(pieces).buffer(motion.tip_mm / 2, quad_segs=6) if pieces else Polygon()
    longest = _dwell(pieces, stretches, motion, hold)
    return Travel(style, motion, angle, pieces, rows, length, seconds, longest, area.difference(swept))


def stretch_s(length_mm: float, speed_mm_s: float) -> float:
    """Seconds from rest to rest over a stretch: even speeding up, speed, even slowing down (rule travel.acceleration)."""
    a = number("travel.acceleration")
    ramps = speed_mm_s**2 / a
    return length_mm / speed_mm_s + speed_mm_s / a if length_mm >= ramps else 2 * sqrt(length_mm / a)


def _stretches(piece: Points, smooth: bool) -> list[float]:
    """The lengths between points of rest: ends and corners; a curve drawn without corners has none inside."""
    steps = np.diff(piece, axis=0)
    lengths = np.hypot(*steps.T)
    if smooth or len(lengths) < 2:
        return [float(lengths.sum())]
    unit = steps / np.maximum(lengths, 1e-12)[:, None]
    corner = (unit[:-1] * unit[1:]).sum(axis=1) < cos(radians(30))
    return [float(part.sum()) for part in np.split(lengths, np.flatnonzero(corner) + 1)]


def _dwell(pieces: list[Points], stretches: list[list[float]], motion: Motion, hold: float) -> float:
    """The longest unbroken time (s) that any point of the paths stays under the tip, in one repeat.

    The motion is sampled in space, a twelfth of a tip apart, each sample with its time; for points at and around each rest, and along the way,
    the run of samples within half a tip is the stay. What is found is at most two samples short.
    """
    longest = 0.0
    seen: set[tuple[int, ...]] = set()
    for piece, found in zip(pieces, stretches, strict=True):
        shape = tuple(round(length / max(motion.tip_mm, 1)) for length in found)
        if shape in seen and len(found) == 1:
            continue  # a straight row as long as another stays no longer
        seen.add(shape)
        longest = max(longest, _dwell_of(piece, found, motion, hold))
    return longest


def _dwell_of(piece: Points, stretches: list[float], motion: Motion, hold: float) -> float:
    apart = motion.tip_mm / 12
    travelled = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(piece, axis=0).T))])
    total = travelled[-1]
    if total <= 0:
        return hold
    at = np.linspace(0, total, max(2, int(ceil(total / apart)) + 1))
    where = np.column_stack([np.interp(at, travelled, piece[:, i]) for i in (0, 1)])
    rests = np.concatenate([[0.0], np.cumsum(stretches)])
    time = _time_at(at, rests, motion.speed_mm_s)
    reach = motion.tip_mm / 2
    offsets = np.linspace(-2 * reach, 2 * reach, 17)
    wanted = np.concatenate([(rests[:, None] + offsets[None, :]).ravel(), np.linspace(0, total, 24)])
    wanted = np.unique(np.clip(wanted, 0, total))
    candidates = np.column_stack([np.interp(wanted, travelled, piece[:, i]) for i in (0, 1)])
    longest = 0.0
    for near in cKDTree(where).query_ball_point(candidates, reach * (1 + 1e-9), return_sorted=True):
        index = np.asarray(near)
        cut = np.flatnonzero(np.diff(index) > 1)
        first, last = index[np.concatenate([[0], cut + 1])], index[np.concatenate([cut, [len(index) - 1]])]
        stay = time[last] - time[first] + np.where(last == len(at) - 1, hold, 0.0)
        longest = max(longest, float(stay.max()))
    return longest


def _time_at(at: Points, rests: Points, speed: float) -> Points:
    """The moment (s) at which each travelled length is reached, with rests at the given lengths."""
    a = number("travel.acceleration")
    part = np.clip(np.searchsorted(rests, at, side="right") - 1, 0, len(rests) - 2)
    lengths = np.diff(rests)
    begun = np.concatenate([[0.0], np.cumsum([stretch_s(length, speed) for length in lengths])])
    length, gone = lengths[part], np.clip(at - rests[part], 0, None)
    ramp = np.minimum(speed**2 / (2 * a), length / 2)
    top = np.sqrt(2 * a * ramp)
    whole = begun[part + 1] - begun[part]
    up, down = np.sqrt(2 * gone / a), whole - np.sqrt(2 * np.clip(length - gone, 0, None) / a)
    level = top / a + (gone - ramp) / np.maximum(top, 1e-12)
    within = np.where(gone <= ramp, up, np.where(gone >= length - ramp, down, level))
    found: Points = begun[part] + within
    return found


