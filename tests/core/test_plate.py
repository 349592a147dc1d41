"""The plates: zones tile them, tapes are believed only when a body can have them, margins and no-go areas are kept."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, coverage_invalid_edges, coverage_is_valid

from merak.core.body.plate import BONY, GROUPS, PLATES, THIN, plate, zone_names
from merak.core.body.strokes import PATHS, lines
from merak.core.body.tapes import ALL, default_mm
from merak.core.body.treatable import BESIDE, Narrowed, margins_of, narrow, no_go_of, treatable
from merak.core.client import Measures
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import book, mark_kinds, works

SHARES = st.floats(0.76, 1.29)
FINGERS = st.floats(10, 24)


@st.composite
def tapes(draw: st.DrawFn) -> Measures:
    """Any tapes that a body can have; the third face tape only as it goes with the other two."""
    build = draw(st.sampled_from(["women's mean", "men's mean"]))
    free = [tape for tape in ALL if tape.field != "ear_chin_ear_mm"]
    found = {
        tape.field: draw(st.none() | SHARES.map(lambda s, t=tape: s * default_mm(t, Measures(build=build))))
        for tape in free
    }
    measures = Measures(build=build, **found)
    if draw(st.booleans()):
        face = plate(measures)
        mean = (face.across + face.down) / 2
        with_third = measures.model_copy(update={"ear_chin_ear_mm": draw(st.floats(0.9, 1.08)) * 304 * mean})
        try:
            plate(with_third)
        except BadInput:
            return measures
        return with_third
    return measures


@settings(max_examples=25)
@given(tapes(), st.sampled_from(list(PLATES)))
def test_zones_tile_the_plate(measures: Measures, name: str) -> None:
    face = plate(measures, name)
    shapes = np.array(list(face.zones.values()), dtype=object)
    assert coverage_is_valid(shapes), coverage_invalid_edges(shapes)
    assert all(shape.is_valid and shape.geom_type == "Polygon" for shape in shapes)
    assert sum(shape.area for shape in shapes) == pytest.approx(face.outline.area, rel=1e-9)
    assert min(shape.area for shape in shapes) > 100, "a zone of less than 1 cm² is a slip of the pen"
    for zone in zone_names(name):
        assert face.zones["left", zone].area == pytest.approx(face.zones["right", zone].area, rel=1e-9)


def test_every_zone_of_the_trade_is_there_once() -> None:
    everywhere = [zone for name in ("face", "neck") for zone in zone_names(name)]
    assert sorted(everywhere) == sorted({*GROUPS["face and neck"], *GROUPS["neck and décolleté"], *BESIDE})
    assert len(everywhere) == 24
    known = {*everywhere, *(zone for name in PLATES for zone in zone_names(name)), *plate(Measures()).spots}
    assert known >= BONY and known >= THIN
    named = {place for work in works() for entry in no_go_of(work) for place in entry.places}
    named |= {entry.keep_from for work in works() for entry in margins_of(work)}
    rules = [entry for kind in ("margin", "no_go") for entry in getattr(book(), kind)]
    assert {work for entry in rules for work in entry.works} <= set(works()), "a rule speaks of a modality that is none"
    assert {work for kind in mark_kinds().values() for work in kind.keeps_out} <= {*works(), "all"}
    assert known | set(plate(Measures(), "neck").spots) >= named, "a rule speaks of a place that is on no plate"


@settings(max_examples=25)
@given(tapes(), st.floats(-120, 120), st.floats(5, 170))
def test_a_place_is_carried_onto_a_build_and_back(measures: Measures, x: float, y: float) -> None:
    face = plate(measures)
    assert face.back(face.carry(np.array([[x, y]]))) == pytest.approx(np.array([[x, y]]), abs=1e-5)


def test_the_third_tape_turns_the_sides_about_the_nose() -> None:
    usual, narrow_jaw, wide_jaw = (
        plate(Measures(ear_to_ear_mm=290, ear_chin_ear_mm=tape)) for tape in (None, 290, 335)
    )
    nose = np.array(usual.landmarks["left", "base of the nose"])
    ears = [np.array(face.landmarks["left", "tragus"]) for face in (narrow_jaw, wide_jaw)]
    assert ears[0][1] > ears[1][1] + 15, "a short tape brings the ear nearer to the chin"
    assert np.hypot(*(ears[0] - nose)) == pytest.approx(np.hypot(*(ears[1] - nose)), abs=1e-9), (
        "and leaves it as far from the nose"
    )
    for fixed in ("chin point", "brow peak", "nose tip", "outer eye corner", "hairline side"):
        assert wide_jaw.landmarks["left", fixed] == pytest.approx(usual.landmarks["left", fixed], abs=0.5)
    # The drawn rim from ear to chin follows the tape: 335 to 290 as drawn to drawn.
    rims = [
        LineString(
            [face.landmarks["left", at] for at in ("tragus", "ear lobe", "jaw angle", "mid jaw", "chin point")]
        ).length
        for face in (narrow_jaw, wide_jaw)
    ]
    assert rims[1] / rims[0] == pytest.approx(335 / 290, rel=0.01)
    assert plate(Measures(ear_chin_ear_mm=304)).outline.area == pytest.approx(plate(Measures()).outline.area, rel=1e-3)


@pytest.mark.parametrize(
    ("measures", "name", "field"),
    [
        ({"ear_to_ear_mm": 1300}, "face", "ear_to_ear_mm"),
        ({"hairline_chin_mm": 19}, "face", "hairline_chin_mm"),
        ({"ear_to_ear_mm": -278}, "face", "ear_to_ear_mm"),
        ({"ear_chin_ear_mm": 1300}, "face", "ear_chin_ear_mm"),
        ({"ear_to_ear_mm": 278, "hairline_chin_mm": 190, "ear_chin_ear_mm": 395}, "face", "ear_chin_ear_mm"),
        ({"neck_round_mm": 33}, "neck", "neck_round_mm"),
        ({"thigh_length_mm": 3000, "thigh_round_mm": float("nan")}, "thigh-back", "thigh_length_mm"),
        ({"hand_length_mm": float("inf")}, "hands", "hand_length_mm"),
    ],
)
def test_a_slip_of_the_pen_is_told_beside_its_field(measures: dict[str, float], name: str, field: str) -> None:
    with pytest.raises(BadInput) as slip:
        plate(Measures(**measures), name)
    assert field in slip.value.fields
    assert "between" in slip.value.fields[field]


@pytest.mark.parametrize("work", list(works()))
def test_what_is_treatable_is_skin_less_margins_and_no_go(work: str) -> None:
    for name in PLATES:
        area = treatable(Measures(), work, 16, name)
        for key, part in area.zones.items():
            whole = area.plate.zones[key]
            assert part.area == pytest.approx(whole.area - whole.intersection(area.out).area, abs=0.01), key
            assert part.difference(whole).area < 1e-6
        for entry in no_go_of(work):
            for place in entry.places:
                assert all(
                    shape.intersection(part).area < 0.01
                    for shape in area.plate.place(place)
                    for part in area.zones.values()
                )
        for entry in margins_of(work):
            for edge in area.plate.place(entry.keep_from):
                near = min(edge.distance(part) for part in area.zones.values() if not part.is_empty)
                assert near >= area.margin_mm[entry.id] - 0.2, entry.id


def test_margins_are_the_treating_hands_own() -> None:
    small, large = (treatable(Measures(), "focused_lifting", finger) for finger in (14.0, 20.0))
    assert small.margin_mm["focused_lifting.margin.ear"] == 28 and large.margin_mm["focused_lifting.margin.ear"] == 40
    assert large.side("left").area < small.side("left").area
    assert large.no_go.equals(small.no_go)
    tragus, corner = (Point(small.plate.landmarks["left", at]) for at in ("tragus", "mouth corner"))
    assert small.side("left").distance(tragus) >= 27.8
    assert large.side("left").distance(corner) >= 19.8


def test_a_senior_narrows_a_margin_and_nobody_a_no_go_area() -> None:
    usual = treatable(Measures(), "rf_bulk", 16)
    less = narrow("rf_bulk.margin.hairline", 0.25, "receding hairline, skin bare for 2 cm")
    wider = treatable(Measures(), "rf_bulk", 16, narrowed=(less,))
    assert wider.side("left").area > usual.side("left").area
    assert wider.margin_mm["rf_bulk.margin.hairline"] == 4
    smuggled = Narrowed(margin="rf_bulk.no_go", value=0, reason="never")
    assert treatable(Measures(), "rf_bulk", 16, narrowed=(smuggled,)).side("left").equals(usual.side("left"))
    with pytest.raises(Refused):
        narrow("rf_bulk.no_go", 0, "the client insists")
    for value, reason, field in (
        (0.5, "a good reason", "value"),
        (-0.1, "a good reason", "value"),
        (0.25, " ", "reason"),
    ):
        with pytest.raises(BadInput) as wrong:
            narrow("rf_bulk.margin.hairline", value, reason)
        assert list(wrong.value.fields) == [field]


@settings(max_examples=15)
@given(tapes(), FINGERS)
def test_strokes_stay_in_the_treatable_area(measures: Measures, finger: float) -> None:
    area = treatable(measures, "microcurrent", finger)
    for side in ("right", "left"):
        drawn, near = lines(area, side, PATHS), area.side(side).buffer(0.01)
        assert {line.path for line in drawn} == set(PATHS) - {"neck"}, "that of the neck lies on its own plate"
        for line in drawn:
            on_plate = LineString(line.points)
            assert near.covers(on_plate)
            assert on_plate.intersection(area.no_go).length < 0.01
            (x0, y0), (x1, y1) = line.points[0], line.points[-1]
            assert y1 < y0 or abs(x1) > abs(x0) + 20, "strokes run up and out"
    assert area.side("right").area == pytest.approx(area.side("left").area, rel=1e-6), (
        "the sides are each other's mirror"
    )


def test_focused_work_starts_below_the_mouth_corner_and_ends_below_the_temple() -> None:
    area = treatable(Measures(), "focused_lifting", 16)
    drawn = {line.path: line for line in lines(area, "left", ("low", "high"))}
    corner = area.plate.landmarks["left", "mouth corner"]
    assert drawn["low"].points[0][1] > corner[1] + 15 and drawn["low"].points[0][0] > corner[0] - 3
    temple = area.plate.zones["left", "temple"]
    assert not any(temple.covers(Point(point)) for point in drawn["high"].points)
