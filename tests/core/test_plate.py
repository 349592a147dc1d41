"""The plate: zones tile it, margins and no-go areas are kept, tapes are believed only when a face can have them."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point

from merak.core.body import lines, plate, treatable
from merak.core.body.plate import ZONES
from merak.core.body.strokes import PATHS
from merak.core.client import Measures
from merak.core.errors import BadInput

TAPES = st.builds(Measures, ear_to_ear_mm=st.floats(210, 360), hairline_chin_mm=st.floats(143, 246))
FINGERS = st.floats(10, 24)


@settings(max_examples=30, deadline=None)
@given(TAPES)
def test_zones_tile_the_plate(tapes: Measures) -> None:
    face = plate(tapes)
    assert sum(zone.area for zone in face.zones.values()) == pytest.approx(face.outline.area, rel=1e-6)
    assert face.outline.is_valid
    for side in ("right", "left"):
        shapes = [face.zones[side, name] for name in ZONES]
        overlap = sum(a.intersection(b).area for i, a in enumerate(shapes) for b in shapes[i + 1 :])
        assert overlap < 1e-3
        assert min(shape.area for shape in shapes) > 100, "a zone of less than 1 cm² is a slip of the pen"


@settings(max_examples=15, deadline=None)
@given(TAPES, FINGERS)
def test_strokes_stay_in_the_treatable_area(tapes: Measures, finger: float) -> None:
    area = treatable(tapes, "microcurrent", finger)
    for side in ("right", "left"):
        drawn = lines(tapes, "microcurrent", finger, side, PATHS)
        assert {line.path for line in drawn} == set(PATHS)
        for line in drawn:
            on_plate = LineString(line.points)
            assert area.side(side).buffer(0.01).covers(on_plate)
            assert on_plate.intersection(area.no_go).length < 0.01
            assert line.points[-1][1] < line.points[0][1] or line.path == "brow", "strokes run up"
    assert area.right.area == pytest.approx(area.left.area, rel=1e-6), "the sides are each other's mirror"


def test_a_wider_finger_leaves_less_and_no_go_is_not_narrowed() -> None:
    narrow, wide = (treatable(Measures(), "microcurrent", finger) for finger in (12.0, 20.0))
    assert wide.left.area < narrow.left.area
    assert wide.no_go.equals(narrow.no_go)
    eye = Point(32, 73)
    assert not narrow.left.covers(eye)


@pytest.mark.parametrize(
    ("tapes", "field"), [((1300, None), "ear_to_ear_mm"), ((None, 19), "hairline_chin_mm"), ((-278, None), "ear_to_ear_mm")]
)
def test_a_slip_of_the_pen_is_told_beside_its_field(tapes: tuple[float | None, float | None], field: str) -> None:
    with pytest.raises(BadInput) as slip:
        plate(Measures(ear_to_ear_mm=tapes[0], hairline_chin_mm=tapes[1]))
    assert list(slip.value.fields) == [field]
    assert "between" in slip.value.fields[field]
