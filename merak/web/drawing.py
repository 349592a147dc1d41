"""The plate as SVG: geometry comes from the core, here it only becomes ink."""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from math import cos, radians, sin

import numpy as np
from markupsafe import Markup, escape
from shapely import Polygon, get_parts, maximum_inscribed_circle
from shapely.geometry.base import BaseGeometry

from merak.core.acts import StrokeLine
from merak.core.body.head import head
from merak.core.body.marks import Mark
from merak.core.body.plate import GRADED, Plate, area_cm2, plate, zone_names
from merak.core.body.sketch import SIDES
from merak.core.body.treatable import Treatable
from merak.core.client import Measures
from merak.core.knowledge import mark_kinds, number
from merak.core.knowledge.register import needs
from merak.core.plan.survey import Laid, Survey, uncovered
from merak.web.pen import features, hair, hairline

needs(
    __name__,
    """
    mm: mark.reading_below
    """,
)

#: Room around the plate, mm: the hair needs it above.
RIM = 9.0
#: Where names stand beside a face, each on a line of its own: corner → zones from the top down. The corners of a face's
#: sheet are empty.
CORNERS = {
    ("right", "top"): ("forehead", "glabella", "brow", "nose bridge"),
    ("left", "top"): ("upper lid", "under-eye", "crow's feet", "temple"),
    ("right", "foot"): ("nose tip and wings", "upper lip", "lips", "mouth corner and fold", "chin"),
    ("left", "foot"): ("in front of the ear", "jawline", "upper cheek", "mid cheek", "lower cheek"),
}
#: A mark's sign on the plate: told apart by letters, not by hue.
SIGNS = {
    "scar": "Sc",
    "vessel": "Ve",
    "pigment": "Pi",
    "congestion": "Co",
    "hair": "Ha",
    "mole": "Mo",
    "tattoo": "Ta",
    "implant": "Im",
    "injection": "In",
    "broken": "Br",
    "part": "◇",
    "stay-out": "⊘",
    "patch": "Re",
    "swelling": "Sw",
    "reading": "°C",
}
needs(__name__, mark_kind=tuple(SIGNS))
LINE_MM = 7.6
#: Below this a footprint's number is written small.
SMALL_MM = 8.6
#: A figure needs so much room in a zone.
ROOM_MM = 4.4
#: Hatches are told apart by density and direction, so that they print: (attributes, path).
HATCHES = tuple(
    (
        {"id": name, "class": "hatch", "width": f"{size}", "height": f"{size}", "patternUnits": "userSpaceOnUse"}
        | {"patternTransform": f"rotate({turn})"},
        d,
    )
    for name, size, turn, d in (
        ("hatch", 2.4, 45, "M0 0V2.4"),
        ("cross", 2.2, 45, "M0 0V2.2M0 0H2.2"),
        *((f"grade-{n}", size, -35, f"M0 0H{size}") for n, size in enumerate((5.2, 3.4, 2.2, 1.3), 1)),
    )
)
#: From where a plate may be seen: how far the head is turned, and its words.
HEAD_VIEWS = (
    ("-90", "right side"),
    ("-35", "right ¾"),
    ("0", "front"),
    ("35", "left ¾"),
    ("90", "left side"),
    ("flat", "unrolled"),
)
#: More footprints than this are drawn without their numbers, and more than that are walked no more cell by cell.
NUMBERED, WALKED = 700, 6000


