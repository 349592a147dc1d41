"""The plates against published figures of the body, quoted from memory."""

from collections.abc import Callable
from itertools import pairwise
from math import pi, sqrt

import numpy as np
import pytest
from shapely import Polygon, affinity, box, contains_xy, get_coordinates

from merak.core.body.grid import Tip, grid
from merak.core.body.head import head
from merak.core.body.plate import GROUPS, area_cm2, plate
from merak.core.body.strokes import PATHS, lines
from merak.core.body.treatable import treatable
from merak.core.client import Build, Measures
from merak.core.dose.product import fingertip_units, layer_g

BUILDS: tuple[Build, ...] = ("women's mean", "men's mean")


def of_group(measures: Measures, group: str) -> float:
    """A named group's area in cm², over the plates that hold it."""
    plates = [plate(measures, name) for name in ("face", "neck")]
    return sum(area_cm2(shape) for face in plates for (_, zone), shape in face.zones.items() if zone in GROUPS[group])


@pytest.mark.outside(
    "NIOSH 2005 and Farkas: ear-to-ear under the nose × hairline–chin bounds the face from above",
    values="479 cm² women, 553 men",
    tolerance="upper bound",
    memory=True,
)
@pytest.mark.parametrize(("build", "bound"), [(BUILDS[0], 479), (BUILDS[1], 553)])
def test_the_face_is_smaller_than_its_tape_rectangle(build: Build, bound: float) -> None:
    assert 0.6 * bound < of_group(Measures(build=build), "full face") < bound


@pytest.mark.outside(
    "SCCS Notes of Guidance: half the head is more than the treatable face",
    values="565 cm²",
    tolerance="upper bound",
    memory=True,
)
@pytest.mark.parametrize("build", BUILDS)
def test_the_treatable_face_is_smaller_than_half_the_head(build: Build) -> None:
    area = treatable(Measures(build=build), "microcurrent", 16)
    assert (
        area_cm2(area.side("right")) + area_cm2(area.side("left")) < of_group(Measures(build=build), "full face") < 565
    )


@pytest.mark.outside(
    "Long & Finlay 1991: face and neck in fingertip units of 312 cm² (men), 257 cm² (women)",
    values="2.5 units",
    tolerance="10 %",
    memory=True,
)
@pytest.mark.parametrize(("build", "unit"), [(BUILDS[0], 257), (BUILDS[1], 312)])
def test_face_and_neck_agree_with_fingertip_units(build: Build, unit: float) -> None:
    area = of_group(Measures(build=build), "face and neck")
    assert fingertip_units(area, unit) == pytest.approx(2.5, rel=0.1)
    assert area < 2.5 * unit, "the units were counted with ears and what lies behind the jaw"


@pytest.mark.outside(
    "Lund & Browder with DuBois, 1.716 m²: front of neck; front or back of an upper arm, of a thigh",
    values="1 %; 2 %, 4.75 %",
    tolerance="20 %",
    memory=True,
)
@pytest.mark.parametrize(
    ("name", "zones", "share", "tolerance"),
    [
        ("neck", ("front of neck", "side of neck", "thyroid strip"), 1.0, 0.2),
        ("arm-front", (), 2.0, 0.2),
        ("arm-back", (), 2.0, 0.2),
        ("thigh-front", (), 4.75, 0.2),
        ("thigh-back", (), 4.75, 0.2),
    ],
)
def test_plates_have_their_share_of_the_body(name: str, zones: tuple[str, ...], share: float, tolerance: float) -> None:
    one_side = [
        shape
        for (side, zone), shape in plate(Measures(), name).zones.items()
        if side == "left" and (not zones or zone in zones)
    ]
    sides = 2 if zones else 1
    assert sides * sum(area_cm2(shape) for shape in one_side) == pytest.approx(17160 * share / 100, rel=tolerance)


@pytest.mark.outside(
    "Lund & Browder with DuBois: front of head, back of a hand, with scalp and finger sides",
    values="3.5 %; 1.25 %",
    tolerance="upper bounds",
    memory=True,
)
def test_face_and_hand_stay_below_their_share_of_the_body() -> None:
    assert of_group(Measures(), "full face") < 600
    hand = area_cm2(plate(Measures(), "hands").outline) / 2
    assert 0.4 * 214 < hand < 214


