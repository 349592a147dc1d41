"""Strokes between landmarks, up and out, clipped to the treatable area and cut where bone comes close."""

from itertools import pairwise
from typing import Literal, NamedTuple, get_args

import numpy as np
from numpy.typing import NDArray
from shapely import (
    LineString,
    covers,
    distance,
    get_num_geometries,
    get_parts,
    get_point,
    get_type_id,
    intersection,
    length,
    line_locate_point,
    linestrings,
    points,
    prepare,
    reverse,
)
from shapely.geometry.base import BaseGeometry
from shapely.ops import substring

from merak.core.body.curves import Pair
from merak.core.body.plate import BONY, SIDES, Plate
from merak.core.body.treatable import Treatable
from merak.core.knowledge import number, works
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import needs

needs(
    __name__,
    """
    mm: face.least_piece
    """,
)

Path = Literal[
    "low", "middle", "high", "jaw lift", "brow", "forehead", "neck", "mouth lines", "frown lines", "neck tendon"
]
EVERY_PATH: tuple[Path, ...] = get_args(Path)
#: The paths that a lift begins with; those along single lines are asked for.
PATHS: tuple[Path, ...] = EVERY_PATH[:7]
#: A line that reaches so little into a zone, in mm, only touches its border.
BORDER_MM = 3
#: GEOS's number for a line.
LINE = 1
#: A stroke's end: landmark and how far from it, (outward, down) in mm of the default build.
End = tuple[str, float, float]

#: Common practice for the ends; how many parallel lines and how far apart is a house default.
STROKES: dict[str, tuple[tuple[End, End], ...]] = {
    "low": ((("chin point", 5, -8), ("ear lobe", -4, -2)),),
    "middle": ((("mouth corner", 6, 0), ("tragus", -6, 0)),),
    "high": ((("nose wing", 5, -1), ("temple hairline", -4, 9)),),
    "jaw lift": (
        (("mid jaw", -32, 9), ("mouth corner", 19, -12)),
        (("mid jaw", -5, -1), ("cheekbone peak", -6, 16)),
        (("jaw angle", -22, 8), ("cheekbone peak", 18, 10)),
    ),
    "brow": (
        (("brow head", 0, -2), ("brow tail", 2, -4)),
        (("brow head", 1, -9), ("brow tail", 4, -11)),
    ),
    "forehead": (
        (("brow head", -3, -12), ("hairline centre", 8, 0)),
        (("brow head", 13, -17), ("hairline centre", 25, 0)),
        (("brow peak", 6, -11), ("hairline side", 3, 0)),
        (("brow tail", -1, -14), ("hairline side", 17, 6)),
    ),
    "nose": (
        (("nose wing", -6, 2), ("nose bridge", 6, -2)),
        (("nose tip", 4, -2), ("nose bridge", 2, -4)),
    ),
    "mouth lines": (
        (("chin point", 22, -12), ("mouth corner", 4, 4)),
        (("mouth corner", 7, -6), ("nose wing", 3, 4)),
    ),
    "frown lines": ((("brow head", -6, 7), ("brow head", -4, -12)),),
    "neck tendon": ((("throat notch", 58, -14), ("jaw angle", 12, 12)),),
    "neck": (
        (("throat notch", 26, -4), ("jaw angle", -26, 30)),
        (("throat notch", 48, -8), ("jaw angle", -2, 12)),
        (("side of neck base", -12, 8), ("jaw angle", 9, 0)),
    ),
}
#: Focused work starts its low line below the mouth corner and ends its high line below the temple, where the nerve's
#: branches are left out.
FOCUSED: dict[str, tuple[tuple[End, End], ...]] = {
    **STROKES,
    "low": ((("mouth corner", 2, 20), ("ear lobe", -30, 2)),),
    "high": ((("nose wing", 5, -1), ("cheekbone peak", 10, -10)),),
}
needs(__name__, landmark=tuple({end[0] for lines in STROKES.values() for line in lines for end in line}))
#: The paths that lie on each plate; elsewhere rows are laid over the area.
ON_PLATE = {
    "face": (*(path for path in EVERY_PATH if not path.startswith("neck")), "nose"),
    "neck": ("neck", "neck tendon"),
}


class Line(NamedTuple):
    """A stroke on one side, or the piece of one up to where bone begins or ends: its path, its points in mm from start
    to end, its length in mm, whether it runs over bone; the number of its stroke on that side.
    """

    path: str
    points: tuple[Pair, ...]
    length_mm: float
    bony: bool
    stroke: int = 0


def lines(area: Treatable, side: str, paths: tuple[str, ...]) -> tuple[Line, ...]:
    """The strokes of the chosen paths on one side, in working order, inside the treatable area; none where a plate has
    no such path.
    """
    return _both(area, paths, cut=False)[side]


def pieces(area: Treatable, side: str, paths: tuple[str, ...]) -> tuple[Line, ...]:
    """The same, cut where bone begins or ends: what is set and counted by itself."""
    return _both(area, paths, cut=True)[side]


