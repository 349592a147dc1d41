"""Strokes between landmarks, up and out, clipped to the treatable area."""

from functools import lru_cache
from typing import Literal, NamedTuple, get_args

from shapely import LineString, get_parts, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.marks import Mark
from merak.core.body.plate import BONY, Plate
from merak.core.body.treatable import Narrowed, treatable
from merak.core.client import Measures
from merak.core.knowledge import number

Path = Literal["low", "middle", "high", "jaw lift", "brow", "forehead"]
#: The paths of a lift.
PATHS: tuple[Path, ...] = get_args(Path)
Point = tuple[float, float]
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
    points: tuple[Point, ...]
    length_mm: float
    bony: bool


@lru_cache(maxsize=1024)
def lines(
    measures: Measures,
    work: str,
    finger_mm: float,
    side: str,
    paths: tuple[str, ...],
    name: str = "face",
    narrowed: tuple[Narrowed, ...] = (),
    marks: tuple[Mark, ...] = (),
) -> tuple[Line, ...]:
    """The strokes of the chosen paths on one side, in working order, inside the treatable area. Raises BadInput as `treatable` does."""
    area = treatable(measures, work, finger_mm, name, narrowed, marks)
    face, allowed = area.plate, area.right if side == "right" else area.left
    bony = bone(face, side)
    drawn = FOCUSED if work == "focused_lifting" else STROKES
    found: list[Line] = []
    for path in ON_PLATE.get(name, ()):
        for start, end in drawn[path] if path in paths else ():
            clipped = _inside(_drawn(face, path, side, start, end), allowed)
            if clipped is not None:
                share = clipped.intersection(bony).length / clipped.length
                points = tuple((x, y) for x, y in clipped.coords)
                found.append(Line(path, points, float(clipped.length), share >= number("face.bony_share")))
    return tuple(found)


def bone(face: Plate, side: str) -> BaseGeometry:
    """Where bone lies close, on one side."""
    return union_all([shape for (at, zone), shape in face.zones.items() if at == side and zone in BONY])


def _drawn(face: Plate, path: str, side: str, start: End, end: End) -> LineString:
    """The stroke before clipping; along the brow it arches over the peak as the brow does."""
    ends = [face.point(name, side, dx, dy) for name, dx, dy in (start, end)]
    if path == "brow":
        ends.insert(1, face.point("brow peak", side, 0, start[2]))
    return LineString(ends)


def _inside(line: LineString, allowed: BaseGeometry) -> LineString | None:
    """The longest piece of the line inside the area, in the line's own direction; None where nothing is left."""
    pieces = [part for part in get_parts(line.intersection(allowed)) if isinstance(part, LineString)]
    if not pieces:
        return None
    longest = max(pieces, key=lambda piece: piece.length)
    first, last = (line.project(end) for end in (longest.interpolate(0), longest.interpolate(1, normalized=True)))
    return longest if first <= last else LineString(list(longest.coords)[::-1])
