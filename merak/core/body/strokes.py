"""Strokes between landmarks, up and out, clipped to the treatable area."""

from functools import lru_cache
from typing import Literal, NamedTuple, get_args

from shapely import LineString, get_parts
from shapely.geometry.base import BaseGeometry

from merak.core.body.plate import BONY, Plate, plate
from merak.core.body.treatable import treatable
from merak.core.client import Measures
from merak.core.knowledge import number

Path = Literal["low", "middle", "high", "jaw lift", "brow", "forehead"]
PATHS: tuple[Path, ...] = get_args(Path)
Point = tuple[float, float]
#: A stroke's end: landmark and how far from it, (outward, down) in mm of the default build.
End = tuple[str, float, float]

#: Common practice for the ends; how many parallel lines and how far apart is a house default.
STROKES: dict[Path, tuple[tuple[End, End], ...]] = {
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
}


class Line(NamedTuple):
    """One stroke on one side: its path, its points in mm from start to end, its length in mm, and whether it runs over bone."""

    path: Path
    points: tuple[Point, ...]
    length_mm: float
    bony: bool


@lru_cache(maxsize=1024)
def lines(measures: Measures, modality: str, finger_mm: float, side: str, paths: tuple[Path, ...]) -> tuple[Line, ...]:
    """The strokes of the chosen paths on one side, in working order, inside the treatable area. Raises BadInput as `plate` does."""
    face = plate(measures)
    allowed = treatable(measures, modality, finger_mm).side(side)
    found: list[Line] = []
    for path in PATHS:
        for start, end in STROKES[path] if path in paths else ():
            clipped = _inside(_drawn(face, path, side, start, end), allowed)
            if clipped is not None:
                found.append(Line(path, tuple((x, y) for x, y in clipped.coords), float(clipped.length), _bony(face, side, clipped)))
    return tuple(found)


def _drawn(face: Plate, path: Path, side: str, start: End, end: End) -> LineString:
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


def _bony(face: Plate, side: str, line: LineString) -> bool:
    over = sum(line.intersection(face.zones[side, zone]).length for zone in BONY)
    return bool(over >= number("face.bony_share") * line.length)