@dataclass(frozen=True)
class Zone:
    """A zone's outline and where its label sits, with how much room there is; `key` is "side zone"."""

    key: str
    side: str
    name: str
    d: str
    x: float
    y: float
    room: float
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
    features: str
    hair: str
    hairline: str
    margin: str
    no_go: str
    marked: str
    names: str

    @property
    def bar(self) -> int:
        """The scale's bar in mm."""
        return 100 if self.width > 450 else 50

    @property
    def foot(self) -> str:
        """Where sides and scale stand."""
        return f"translate({self.left + self.width / 2} {self.top + self.height - 1})"

    @property
    def scale(self) -> str:
        """The bar, with a tick at each fifth."""
        half, fifth = self.bar / 2, self.bar / 5
        ticks = "".join(f"M{-half + n * fifth} {-2 if n in (0, 5) else -1}V0" for n in range(6))
        return f"M{-half} 0H{half}{ticks}"

    @property
    def right_end(self) -> float:
        """Where the word for the client's right ends: 4 mm beside the bar."""
        return -self.bar / 2 - 4

    @property
    def left_end(self) -> float:
        """Where the word for the client's left begins."""
        return self.bar / 2 + 4

    @property
    def em(self) -> str:
        """The size of letters, mm: the same share of every sheet."""
        return f"{self.width * 0.0147:.2f}"

    @cached_property
    def ground(self) -> Markup:
        """What lies under the layers: the face and its features. Written once a plate, since every change of a plan
        shows it again.
        """
        return Markup(f'<path class="face" d="{self.outline}"/>{self._likeness}')  # noqa: S704 (numbers only)

    @cached_property
    def areas(self) -> Markup:
        """The margins, the no-go areas and what marks keep out."""
        found = f'<path class="margin" d="{self.margin}"><title>margin</title></path>'
        found += f'<path class="no-go" d="{self.no_go}"><title>no-go</title></path>'
        found += f'<path class="no-go" d="{self.marked}"><title>marked: stay out</title></path>'
        return Markup(f'<g data-layer="margins">{found}</g>')  # noqa: S704 (numbers only)

    @cached_property
    def ground_with_areas(self) -> Markup:
        """The ground with the margin and the no-go areas on it."""
        return Markup(f'<path class="face" d="{self.outline}"/>') + self.areas + Markup(self._likeness)  # noqa: S704 (numbers only)

    @property
    def _likeness(self) -> str:
        return (
            f'<path class="feature" d="{self.features}"/><path class="hair" d="{self.hair}"/><path class="hairline"'
            f' d="{self.hairline}"/>'
        )


@lru_cache(maxsize=48)
def draw(area: Treatable) -> Drawing:
    """The plate of a client with one modality's areas."""
    face = area.plate
    x0, y0, x1, y1 = (float(value) for value in face.outline.bounds)
    left, top, width, height = x0 - RIM, y0 - RIM, x1 - x0 + 2 * RIM, y1 - y0 + 2 * RIM + 3
    zones = tuple(
        Zone(
            f"{side} {name}", side, name, path(face.zones[side, name]), *_label(face.zones[side, name]), name in GRADED
        )
        for side in SIDES
        for name in zone_names(face.name)
    )
    return Drawing(
        f"{left:.0f} {top:.0f} {width:.0f} {height:.0f}",
        left,
        top,
        width,
        height,
        path(face.outline),
        zones,
        features(face),
        hair(face),
        hairline(face),
        path(area.margin),
        path(area.no_go.intersection(face.outline)),
        path(area.marked.intersection(face.outline)),
        _names(face, zones),
    )


@lru_cache(maxsize=48)
def head_told(measures: Measures) -> Markup:
    """The head of a client's face for the page's script: the mesh of its left half, to a tenth of a millimetre."""
    found, scale = head(measures), plate(measures)
    told = {
        "columns": found.columns.round(2).tolist(),
        "levels": found.levels.round(2).tolist(),
        "at": found.at.round(1).tolist(),
        "skull": found.skull.round(1).tolist(),
        "across": round(scale.across, 4),
        "down": round(scale.down, 4),
    }
    return Markup(json.dumps(told, separators=(",", ":")))  # noqa: S704 (numbers only)


def path(shape: BaseGeometry) -> str:
    """The `d` of a shape, to a tenth of a millimetre."""
    parts = (part for part in get_parts(shape) if isinstance(part, Polygon) and not part.is_empty)
    rings = [ring for part in parts for ring in (part.exterior, *part.interiors)]
    return "".join("M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in ring.coords[:-1]) + "Z" for ring in rings)


@lru_cache(maxsize=1024)
def polyline(points: tuple[tuple[float, float], ...]) -> str:
    """The `points` of a stroke."""
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in points)


def rings(outlines: Iterable[Iterable[tuple[float, float]]]) -> str:
    """The `d` of closed outlines; those inside others are holes."""
    return "".join(f"{open_path(ring)}Z" for ring in outlines)


def strings(drawn: Iterable[Iterable[tuple[float, float]]]) -> str:
    """The `d` of open lines."""
    return "".join(map(open_path, drawn))


