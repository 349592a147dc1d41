"""The plate as SVG paths: geometry comes from the core, here it only becomes ink."""

from dataclasses import dataclass
from functools import cached_property, lru_cache

from markupsafe import Markup
from shapely import Polygon, get_parts
from shapely.geometry.base import BaseGeometry

from merak.core.body import plate, treatable
from merak.core.body.plate import GRADED, ZONES
from merak.core.client import Measures
from merak.core.plan.visit_plan import StepLine

#: Room around the plate, mm.
RIM = 6.0


@dataclass(frozen=True)
class Zone:
    """A zone's outline and where its label sits; `key` is "side zone"."""

    key: str
    side: str
    name: str
    d: str
    x: float
    y: float
    graded: bool


@dataclass(frozen=True)
class Drawing:
    """A plate ready to be inked: view box and paths, in mm."""

    box: str
    left: float
    top: float
    width: float
    height: float
    outline: str
    zones: tuple[Zone, ...]
    features: tuple[str, ...]
    margin: str
    no_go: str
    treatable: str

    @cached_property
    def ground(self) -> Markup:
        """What lies under the layers: the face and its features. Written once a plate, since every change of a plan shows it again."""
        return Markup(f'<path class="face" d="{self.outline}"/>{self._features}')  # noqa: S704 (numbers only)

    @cached_property
    def ground_with_areas(self) -> Markup:
        """The ground with the margin and the no-go areas on it."""
        areas = f'<path class="margin" d="{self.margin}"><title>margin</title></path>'
        areas += f'<path class="no-go" d="{self.no_go}"><title>no-go</title></path>'
        return Markup(f'<path class="face" d="{self.outline}"/>{areas}{self._features}')  # noqa: S704 (numbers only)

    @property
    def _features(self) -> str:
        return "".join(f'<path class="feature" d="{d}"/>' for d in self.features)


@lru_cache(maxsize=256)
def draw(measures: Measures, modality: str = "microcurrent", finger_mm: float = 16.0) -> Drawing:
    """The plate of a client with one modality's areas."""
    face, area = plate(measures), treatable(measures, modality, finger_mm)
    x0, y0, x1, y1 = (value for value in face.outline.bounds)
    left, top, width, height = x0 - RIM, y0 - RIM, x1 - x0 + 2 * RIM, y1 - y0 + 2 * RIM
    zones = tuple(
        Zone(f"{side} {name}", side, name, path(shape), *_label(shape), name in GRADED)
        for (side, name), shape in sorted(face.zones.items(), key=lambda item: (item[0][0], ZONES.index(item[0][1])))
    )
    return Drawing(
        f"{left:.0f} {top:.0f} {width:.0f} {height:.0f}",
        left,
        top,
        width,
        height,
        path(face.outline),
        zones,
        _features(face.scale_x, face.scale_y),
        path(area.margin),
        path(area.no_go),
        path(area.right) + path(area.left),
    )


def path(shape: BaseGeometry) -> str:
    """The `d` of a shape, to a tenth of a millimetre."""
    rings = [ring for part in get_parts(shape) if isinstance(part, Polygon) for ring in (part.exterior, *part.interiors)]
    return "".join("M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in ring.coords[:-1]) + "Z" for ring in rings)


@lru_cache(maxsize=4096)
def polyline(points: tuple[tuple[float, float], ...]) -> str:
    """The `points` of a stroke."""
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in points)


@lru_cache(maxsize=1024)
def strokes(lines: tuple[StepLine, ...], bony: bool) -> str:
    """The `d` of all strokes that run over bone, or of all that do not."""
    return "".join("M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in line.points) for line in lines if line.bony == bony)


def _label(shape: BaseGeometry) -> tuple[float, float]:
    spot = shape.representative_point() if shape.is_empty or not shape.contains(shape.centroid) else shape.centroid
    return round(spot.x, 1), round(spot.y, 1)


def _features(sx: float, sy: float) -> tuple[str, ...]:
    """Eyes, brows, nose and mouth in a few pen strokes, so that the map is a face at once."""
    drawn = []
    for sign in (-1, 1):

        def at(x: float, y: float, sign: int = sign) -> str:
            return f"{sign * x * sx:.1f} {y * sy:.1f}"

        drawn += [
            f"M{at(17, 74)}Q{at(32, 62)} {at(49, 73.5)}Q{at(33, 82)} {at(17, 74)}",
            f"M{at(29, 69.5)}Q{at(33, 79)} {at(37.5, 69.8)}",
            f"M{at(15, 68)}Q{at(31, 57.5)} {at(51, 69)}",
            f"M{at(10, 57)}Q{at(34, 44)} {at(59, 57.5)}Q{at(35, 50.5)} {at(11, 61.5)}",
            f"M{at(20.5, 108)}Q{at(22, 117)} {at(14, 118)}M{at(3, 120.5)}Q{at(8, 116.5)} {at(13, 118.5)}",
            f"M{at(10, 78)}Q{at(8, 92)} {at(12, 102)}",
            f"M{at(128, 90)}Q{at(131, 99)} {at(126, 106)}",
        ]

    def mid(x: float, y: float) -> str:
        return f"{x * sx:.1f} {y * sy:.1f}"

    lips = (
        f"M{mid(-28, 142)}Q{mid(-10, 133.5)} {mid(0, 137)}Q{mid(10, 133.5)} {mid(28, 142)}Q{mid(0, 164)} {mid(-28, 142)}"
        f"M{mid(-28, 142)}Q{mid(-9, 144)} {mid(0, 143)}Q{mid(9, 144)} {mid(28, 142)}"
    )
    return (*drawn, lips, f"M{mid(-3, 124)}L{mid(-3.5, 131)}M{mid(3, 124)}L{mid(3.5, 131)}")
