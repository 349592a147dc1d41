"""Strokes between landmarks, up and out, clipped to the treatable area."""

from functools import lru_cache
from typing import Literal, NamedTuple, get_args

import numpy as np
from numpy.typing import NDArray
from shapely import LineString, Point, covers, get_parts, intersection, length, prepare
from shapely.geometry.base import BaseGeometry

from merak.core.body.curves import Pair
from merak.core.body.plate import BONY, Plate
from merak.core.body.treatable import Treatable
from merak.core.knowledge import number

Path = Literal["low", "middle", "high", "jaw lift", "brow", "forehead"]
#: The paths of a lift.
PATHS: tuple[Path, ...] = get_args(Path)
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
    "neck": (
        (("throat notch", 26, -4), ("jaw angle", -26, 30)),
        (("throat notch", 48, -8), ("jaw angle", -2, 12)),
        (("side of neck base", -12, 8), ("jaw angle", 9, 0)),
    ),
}
#: Focused work starts its low line below the mouth corner and ends its high line below the temple, where the nerve's branches are left out.
FOCUSED: dict[str, tuple[tuple[End, End], ...]] = {
    **STROKES,
    "low": ((("mouth corner", 2, 20), ("ear lobe", -30, 2)),),
    "high": ((("nose wing", 5, -1), ("cheekbone peak", 10, -10)),),
}
#: The paths that lie on each plate; elsewhere rows are laid over the area.
ON_PLATE = {"face": (*PATHS, "nose"), "neck": ("neck",)}


class Line(NamedTuple):
    """One stroke on one side: its path, its points in mm from start to end, its length in mm, and whether it runs over bone."""

    path: str
    points: tuple[Pair, ...]
    length_mm: float
    bony: bool


@lru_cache(maxsize=96)
def lines(area: Treatable, side: str, paths: tuple[str, ...]) -> tuple[Line, ...]:
    """The strokes of the chosen paths on one side, in working order, inside the treatable area; none where a plate has no such path."""
    face = area.plate
    ends = FOCUSED if area.work == "focused_lifting" else STROKES
    drawn = [
        (path, _drawn(face, path, side, start, end)) for path in ON_PLATE.get(face.name, ()) if path in paths for start, end in ends[path]
    ]
    cut = _within([line for _, line in drawn], area.side(side))
    kept = [(path, piece) for (path, line), part in zip(drawn, cut, strict=True) if (piece := _longest(line, part)) is not None]
    over_bone = length(_within([piece for _, piece in kept], bone(face, side)))
    return tuple(
        Line(path, tuple((x, y) for x, y in piece.coords), float(piece.length), bool(bony >= number("face.bony_share") * piece.length))
        for (path, piece), bony in zip(kept, over_bone, strict=True)
    )


def bone(face: Plate, side: str) -> BaseGeometry:
    """Where bone lies close, on one side."""
    return face.joined(tuple(key for key in face.zones if key[0] == side and key[1] in BONY))


def _drawn(face: Plate, path: str, side: str, start: End, end: End) -> LineString:
    """The stroke before clipping; along the brow it arches over the peak as the brow does."""
    ends = [face.point(name, side, dx, dy) for name, dx, dy in (start, end)]
    if path == "brow":
        ends.insert(1, face.point("brow peak", side, 0, start[2]))
    return LineString(ends)


def _within(lines_: list[LineString], area: BaseGeometry) -> NDArray[np.object_]:
    """Each line's part inside an area; those wholly inside or outside need no cutting."""
    prepare(area)
    found = np.array(lines_, dtype=object)
    crossing = ~covers(area, found)
    found[crossing] = intersection(found[crossing], area)
    return found


def _longest(line: LineString, cut: BaseGeometry) -> LineString | None:
    """The longest piece that was left of a line, in the line's own direction; None where nothing is left."""
    if cut is line:
        return line
    pieces = [part for part in get_parts(cut) if isinstance(part, LineString) and not part.is_empty]
    if not pieces:
        return None
    longest = max(pieces, key=lambda piece: piece.length)
    first, last = (line.project(Point(end)) for end in (longest.coords[0], longest.coords[-1]))
    return longest if first <= last else longest.reverse()