@lru_cache(maxsize=256)
def strokes(lines: tuple[StrokeLine, ...], bony: bool) -> str:
    """The `d` of all strokes that run over bone, or of all that do not."""
    return "".join(open_path(line.points) for line in lines if line.bony == bony)


def open_path(points: object) -> str:
    """The `d` of one line."""
    return "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in points)  # type: ignore[attr-defined]


def _label(shape: BaseGeometry) -> tuple[float, float, float]:
    """(x, y, radius) of the largest circle in a zone: where a number fits best."""
    circle = maximum_inscribed_circle(shape, tolerance=0.5)
    (x, y), _ = circle.coords
    return round(float(x), 1), round(float(y), 1), round(float(circle.length), 1)


def _named(zone: Zone) -> str:
    words = escape(zone.name.removesuffix(" finger"))
    return f'<text class="name" x="{zone.x}" y="{zone.y}" dy="-.6em" text-anchor="middle">{words}</text>'


def _names(face: Plate, zones: tuple[Zone, ...]) -> str:
    """The names of the zones: on a face in the sheet's corners, on leader lines; elsewhere where they lie, on the
    client's left.
    """
    if face.name != "face":
        return "".join(_named(zone) for zone in zones if zone.side == "left")
    at = {(zone.side, zone.name): zone for zone in zones}
    x0, y0, x1, y1 = face.outline.bounds
    written = []
    for (side, corner), names in CORNERS.items():
        edge, anchor = (x0, "start") if side == "right" else (x1, "end")
        sign = 1 if side == "right" else -1
        begin = y0 + 9 if corner == "top" else y1 - 3 - LINE_MM * (len(names) - 1)
        for n, name in enumerate(names):
            zone = at[side, name]
            y = begin + n * LINE_MM
            end = edge + sign * (len(name) * 2.62 + 4)
            written.append(
                f'<text class="name beside" x="{edge:.1f}" y="{y:.1f}" text-anchor="{anchor}">{escape(name)}</text>'
            )
            foot_y = zone.y + (zone.room * 0.45 if zone.room > 4 else 0) * (-1 if corner == "top" else 1)
            written.append(f'<path class="leader" d="M{end:.1f} {y - 1.6:.1f}L{zone.x:.1f} {foot_y:.1f}"/>')
            written.append(f'<circle class="dot" cx="{zone.x:.1f}" cy="{foot_y:.1f}" r=".9"/>')
    return "".join(written)


@dataclass(frozen=True)
class Inked:
    """A survey's layers as paths: footprints by section with their outline at the origin, rows,
    what is left, the walk.
    """

    cells: str
    numbers: tuple[tuple[float, float, str, int], ...]
    strokes: str
    bony: str
    left: str
    walk: dict[str, object]
    areas: tuple[tuple[float, float, str], ...] = ()


def _areas(survey: Survey, drawing: Drawing) -> tuple[tuple[float, float, str], ...]:
    """Where a zone's treatable cm² stands, and how it is written; not where there is no room, or nothing to treat."""
    of = {" ".join(zone.key): zone.treatable_cm2 for zone in survey.zones}
    roomy = (zone for zone in drawing.zones if zone.room > ROOM_MM and of[zone.key] >= 0.1)
    return tuple(
        (zone.x, zone.y, f"{of[zone.key]:.0f}" if of[zone.key] >= 9.95 else f"{of[zone.key]:.1f}") for zone in roomy
    )


def ink(survey: Survey, drawing: Drawing) -> Inked:
    """The grid or the strokes of a survey, and the areas of its zones."""
    cells, rows, numbers, steps, tips = [], [], [], [], []
    count = sum(laid.grid.count for laid in survey.laid if laid.grid)
    for laid in survey.laid:
        if laid.grid is not None:
            cells.append("".join(path(cell) for cell in laid.grid.cells()))
            tips.append({"name": laid.section.name, "d": _tip(laid)})
            size = min(laid.grid.tip.across_mm, laid.grid.tip.down_mm)
            for n, ((x, y), row) in enumerate(zip(laid.grid.centres.tolist(), laid.grid.row.tolist(), strict=True)):
                if count <= NUMBERED and size >= 4:
                    low = y + min(4.2, size * 0.42) * 0.35  # a figure stands on its line
                    numbers.append((round(x, 1), round(low, 1), " small" if size < SMALL_MM else "", laid.first + n))
                steps.append([round(x, 1), round(y, 1), len(tips) - 1, row - int(laid.grid.row[0]) + 1])
        if laid.travel is not None:
            rows += [open_path(piece) for piece in laid.travel.pieces]
    lines = [(open_path(line.points), line.bony) for line in survey.lines]
    return Inked(
        "".join(cells),
        tuple(numbers),
        "".join([*rows, *(d for d, bony in lines if not bony)]),
        "".join(d for d, bony in lines if bony),
        path(uncovered(survey.skin, survey.laid)),
        {"sections": tips, "cells": steps} if count <= WALKED else {"sections": [], "cells": []},
        _areas(survey, drawing),
    )