@pytest.mark.outside(
    "Head-and-face surveys: ear–chin–ear of women beside 278 and 172.5, on a smooth head through the other two",
    values="304 mm",
    tolerance="2 %",
    memory=True,
)
def test_the_unrolled_map_on_a_model_head() -> None:
    """The map laid back onto an ellipsoid that has the published ear-to-ear and hairline-to-chin tapes, with its
    horizontal lines kept.

    The third tape was not used to make the ellipsoid, and comes out within 2 %. What docs/plate.md says of the map is
    measured here.
    """
    model = ModelHead()
    face = plate(Measures())
    factors = {
        zone: area_on(model.at, shape) for (side, zone), shape in face.zones.items() if side == "left" and zone != "ear"
    }
    whole = sum(face.zones["left", zone].area for zone in factors)
    on_skin = sum(face.zones["left", zone].area * factor for zone, factor in factors.items())
    assert on_skin / whole == pytest.approx(0.98, abs=0.01), "the map is 2 % too large on the whole"
    assert min(factors.values()) == pytest.approx(0.95, abs=0.01) and max(factors.values()) <= 1.001
    jaw = [face.landmarks["left", at] for at in ("tragus", "ear lobe", "jaw angle", "mid jaw", "chin point")]
    assert 2 * model.length(jaw) == pytest.approx(304, rel=0.02)
    strokes = lines(treatable(Measures(), "microcurrent", 16), "left", PATHS)
    shares = {line.path: model.length(line.points) / line.length_mm for line in strokes}
    assert shares["low"] == pytest.approx(0.85, abs=0.01) and shares["middle"] == pytest.approx(0.93, abs=0.01)
    assert all(0.84 < share < 1.1 for share in shares.values()), shares


@pytest.mark.outside(
    "Farkas, women: straight distances between landmarks of the face; head-and-face surveys: flap to flap",
    values="hairline to chin 172.5; eye corners 32.5 and 87.5, nose 31.4, ears 133 mm",
    tolerance="8 %",
    memory=True,
)
def test_the_head_that_a_plate_lies_on() -> None:
    """The head was made from two tapes along the skin; straight through the air it comes out as heads are."""
    face, of = plate(Measures()), head(Measures())
    at = {name: of.skin(np.array([where]))[0] for (side, name), where in face.landmarks.items() if side == "left"}
    assert np.linalg.norm(at["hairline centre"] - at["chin point"]) == pytest.approx(172.5, rel=0.02)
    wide = {"inner eye corner": 32.5, "outer eye corner": 87.5, "nose wing": 31.4, "tragus": 133}
    for name, published in wide.items():
        assert 2 * at[name][0] == pytest.approx(published, rel=0.08), name


@pytest.mark.outside(
    "areas by the cross product of tangents in NumPy, lengths by chords",
    values="docs/plate.md: the map beside skin",
    tolerance="1 %",
)
def test_how_true_the_head_is() -> None:
    """What docs/plate.md says of zones and lines on the head is measured here."""
    face, of = plate(Measures()), head(Measures())
    factors = {
        zone: area_on(of.skin, shape) for (side, zone), shape in face.zones.items() if side == "left" and zone != "ear"
    }
    whole = sum(face.zones["left", zone].area for zone in factors)
    on_head = sum(face.zones["left", zone].area * factor for zone, factor in factors.items())
    assert on_head / whole == pytest.approx(0.971, abs=0.005), "3 % smaller than the map; on the model head, 2"
    nose_and_mouth = {"nose bridge", "nose tip and wings", "upper lip", "mouth corner and fold", "chin"}
    assert all(0.95 < factor < 1.01 for zone, factor in factors.items() if zone not in nose_and_mouth), factors
    assert all(0.87 < factors[zone] < 0.94 for zone in nose_and_mouth), factors
    for line in lines(treatable(Measures(), "microcurrent", 16), "left", PATHS):
        fine = np.vstack([np.linspace(a, b, 100) for a, b in pairwise(np.array(line.points))])
        long = np.linalg.norm(np.diff(of.skin(fine), axis=0), axis=1).sum()
        assert 0.89 < long / line.length_mm < 1.07, line.path


def area_on(skin: Callable[[np.ndarray], np.ndarray], shape: Polygon) -> float:
    """Skin ÷ map of a zone."""
    x0, y0, x1, y1 = shape.bounds
    points = np.mgrid[x0:x1:1.5, y0:y1:1.5].reshape(2, -1).T + 0.5
    points = points[contains_xy(shape, points[:, 0], points[:, 1])].clip([0.1, 0.1], [200, 189.9])
    right, below = (skin(points + step) - skin(points - step) for step in (np.array([0.05, 0]), np.array([0, 0.05])))
    return float((np.linalg.norm(np.cross(right, below), axis=1) / 0.01).mean())


