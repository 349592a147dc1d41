"""The plate against published figures of the face, quoted from memory."""

import numpy as np
import pytest
from shapely import Polygon

from merak.core.body import plate, treatable
from merak.core.body.plate import area_cm2
from merak.core.client import Measures

#: Straight hairline–chin is told; the tape runs over the nose: the same ratio as the default, 190 to 172.5.
WOMEN, MEN = Measures(ear_to_ear_mm=278, hairline_chin_mm=190), Measures(ear_to_ear_mm=295, hairline_chin_mm=187.5 * 190 / 172.5)


@pytest.mark.outside(
    "NIOSH 2005 and Farkas: ear-to-ear under the nose × hairline–chin, 479 cm² women, 553 cm² men, bounds the face from above"
)
@pytest.mark.parametrize(("tapes", "bound"), [(WOMEN, 479), (MEN, 553)])
def test_the_face_is_smaller_than_its_tape_rectangle(tapes: Measures, bound: float) -> None:
    assert 0.6 * bound < area_cm2(plate(tapes).outline) < bound


@pytest.mark.outside("SCCS Notes of Guidance: half the head, 565 cm², is more than the treatable face")
def test_the_treatable_face_is_smaller_than_half_the_head() -> None:
    area = treatable(MEN, "microcurrent", 16)
    assert area_cm2(area.right) + area_cm2(area.left) < 565


@pytest.mark.outside("Long & Finlay 1991: face and neck take 2.5 fingertip units of 312 cm² (men), 257 cm² (women)")
@pytest.mark.parametrize(("tapes", "unit"), [(WOMEN, 257), (MEN, 312)])
def test_the_face_agrees_with_fingertip_units(tapes: Measures, unit: float) -> None:
    # The units cover face and neck; front of neck is 1 % beside the head's 3.5 % (Lund & Browder): the face is 3.5 parts of 4.5.
    assert area_cm2(plate(tapes).outline) == pytest.approx(2.5 * unit * 3.5 / 4.5, rel=0.35)


@pytest.mark.outside("the shoelace formula in NumPy, beside Shapely's area")
def test_areas_by_the_shoelace() -> None:
    for shape in plate(Measures(ear_to_ear_mm=291, hairline_chin_mm=199)).zones.values():
        part = shape if isinstance(shape, Polygon) else shape.geoms[0]
        x, y = np.asarray(part.exterior.coords).T
        holes = sum(Polygon(ring).area for ring in part.interiors)
        shoelace = abs(np.dot(x[:-1], y[1:]) - np.dot(y[:-1], x[1:])) / 2 - holes
        assert shoelace == pytest.approx(part.area, rel=1e-9)
