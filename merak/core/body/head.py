"""The head that a face's plate lies on: the same skin in space, from the same tapes.

Every level line of the plate keeps its length on the head, and so does the midline; docs/plate.md says how true the
rest is. A view turns the head about its upright axis and looks from far away.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray

from merak.core.body.curves import Pair, smooth
from merak.core.body.plate import plate
from merak.core.client import Measures
from merak.core.errors import BadInput
from merak.core.knowledge.current import by_book

Grid = NDArray[np.float64]
Steps = NDArray[np.intp]
Points = tuple[Pair, ...]

#: The profile in the default build: from where on the midline (mm), how many degrees the skin leans forward as it goes
#: down. Brow, bridge, ridge, tip, base of the nose, lips, fold, chin: a house drawing.
PROFILE = (
    *((-15, 44), (0, 34), (16, 20), (34, 9), (50, 4), (58, -6), (66, -24), (74, -4)),
    *((80, 30), (90, 36), (104, 36), (109, 12), (112, -44), (114, -66), (118, -60), (120.5, -8)),
    *((126, 6), (133, 22), (137, 6), (141, -40), (143.5, -6), (147, 22), (151, -2), (156, -36)),
    *((161, -22), (166, 12), (173, 20), (179, -2), (185, -26), (190, -50), (204, -74)),
)
#: Half the head's breadth beside each level of the plate (mm): the temples, the cheekbones, the jaw, the chin.
BREADTH = (
    *((-15, 56), (0, 61), (22, 66), (45, 68.5), (73, 69), (96, 67.5)),
    *((121, 64.5), (142, 58.5), (160, 49), (176, 38), (190, 29), (204, 22)),
)
#: How far from the midline the profile is felt (mm): a nose is narrow, a forehead broad.
FELT = (
    *((-15, 60), (40, 52), (58, 30), (70, 14), (84, 9), (104, 11), (114, 13)),
    *((122, 16), (130, 24), (150, 22), (170, 19), (190, 21), (204, 24)),
)
#: How far the smooth sides of the face lean, as the profile does: seen from the front, and from beside, where the jaw
#: goes forward with the chin; and how deep they are at their deepest (mm).
SIDES_LEAN_FORWARD = ((-15, 38), (40, 19), (84, 2), (120, -8), (150, -13), (176, -19), (204, -32))
SIDES_LEAN = ((-15, 38), (40, 19), (84, 2), (120, -11), (150, -23), (176, -37), (204, -51))
DEEP_MM = 104.0
#: So far is the brow before the sides (mm).
BROW_MM = 2.0
#: Where the sides are as deep as the profile, and where as low (mm down the midline).
LEVEL_WITH_MM, LOW_WITH_MM = 50.0, 72.0
#: The skull, the nape and the neck behind the face: height below the hairline, half the breadth, front and back (mm).
SKULL = (
    *((-64, 0, -14, -14), (-62, 22, 12, -40), (-56, 38, 32, -60), (-44, 53, 52, -80), (-26, 65, 66, -98)),
    *((-4, 71, 76, -110), (22, 74, 84, -116), (48, 74, 88, -116), (74, 72, 84, -109), (98, 68, 66, -97)),
    *((120, 63, 50, -84), (142, 57, 42, -72), (158, 53, 38, -66), (174, 51, 36, -63), (194, 51, 34, -63)),
    *((214, 53, 34, -66), (230, 60, 35, -70), (240, 74, 36, -74), (247, 96, 36, -78)),
)
#: The mesh: its first and last level and how far apart they are; its last column and how far apart (mm, default build).
TOP_MM, FOOT_MM, LEVEL_MM = -15.0, 204.0, 3.0
OUT_MM, COLUMN_MM = 184.0, 4.0
#: Angles from straight ahead to well behind the ear.
AROUND = np.linspace(0, 2.6, 521)
#: Across this middle of the face a level line's length is true on the whole, beyond it everywhere (mm).
MIDDLE_MM = 30.0
#: The level of the tape from ear to ear, and over how much a detour is evened out (mm).
TAPE_AT_MM, EVENED_MM = 121.0, 20.0
#: The ear stands off the head: from which column on, over how far, and by how much (mm).
EAR_FROM_MM, EAR_OVER_MM, EAR_OFF_MM = 136.0, 30.0, 15.0
#: What is drawn nearer to its own place than this is seen.
HIDDEN_MM = 0.05
#: A place that was found is seen where it was looked for, so exactly.
FOUND_MM = 0.01
#: A place so far outside a cell, as a share of it, lies on its edge.
EDGE = 1e-6
#: No neck turns farther than this from the front.
MOST_DEG = 90.0


@dataclass(frozen=True)
class Head:
    """A client's head as a mesh of its left half. `columns` are mm out from the midline and `levels` mm down it, both
    on the plate; `at[level, column]` is where that skin lies: (to the client's left, down, forward), mm. `skull` is
    what stands behind the face: (down, half the breadth, front, back).
    """

    columns: Grid
    levels: Grid
    at: Grid
    skull: Grid

    def skin(self, points: Grid) -> Grid:
        """Where plate points (n × 2, mm, of either side) lie on the head (n × 3, mm)."""
        points = np.asarray(points, dtype=float)
        found = _between(self.at, self._cells(np.abs(points[:, 0]), points[:, 1]))
        found[:, 0] *= np.where(points[:, 0] < 0, -1, 1)
        return found

    def seen(self, points: Grid, turned_deg: float) -> tuple[Grid, NDArray[np.bool_]]:
        """Where plate points stand in a view (n × 2: right, down, mm), and whether they are seen there. The head is
        turned by so many degrees to show its left (positive) or its right. What lies behind is put on the edge that
        hides it, so that an outline never folds. Raises BadInput for a turn beyond a profile.
        """
        points = np.asarray(points, dtype=float)
        columns, across, kept = self._view(turned_deg)
        row, down = _steps(self.levels, points[:, 1])
        column, out = _steps(columns, points[:, 0])
        at = (row, down, column, out)
        seen = np.column_stack([_between(kept[..., None], at)[:, 0], self.skin(points)[:, 1]])
        return seen, np.abs(_between(across[..., None], at)[:, 0] - seen[:, 0]) < HIDDEN_MM

    def plate_point(self, right: float, down: float, turned_deg: float) -> tuple[float, float] | None:
        """The plate point that is seen at a place of a view (mm); None beside the face. Raises BadInput for a turn
        beyond a profile.
        """
        columns, across, kept = self._view(turned_deg)
        height = np.concatenate([self.at[:, :0:-1, 1], self.at[..., 1]], axis=1)
        shown = (np.abs(across - kept) < HIDDEN_MM).astype(int)
        u, v = (_corners(of) for of in (kept, height))
        near = (
            (_corners(shown).sum(0) > 0)
            & (u.min(0) - 1 <= right) & (right <= u.max(0) + 1) & (v.min(0) - 1 <= down) & (down <= v.max(0) + 1)
        )  # fmt: skip
        for row, column in np.argwhere(near):
            for inner in _inside(u[:, row, column], v[:, row, column], right, down):
                wide, tall = columns[column + 1] - columns[column], self.levels[row + 1] - self.levels[row]
                there = float(columns[column] + inner[0] * wide), float(self.levels[row] + inner[1] * tall)
                (again,), (shows,) = self.seen(np.array([there]), turned_deg)
                if shows and np.abs(again - (right, down)).max() < FOUND_MM:  # a cell seen edge on finds nothing
                    return there
        return None

    def _cells(self, out: Grid, down: Grid) -> tuple[Steps, Grid, Steps, Grid]:
        row, below = _steps(self.levels, down)
        column, beside = _steps(self.columns, out)
        return row, below, column, beside

    def _view(self, turned_deg: float) -> tuple[Grid, Grid, Grid]:
        """Columns of both sides, where each mesh point stands across, and where it is drawn: never back over what hides
        it.
        """
        if not abs(turned_deg) <= MOST_DEG:
            raise BadInput({"turned": f"A head is turned by {MOST_DEG:.0f}° at most."})
        turn = radians(turned_deg)
        columns, both = self._both
        across = both[..., 0] * cos(turn) - both[..., 2] * sin(turn)
        toward = both[..., 0] * sin(turn) + both[..., 2] * cos(turn)
        front = toward.argmax(axis=1)
        n = np.arange(len(columns))[None, :]
        later = np.maximum.accumulate(np.where(n >= front[:, None], across, -np.inf), axis=1)
        sooner = np.minimum.accumulate(np.where(n <= front[:, None], across, np.inf)[:, ::-1], axis=1)[:, ::-1]
        return columns, across, np.where(n >= front[:, None], later, sooner)

    @cached_property
    def _both(self) -> tuple[Grid, Grid]:
        columns = np.concatenate([-self.columns[:0:-1], self.columns])
        right = self.at[:, :0:-1] * np.array([-1.0, 1.0, 1.0])
        return columns, np.concatenate([right, self.at], axis=1)


@by_book(48)
def head(measures: Measures) -> Head:
    """The head of a client with these tapes. Raises BadInput, by field, as their plate does."""
    face = plate(measures)
    across, down = face.across, face.down
    levels = np.arange(TOP_MM, FOOT_MM + LEVEL_MM / 2, LEVEL_MM)
    columns = np.arange(0, OUT_MM + COLUMN_MM / 2, COLUMN_MM)
    # Down the midline: as far along the skin as the tape says, whatever it leans.
    mid_down, mid_front = _leaning(PROFILE, levels)
    side_down, _ = _leaning(SIDES_LEAN, levels)
    _, side_front = _leaning(SIDES_LEAN_FORWARD, levels)
    side_front += DEEP_MM - side_front.max()
    mid_front += float(np.interp(LEVEL_WITH_MM, levels, side_front - mid_front)) + BROW_MM
    side_down += float(np.interp(LOW_WITH_MM, levels, mid_down - side_down))
    # A head is as deep as it is wide, and leans as it leans however long it is.
    side_front, mid_front = (DEEP_MM + (front - DEEP_MM) * down / across for front in (side_front, mid_front))
    breadth, felt = _curve(BREADTH)(levels), _curve(FELT)(levels)
    lines, lengths, more = [], [], []
    for n in range(len(levels)):
        x = breadth[n] * np.sin(AROUND)
        felt_here = np.exp(-((x / felt[n]) ** 2)) * (np.pi / 2 > AROUND)
        smooth_line, line = (
            np.column_stack(
                [
                    across * x,
                    down * (side_down[n] + share * (mid_down[n] - side_down[n])),
                    across * (side_front[n] * np.cos(AROUND) + share * (mid_front[n] - side_front[n])),
                ]
            )
            for share in (0 * felt_here, felt_here)
        )
        lines.append(line)
        lengths.append(_length(line))
        more.append(lengths[-1][-1] - _length(smooth_line)[-1])
    # Nose and lips are a detour that the cheeks beside them do not make.
    detour = np.array(more) - _evened(np.array(more), levels)
    detour -= np.interp(TAPE_AT_MM, levels, detour) * np.exp(-(((levels - TAPE_AT_MM) / EVENED_MM) ** 2))
    at = np.empty((len(levels), len(columns), 3))
    out = across * columns
    for n, (line, length) in enumerate(zip(lines, lengths, strict=True)):
        wanted = out + detour[n] * np.clip(columns / MIDDLE_MM, 0, 1)
        at[n] = np.column_stack([np.interp(wanted, length, line[:, k]) for k in range(3)])
    _ears(at, levels, columns, across)
    skull = _skull() * np.array([down, across, across, across])
    return Head(across * columns, down * levels, at, skull)


def _ears(at: Grid, levels: Grid, columns: Grid, across: float) -> None:
    """The ear off the head, outward and a little forward; the face itself stays where it is."""
    off = np.clip((columns - EAR_FROM_MM) / EAR_OVER_MM, 0, 1)
    off = EAR_OFF_MM * across * off * off * (3 - 2 * off)
    beside = np.clip(np.minimum(levels - 56, 140 - levels) / 16, 0, 1)
    at[..., 0] += beside[:, None] * off[None, :]
    at[..., 2] += 0.2 * beside[:, None] * off[None, :]


def _skull() -> Grid:
    rows = np.array(SKULL)
    return np.column_stack(
        [
            [y for _, y in smooth([(n, value) for n, value in enumerate(rows[:, k])], steps=3)]
            for k in range(rows.shape[1])
        ]
    )


def _curve(points: Points) -> Callable[[Grid], Grid]:
    line = np.array(smooth(points, steps=6))
    return lambda at: np.interp(at, line[:, 0], line[:, 1])


def _length(line: Grid) -> Grid:
    """How far along a line each of its points is, mm."""
    return np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])


def _evened(values: Grid, levels: Grid) -> Grid:
    """What changes from level to level, without what comes and goes within EVENED_MM."""
    near = np.exp(-0.5 * ((levels[:, None] - levels[None, :]) / EVENED_MM) ** 2)
    evened: Grid = near @ values / near.sum(axis=1)
    return evened


def _leaning(profile: Points, levels: Grid) -> tuple[Grid, Grid]:
    """How far down and forward each level lies on a line that leans so, from where the plate begins."""
    fine = np.arange(TOP_MM, FOOT_MM + 0.05, 0.1)
    lean = np.radians(_curve(profile)(fine))
    slopes = np.column_stack([np.cos(lean), np.sin(lean)])
    total = np.vstack([np.zeros(2), np.cumsum((slopes[1:] + slopes[:-1]) * 0.05, axis=0)])
    down, front = (np.interp(levels, fine, total[:, k] - np.interp(0, fine, total[:, k])) for k in (0, 1))
    return down, front


def _steps(axis: Grid, at: Grid) -> tuple[Steps, Grid]:
    """The cell of an axis that each value lies in, and how far in it; beyond the ends it goes straight on."""
    cell: Steps = np.clip(np.searchsorted(axis, at, side="right") - 1, 0, len(axis) - 2)
    return cell, (at - axis[cell]) / (axis[cell + 1] - axis[cell])


def _between(mesh: Grid, at: tuple[Steps, Grid, Steps, Grid]) -> Grid:
    row, down, column, out = at
    down, out = down[:, None], out[:, None]
    upper = mesh[row, column] * (1 - out) + mesh[row, column + 1] * out
    lower = mesh[row + 1, column] * (1 - out) + mesh[row + 1, column + 1] * out
    found: Grid = upper * (1 - down) + lower * down
    return found


def _corners(of: Grid) -> Grid:
    return np.stack([of[:-1, :-1], of[:-1, 1:], of[1:, :-1], of[1:, 1:]])


def _inside(u: Grid, v: Grid, right: float, down: float) -> Iterator[tuple[float, float]]:
    """Where in a mesh cell a place is seen, each of 0 to 1; twice where the cell folds, nowhere outside it."""
    at = np.array([right - u[0], down - v[0]])
    beside, below = (np.array([of[n] - of[0] for of in (u, v)]) for n in (1, 2))
    twist = np.array([of[3] - of[1] - of[2] + of[0] for of in (u, v)])
    # at = s beside + t below + s t twist: without s a square in t.
    square = (-_cross(below, twist), _cross(at, twist) - _cross(below, beside), _cross(at, beside))
    for t in np.roots(np.trim_zeros(square, "f")):
        along = beside + t.real * twist
        n = int(np.abs(along).argmax())
        if abs(t.imag) < EDGE and along[n]:
            s = (at[n] - t.real * below[n]) / along[n]
            if -EDGE <= s <= 1 + EDGE and -EDGE <= t.real <= 1 + EDGE:
                yield float(s), float(t.real)


def _cross(one: Grid, other: Grid) -> float:
    return float(one[0] * other[1] - one[1] * other[0])