def _tip(laid: Laid) -> str:
    """A section's footprint around the origin."""
    grid = laid.grid
    assert grid is not None
    upper = grid.tip.upper
    ring = np.vstack([upper, upper[-2:0:-1] * np.array([1, -1])])
    c, s = cos(radians(grid.angle_deg)), sin(radians(grid.angle_deg))
    return "M" + "L".join(f"{x * c - y * s:.1f} {x * s + y * c:.1f}" for x, y in ring) + "Z"


@dataclass(frozen=True)
class MarkInk:
    """A mark's drawing: what it takes, its anchor, its sign in the key, and for a reading the place that was really
    read.
    """

    mark: Mark
    d: str
    line: str
    points: str
    x: float
    y: float
    read_y: float | None
    zone: str
    cm2: float

    @property
    def sign(self) -> str:
        """What is written: of a reading its temperature, of anything else its sign and its grade."""
        if self.read_y is not None:
            return f"{self.mark.value:.1f} °C"
        return SIGNS[self.mark.kind] + ("" if self.mark.grade is None else f"{self.mark.grade}")

    @property
    def sign_at(self) -> dict[str, str]:
        """Where it is written: beside a spot or a line, in the middle of an area."""
        beside = 4 if self.read_y is not None else self.mark.size_mm / 2 + 1.4 if self.mark.shape != "area" else 0
        middle = {} if beside else {"text-anchor": "middle"}
        return {"class": "sign", "x": f"{self.x + beside:.1f}", "y": f"{self.y}", "dy": ".36em", **middle}

    @property
    def aim(self) -> str:
        """From where a reading's dot was to the place that was read, a cross; "" for what is no reading."""
        if self.read_y is None:
            return ""
        x, y = self.x, self.read_y
        return f"M{x} {self.y}V{y - 2:.1f}M{x - 2:.1f} {y:.1f}H{x + 2:.1f}M{x} {y - 2:.1f}V{y + 2:.1f}"

    @property
    def live(self) -> dict[str, str]:
        """What a mark that may be taken up tells the page."""
        kept = self.mark
        fields = {
            "kind": kept.kind,
            "shape": kept.shape,
            "size_mm": kept.size_mm,
            "grade": "" if kept.grade is None else kept.grade,
            "value": "" if kept.value is None else kept.value,
            "on": f"{kept.on}",
            "note": kept.note,
        }
        return {
            "data-mark": f"{kept.id}",
            "data-fields": json.dumps(fields),
            "data-points": self.points,
            "role": "button",
            "tabindex": "0",
            "aria-label": f"{kept.words}, {self.zone}, {kept.on:%a %-d %b}",
        }


def ink_marks(marks: tuple[Mark, ...], face: Plate) -> tuple[MarkInk, ...]:
    """Each mark on its plate, with the zone it lies in."""
    found = []
    for mark in marks:
        skin, bare = mark.on_skin(face), mark.line(face)
        anchor = bare.centroid if mark.shape != "line" else bare.interpolate(0.5, normalized=True)
        zone = max(face.zones, key=lambda key, skin=skin: face.zones[key].intersection(skin).area)  # type: ignore[misc]
        below = anchor.y + number("mark.reading_below") if mark_kinds()[mark.kind].measured else None
        line = open_path(bare.coords) if mark.shape == "line" else ""
        points = polyline(tuple(mark.there(face)))
        found.append(
            MarkInk(
                mark,
                path(skin),
                line,
                points,
                round(anchor.x, 1),
                round(anchor.y, 1),
                below,
                " ".join(zone),
                area_cm2(skin),
            )
        )
    return tuple(found)
