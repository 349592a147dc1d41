"""The face unrolled: a flat map of the skin in millimetres along the skin, x from the midline, y down from the hairline.

The client's right side has negative x, as when one looks at the client. The map is scaled by two soft-tape measures; it keeps
areas nearly true because each distance was taken along the skin (docs/plate.md says where it does not).
"""

from functools import cache, lru_cache
from typing import NamedTuple

import numpy as np
from shapely import LinearRing, MultiPolygon, Polygon, affinity, box, get_parts, union_all
from shapely.geometry.base import BaseGeometry

from merak.core.body.curves import ellipse, smooth
from merak.core.client import Measures
from merak.core.errors import BadInput
from merak.core.knowledge import book, number

#: Zones of one side in the order in which they claim skin: what an earlier one holds, a later one cannot. The last takes the rest.
ZONES = (
    "upper lid",
    "under-eye",
    "brow",
    "nose bridge",
    "nose tip and wing",
    "lips",
    "upper lip",
    "mouth corner and fold",
    "glabella",
    "crow's feet",
    "forehead",
    "temple",
    "chin",
    "jawline",
    "in front of the ear",
    "upper cheek",
    "mid cheek",
    "lower cheek",
)
BONY = frozenset({"forehead", "temple", "brow", "jawline", "nose bridge"})
#: Where laxity and fine lines are graded.
GRADED = (
    "forehead",
    "glabella",
    "crow's feet",
    "under-eye",
    "upper cheek",
    "mid cheek",
    "lower cheek",
    "mouth corner and fold",
    "upper lip",
    "chin",
    "jawline",
)
SIDES = ("right", "left")


class Plate(NamedTuple):
    """One client's plate: the scale, the outline, and each zone's polygon by (side, zone)."""

    scale_x: float
    scale_y: float
    outline: Polygon
    zones: dict[tuple[str, str], BaseGeometry]

    def point(self, name: str, side: str, dx: float = 0, dy: float = 0) -> tuple[float, float]:
        """A landmark in mm on this plate, moved by (dx, dy) mm of the default build, dx outward."""
        mark = landmarks()[name]
        sign = -1 if side == "right" else 1
        return sign * (mark[0] + dx) * self.scale_x, (mark[1] + dy) * self.scale_y

    def half(self, side: str) -> BaseGeometry:
        """All skin of one side: the outline up to the midline."""
        return self.outline.intersection(box(-1000, -1000, 0, 1000) if side == "right" else box(0, -1000, 1000, 1000))


@cache
def landmarks() -> dict[str, tuple[float, float]]:
    """The default half's landmarks by name, (x, y) in mm."""
    return {mark.id: (mark.x, mark.y) for mark in book().landmark}


def scale(measures: Measures) -> tuple[float, float]:
    """(across, down) against the default build. Raises BadInput, by field, for a tape that no face has."""
    wrong: dict[str, str] = {}
    ratios: list[float] = []
    for field, rule_id in (("ear_to_ear_mm", "face.ear_to_ear"), ("hairline_chin_mm", "face.hairline_chin")):
        default = number(rule_id)
        measured = getattr(measures, field)
        ratio = 1.0 if measured is None else measured / default
        least, most = number("face.tape.least"), number("face.tape.most")
        if not least <= ratio <= most:
            wrong[field] = f"{measured:g} mm is no face: measure again, between {default * least:.0f} and {default * most:.0f} mm."
        ratios.append(ratio)
    if wrong:
        raise BadInput(wrong)
    return ratios[0], ratios[1]


@lru_cache(maxsize=256)
def plate(measures: Measures) -> Plate:
    """The plate of a client with these tape measures. Raises BadInput as `scale` does."""
    across, down = scale(measures)
    outline = affinity.scale(_default_outline(), across, down, origin=(0, 0))
    zones = {
        (side, zone): affinity.scale(shape, (-1 if side == "right" else 1) * across, down, origin=(0, 0)).buffer(
            0
        )  # mends slivers that scaling folds
        for side in SIDES
        for zone, shape in _default_half().items()
    }
    return Plate(across, down, Polygon(outline.exterior), zones)


