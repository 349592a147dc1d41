"""How a plate comes about: one half is drawn by hand in millimetres of the default build, tiled into zones, mirrored
and scaled.

Every zone boundary is an arc of one noded drawing, so neighbours share their points, and moving points cannot open a
gap between them.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from shapely import (
    Polygon,
    contains_xy,
    coverage_union_all,
    get_parts,
    point_on_surface,
    polygonize,
    segmentize,
    transform,
    union_all,
)
from shapely.geometry.base import BaseGeometry

Coordinates = NDArray[np.float64]
#: Moves default-build points (n × 2, mm, x ≥ 0 on the left half) to this client's build.
Move = Callable[[Coordinates], Coordinates]
Key = tuple[str, str]
SIDES = ("right", "left")
#: Long straight edges are cut into pieces of this length, so that a bend of the map bends them too.
PIECE_MM = 12.0
#: Lines nearer to each other than this become one: a thinner sliver between them could fold when the map bends.
INK_MM = 0.1


@dataclass(frozen=True)
class Sketch:
    """One half of a plate in the default build.

    `drawn` holds the zones in the order in which they claim skin, each drawn generously: what an earlier one holds, a
    later one cannot, and the last takes the rest. `spots` are places that are no zones: where current may not flow,
    what a margin is measured from.
    """

    outline: Polygon
    drawn: Mapping[str, BaseGeometry]
    spots: Mapping[str, BaseGeometry] = field(default_factory=dict)
    together: dict[tuple[Key, ...], BaseGeometry] = field(default_factory=dict)

    @cached_property
    def zones(self) -> dict[str, Polygon]:
        """The zones as they tile the half."""
        edges = union_all(
            [segmentize(shape.boundary, PIECE_MM) for shape in (self.outline, *self.drawn.values())], grid_size=INK_MM
        )
        faces = [face for face in get_parts(polygonize([edges])) if self.outline.contains(point_on_surface(face))]
        owned: dict[str, list[BaseGeometry]] = {name: [] for name in self.drawn}
        rest = tuple(self.drawn)[-1]
        for face in faces:
            inside = point_on_surface(face)
            owner = next((name for name, shape in self.drawn.items() if contains_xy(shape, inside.x, inside.y)), rest)
            owned[owner].append(face)
        return _one_piece_each(owned)

    def joined(self, keys: tuple[Key, ...]) -> BaseGeometry:
        """Several zones of either side in one shape; put together once, since every client's plate wants the same."""
        if keys not in self.together:
            self.together[keys] = coverage_union_all(
                [transform(self.zones[zone], mirrored) if side == "right" else self.zones[zone] for side, zone in keys]
            )
        return self.together[keys]


def _one_piece_each(owned: dict[str, list[BaseGeometry]]) -> dict[str, Polygon]:
    """Each zone in one piece: a scrap that its drawing left elsewhere goes to the neighbour with the longest border."""
    found: dict[str, BaseGeometry] = {}
    scraps: list[BaseGeometry] = []
    for name, faces in owned.items():
        found[name], *rest = sorted(get_parts(coverage_union_all(faces)), key=lambda part: -part.area)
        scraps += rest
    for scrap in sorted(scraps, key=lambda part: -part.area):
        near = max(found, key=lambda name: found[name].boundary.intersection(scrap.boundary).length)
        found[near] = coverage_union_all([found[near], scrap])
    return found


@dataclass(frozen=True)
class Plate:
    """A client's plate in mm: x from the midline with the client's right negative, y down.

    Zones and landmarks are keyed (side, name); `spots` are places that are no zones, both sides of them in one shape;
    `move` carries any default-build points here, `across` and `down` are the plain scales of the tapes.
    """

    name: str
    zones: dict[Key, Polygon]
    spots: dict[str, tuple[BaseGeometry, ...]]
    landmarks: dict[Key, tuple[float, float]]
    sketch: Sketch
    move: Move
    across: float
    down: float

    def carry(self, points: Coordinates) -> Coordinates:
        """Default-build points (n × 2, mm, of either side) on this plate."""
        return carried(points, self.move)

    def back(self, points: Coordinates) -> Coordinates:
        """Points of this plate in the default build: what `carry` undoes, found by stepping toward it."""
        scale = np.array([self.across, self.down])
        found = points / scale
        for _ in range(60):  # the bend is gentle: each step leaves a fraction of the gap
            gap = points - self.carry(found)
            if float(np.abs(gap).max(initial=0)) < 1e-9:
                break
            found = found + gap / scale
        return np.asarray(found, dtype=float)

    def point(self, name: str, side: str, dx: float = 0, dy: float = 0) -> tuple[float, float]:
        """A landmark in mm on this plate, moved by (dx, dy) mm of the default build, dx outward."""
        x, y = self.landmarks[side, name]
        sign = -1 if side == "right" else 1
        return x + sign * dx * self.across, y + dy * self.down

    @cached_property
    def outline(self) -> BaseGeometry:
        """All zones in one shape."""
        return self.joined(tuple(self.zones))

    def each_joined(self, many: list[tuple[Key, ...]]) -> NDArray[np.object_]:
        """Several groups of zones, each in one shape."""
        found: NDArray[np.object_] = transform(
            np.array([self.sketch.joined(keys) for keys in many], dtype=object), self.carry
        )
        return found

    def joined(self, keys: tuple[Key, ...]) -> BaseGeometry:
        """Several zones in one shape."""
        return transform(self.sketch.joined(keys), self.carry) if keys else Polygon()

    def place(self, name: str) -> tuple[BaseGeometry, ...]:
        """A zone or a spot, on each side; none when it is not on this plate."""
        if name in self.spots:
            return self.spots[name]
        return tuple(self.zones[side, name] for side in SIDES if (side, name) in self.zones)


def carried(points: Coordinates, move: Move) -> Coordinates:
    """Points of either side, moved as their own side is."""
    right = points[:, 0] < 0
    moved: Coordinates = move(np.column_stack([np.abs(points[:, 0]), points[:, 1]])).copy()
    moved[right, 0] *= -1
    return moved


def mirrored(points: Coordinates) -> Coordinates:
    """The same points on the client's right."""
    turned: Coordinates = points * np.array([-1.0, 1.0])
    return turned


def build(
    name: str, sketch: Sketch, landmarks: Mapping[str, tuple[float, float]], move: Move, across: float, down: float
) -> Plate:
    """The plate of a build: both halves of the sketch, moved."""
    names, shapes = tuple(sketch.zones), [*sketch.zones.values(), *sketch.spots.values()]
    left = transform(shapes, move)
    right = transform(left, mirrored)
    zones = {
        (side, zone): shape
        for side, half in (("right", right), ("left", left))
        for zone, shape in zip(names, half[: len(names)], strict=True)
    }
    spots = {spot: (right[len(names) + i], left[len(names) + i]) for i, spot in enumerate(sketch.spots)}
    at = move(np.array(list(landmarks.values()), dtype=float)) if landmarks else np.empty((0, 2))
    points = {
        (side, mark): (sign * float(x), float(y))
        for side, sign in (("right", -1), ("left", 1))
        for mark, (x, y) in zip(landmarks, at, strict=True)
    }
    return Plate(name, zones, spots, points, sketch, move, across, down)