@by_book(96)
def _both(area: Treatable, paths: tuple[str, ...], cut: bool) -> dict[str, tuple[Line, ...]]:
    """The strokes of both sides, clipped in one go: none crosses the midline."""
    face = area.plate
    ends = FOCUSED if works()[area.work].ends == "short of the temple" else STROKES
    named = [(path, stroke) for path in ON_PLATE.get(face.name, ()) if path in paths for stroke in ends[path]]
    drawn = [(side, path, _drawn(face, path, side, *stroke)) for side in SIDES for path, stroke in named]
    if not drawn:
        return dict.fromkeys(SIDES, ())
    strokes = [stroke for *_, stroke in drawn]
    whole = _longest(_within(_strings(strokes), area.skin), strokes)
    over_bone = _within(whole, bone(face))
    found: dict[str, list[Line]] = {side: [] for side in SIDES}
    for n, (side, path, _) in enumerate(drawn):
        stretches = _stretches(whole[n], over_bone[n])
        if stretches and not cut:
            stretches = [(0, whole[n].length, all(bony for *_, bony in stretches))]
        for start, end, bony in stretches:
            piece = substring(whole[n], start, end) if len(stretches) > 1 else whole[n]
            found[side].append(Line(path, tuple((x, y) for x, y in piece.coords), piece.length, bony, n))
    return {side: tuple(kept) for side, kept in found.items()}


def _stretches(line: BaseGeometry, over_bone: BaseGeometry) -> list[tuple[float, float, bool]]:
    """Where along a line (mm) bone lies close and where not, in order. What is too short to be set by itself joins the
    shorter of its neighbours, and bone's setting, the lower one, holds for both (rule face.least_piece).
    """
    whole = line.length
    if not whole:
        return []
    inside = [piece for piece in get_parts(over_bone) if get_type_id(piece) == LINE]
    ends = sorted(
        tuple(sorted(line_locate_point(line, get_point(piece, [0, -1])).tolist())) for piece in inside if piece.length
    )
    found: list[tuple[float, float, bool]] = []
    at = 0.0
    for start, end in ends:
        if start > at + 1e-6:
            found.append((at, start, False))
        found.append((start, end, True))
        at = end
    if whole > at + 1e-6:
        found.append((at, whole, False))
    return long_enough(found, number("face.least_piece"))


def long_enough(found: list[tuple[float, float, bool]], least_mm: float) -> list[tuple[float, float, bool]]:
    """Stretches in order of which none but an only one is shorter than what is set by itself."""
    while len(found) > 1:
        sizes = [end - start for start, end, _ in found]
        n = sizes.index(min(sizes))
        if sizes[n] >= least_mm and all(a[2] != b[2] for a, b in pairwise(found)):
            break
        if sizes[n] >= least_mm:  # two alike lie side by side
            n = next(k for k, (a, b) in enumerate(pairwise(found)) if a[2] == b[2])
            k = n + 1
        else:
            k = min((k for k in (n - 1, n + 1) if 0 <= k < len(found)), key=lambda k: sizes[k])
        first, last = sorted((n, k))
        joined = (found[first][0], found[last][1], found[first][2] or found[last][2])
        found = [*found[:first], joined, *found[last + 1 :]]
    return found


def bone(face: Plate) -> BaseGeometry:
    """Where bone lies close, on both sides."""
    return face.joined(tuple(key for key in face.zones if key[1] in BONY))


def _drawn(face: Plate, path: str, side: str, start: End, end: End) -> list[Pair]:
    """The stroke before clipping; along the brow it arches over the peak as the brow does."""
    ends = [face.point(name, side, dx, dy) for name, dx, dy in (start, end)]
    if path == "brow":
        ends.insert(1, face.point("brow peak", side, 0, start[2]))
    return ends


def _strings(drawn: list[list[Pair]]) -> NDArray[np.object_]:
    """Lines as shapes, all in one go."""
    found: NDArray[np.object_] = linestrings(
        np.concatenate(drawn), indices=np.repeat(np.arange(len(drawn)), [len(one) for one in drawn])
    )
    return found


def _within(lines_: NDArray[np.object_], area: BaseGeometry) -> NDArray[np.object_]:
    """Each line's part inside an area; those wholly inside or outside need no cutting."""
    prepare(area)
    found = lines_.copy()
    crossing = ~covers(area, found)
    found[crossing] = intersection(found[crossing], area)
    return found


def _longest(cut: NDArray[np.object_], drawn: list[list[Pair]]) -> NDArray[np.object_]:
    """The longest piece that was left of each line, in the line's own direction; an empty one where nothing is left."""
    for n in np.flatnonzero(get_num_geometries(cut) > 1):
        cut[n] = max(get_parts(cut[n]), key=length)
    cut[get_type_id(cut) != LINE] = LineString()
    start = points(np.array([one[0] for one in drawn]))
    turned = distance(get_point(cut, -1), start) < distance(get_point(cut, 0), start)
    cut[turned] = reverse(cut[turned])
    return cut