class ModelHead:
    """An ellipsoid: half the ear-to-ear tape is a quarter of its horizontal ellipse (66 mm half wide), and the midline
    between hairline and chin, 172.5 mm apart, is 190 mm along the skin.
    """

    def __init__(self) -> None:
        self.wide = 66.0
        self.deep = self._solved(lambda deep: self._arc(self.wide, deep, 0, pi / 2) - 139, 60, 200)
        self.tall = self._solved(lambda tall: self._arc(tall, self.deep, *self._chin(tall)) - 190, 90, 300)
        self.u = np.linspace(*self._chin(self.tall), 4001)
        self.down = self._along(self.tall, self.deep, self.u)
        self.down *= 190 / self.down[-1]
        self.t = np.linspace(0, pi, 4001)
        self.out = self._along(self.wide, self.deep, self.t)

    @staticmethod
    def _chin(tall: float) -> tuple[float, float]:
        return -float(np.arcsin(172.5 / 2 / tall)), float(np.arcsin(172.5 / 2 / tall))

    @staticmethod
    def _along(a: float, b: float, t: np.ndarray) -> np.ndarray:
        return np.concatenate([[0], np.cumsum(np.hypot(np.diff(a * np.sin(t)), np.diff(b * np.cos(t))))])

    def _arc(self, a: float, b: float, begin: float, end: float) -> float:
        return float(self._along(a, b, np.linspace(begin, end, 4001))[-1])

    @staticmethod
    def _solved(gap: object, low: float, high: float) -> float:
        for _ in range(60):
            middle = (low + high) / 2
            low, high = (middle, high) if (gap(middle) < 0) == (gap(low) < 0) else (low, middle)  # type: ignore[operator]
        return low

    def at(self, points: np.ndarray) -> np.ndarray:
        """Points of the map in space: down along the midline, then out along the horizontal section."""
        u = np.interp(points[:, 1], self.down, self.u)
        t = np.interp(points[:, 0] / np.cos(u), self.out, self.t)
        level = np.cos(u)
        return np.column_stack([self.wide * level * np.sin(t), self.deep * level * np.cos(t), self.tall * np.sin(u)])

    def length(self, line: object) -> float:
        """A line of the map, on the skin."""
        at = np.asarray(line)
        fine = np.vstack([np.linspace(a, b, 200) for a, b in pairwise(at)]).clip([0, 0.1], [200, 189.9])
        return float(np.linalg.norm(np.diff(self.at(fine), axis=0), axis=1).sum())


@pytest.mark.outside("the shoelace formula in NumPy, beside Shapely's area", values="any zone", tolerance="1e-9")
def test_areas_by_the_shoelace() -> None:
    for shape in plate(Measures(ear_to_ear_mm=291, hairline_chin_mm=199, ear_chin_ear_mm=322)).zones.values():
        x, y = get_coordinates(shape.exterior).T
        assert abs(np.dot(x[:-1], y[1:]) - np.dot(y[:-1], x[1:])) / 2 == pytest.approx(shape.area, rel=1e-9)


@pytest.mark.outside(
    "Kershner 1939: discs that cover, in a honeycomb; in squares",
    values="1.2092; 1.5708 × area ÷ disc",
    tolerance="lower bound",
    memory=True,
)
def test_round_tips_against_the_covering_bound() -> None:
    skin = box(0, 0, 1400, 1400)
    closest = grid(skin, Tip(shape="circle", across_mm=20, overlap=1 - sqrt(3) / 2), 0, "cover")
    assert closest.left_mm2 / skin.area < 1e-3
    assert closest.ratio == pytest.approx(1, abs=0.03), "the honeycomb reaches the bound, but for the rim"
    assert closest.count * closest.tip.area_mm2 / skin.area == pytest.approx(1.2092, abs=0.04)
    wider = grid(box(0, 0, 400, 400), Tip(shape="circle", across_mm=20, overlap=0.12), 0, "cover")
    assert wider.left_mm2 > 100, "a little farther apart leaves gaps"
    # In a square pattern of the same tips, centres √2·r apart, each serves 200 mm²: 1.5708.
    assert 100 * pi / 200 == pytest.approx(1.5708, abs=1e-4)


@pytest.mark.outside(
    "geometry: squares of 10 and 20 mm in 120 × 80 mm, whichever way it is turned", values="96; 24", tolerance="exact"
)
@pytest.mark.parametrize("angle", [0, 33, 90])
def test_squares_fill_a_rectangle(angle: float) -> None:
    skin = affinity.rotate(box(0, 0, 120, 80), angle)
    for side, count in ((10, 96), (20, 24)):
        for edge in ("inside", "cover"):
            laid = grid(skin, Tip(shape="square", across_mm=side), angle, edge)  # type: ignore[arg-type]
            assert laid.count == count and laid.left_mm2 < 1


@pytest.mark.outside("ISO 24444: sun protection at 2 mg/cm² on 300 cm²", values="0.6 g", tolerance="1e-6", memory=True)
def test_sun_protection() -> None:
    assert layer_g(300, 2) == pytest.approx(0.6)