@cache
def _default_outline() -> Polygon:
    at = landmarks()
    rim = ["hairline centre", "hairline side", "temple corner", "temple hairline", "sideburn", "tragus", "ear lobe", "jaw angle", "mid jaw"]
    half = [at[name] for name in rim]
    whole = [*half, at["chin point"], *((-x, y) for x, y in reversed(half) if x)]
    return Polygon(smooth([*whole], closed=True))


def _drawn() -> dict[str, BaseGeometry]:
    """Each zone of the default half as a hand would draw it, generously: what it shares with an earlier one is taken off it."""
    lid_line = smooth([(9, 74), (17, 73), (32, 71), (48, 72), (60, 74)])
    orbit = ellipse(33, 72.5, 23, 14.5)
    brow = [*smooth([(9, 55.5), (22, 50), (36, 45.5), (48, 49), (60, 57.5)]), (57, 72), (33, 73), (13, 66), (10, 62)]
    far = 160.0
    return {
        "upper lid": orbit.intersection(Polygon([(0, 40), *lid_line, (far, 74), (far, 40)])),
        "under-eye": orbit,
        "brow": Polygon(brow),
        "nose bridge": Polygon(smooth([(0, 64), (9, 66), (10, 76), (11, 84), (14, 96), (0, 96)])),
        "nose tip and wing": Polygon([(0, 95), *smooth([(14, 95), (18, 103), (21, 112), (18, 119), (10, 121.5)]), (0, 123)]),
        "lips": Polygon([*smooth([(0, 136.5), (6, 134.5), (16, 138), (28, 142), (18, 149), (8, 152.5), (0, 153)])]),
        "upper lip": Polygon([(0, 118), (17, 118), (22, 128), (28, 142), (0, 146)]),
        "mouth corner and fold": Polygon(
            smooth([(17, 116), (23, 112), (31, 124), (37, 140), (37, 154), (30, 162), (23, 150)], closed=True)
        ),
        "glabella": Polygon([(0, 42), *smooth([(7, 43), (12, 50), (13, 58), (14, 68)]), (0, 70)]),
        "crow's feet": Polygon([(44, 74), (56, 66), (60, 57.5), *smooth([(70, 60), (74, 74), (70, 88)]), (44, 86)]),
        "forehead": Polygon([(0, -20), (62, -20), (70, 20), (66, 40), (60, 58), (48, 60), (0, 64)]),
        "temple": Polygon([(40, -20), (far, -20), (far, 80), (70, 82), (56, 60), (60, 40)]),
        "chin": Polygon([(0, 140), (31, 142), *smooth([(28, 152), (29, 162), (31, 178), (26, 200)]), (0, 200)]),
        "jawline": Polygon([*smooth([(22, 174), (62, 159), (102, 136), (124, 116)]), (far, 112), (far, 200), (22, 200)]),
        "in front of the ear": Polygon([(104, 60), (far, 60), (far, 140), (112, 132)]),
        "upper cheek": Polygon([(0, 60), (far, 60), (far, 104), (60, 106), (0, 108)]),
        "mid cheek": Polygon([(0, 60), (far, 60), (far, 132), (60, 134), (0, 132)]),
        "lower cheek": Polygon([(0, -20), (far, -20), (far, 220), (0, 220)]),
    }


@cache
def _default_half() -> dict[str, BaseGeometry]:
    """Zones of the default left half; they tile it, because each is what its drawing leaves after those before it."""
    left = _default_outline().intersection(Polygon([(0, -30), (200, -30), (200, 230), (0, 230)]))
    drawn = _drawn()
    taken: list[BaseGeometry] = []
    zones: dict[str, BaseGeometry] = {}
    for name in ZONES:
        free = left.difference(union_all(taken)) if taken else left
        zones[name] = _largest_first(free.intersection(drawn[name]))
        taken.append(zones[name])
    return zones


def _largest_first(shape: BaseGeometry) -> BaseGeometry:
    """The polygons of a shape (lines and points dropped), the largest first."""
    polygons = sorted((part for part in get_parts(shape) if isinstance(part, Polygon)), key=lambda part: -part.area)
    return polygons[0] if len(polygons) == 1 else MultiPolygon(polygons)


def area_cm2(shape: BaseGeometry) -> float:
    """Area in cm² of a shape in mm."""
    return float(shape.area) / 100


def ring(plate_: Plate) -> LinearRing:
    """The plate's rim."""
    return LinearRing(np.asarray(plate_.outline.exterior.coords))
