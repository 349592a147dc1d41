"""How a part is gone over, drawn: inside it, mirrored, and as far apart as the tip is wide."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, MultiPoint

from builders.chair import acts, as_step, somebody, worked
from merak.core.body.guides import guides
from merak.core.body.treatable import treatable
from merak.core.client import Measures
from merak.core.knowledge import Manner
from merak.core.plan.halves import half_by_half
from merak.core.plan.order import own_acts
from merak.core.plan.places import strokes_over
from merak.core.plan.stage import compute

FACE = treatable(Measures(), "ultrasound", 16)
DRAWN = ("lines", "circles", "rows", "points", "dabs")
TAPES = st.builds(Measures, ear_to_ear_mm=st.floats(240, 330), hairline_chin_mm=st.floats(165, 225))


@pytest.mark.parametrize("laying", DRAWN)
@settings(max_examples=12)
@given(tapes=TAPES, zone=st.sampled_from(["forehead", "mid cheek", "lower cheek", "jawline"]), tip=st.floats(8, 25))
def test_strokes_stay_in_their_part_and_mirrored_are_mirrored(
    laying: str, tapes: Measures, zone: str, tip: float
) -> None:
    area = treatable(tapes, "ultrasound", 16)
    sides = {side: guides(area, area.zones[side, zone], laying, tip) for side in ("right", "left")}
    reach = tip if laying == "circles" else 0.1  # a circle swings about its line
    for side, found in sides.items():
        room = area.zones[side, zone].buffer(reach)
        assert all(room.covers(LineString(one)) for one in found)
    right, left = (
        sorted((round(abs(np.mean([x for x, _ in one])), 0), len(one)) for one in sides[side]) for side in sides
    )
    assert [n for _, n in right] == [n for _, n in left]


def test_points_lie_a_tip_apart_and_dabs_half_as_far_again() -> None:
    """Nearest neighbours of a triangular lattice, by hand: the tip's 8 mm, and 12 mm."""
    shape = FACE.zones["left", "mid cheek"]
    for laying, apart in (("points", 8), ("dabs", 12)):
        middles = [MultiPoint(one[:-1]).centroid for one in guides(FACE, shape, laying, 8)]
        nearest = [min(a.distance(b) for b in middles if b is not a) for a in middles]
        assert len(middles) > 5 and min(nearest) == pytest.approx(apart, abs=0.2)
    assert len(guides(FACE, shape, "points", 8)) > 1.5 * len(guides(FACE, shape, "dabs", 8))


def test_lines_run_between_landmarks_and_rows_where_a_plate_has_none() -> None:
    cheek = guides(FACE, FACE.zones["left", "mid cheek"], "lines", 20)
    assert all(len(one) == 2 and one[0][1] > one[1][1] for one in cheek), "upward"
    hands = somebody().own_area("touch", "hands")
    key = next(iter(hands.zones))
    assert guides(hands, hands.zones[key], "lines", 15) == guides(hands, hands.zones[key], "rows", 15) != ()


@pytest.mark.parametrize("laying", ["", "kneaded", "all over", "still", "grid"])
def test_what_lies_still_or_goes_all_over_has_no_strokes(laying: str) -> None:
    assert guides(FACE, FACE.zones["left", "mid cheek"], laying, 8) == ()


def test_the_chair_draws_them_and_a_half_its_own() -> None:
    who = somebody()
    one = worked("ultrasound", who)
    stage = one.stage.model_copy(update={"manner": Manner(laying="circles")})
    made = own_acts(who, as_step(who, compute(who, stage)), "right", {}, True)
    parts = [part for act in made for part in act.parts]
    assert sum(len(part.guides) for part in parts) > 10
    halves = half_by_half(made, "right")
    for act in halves:
        for part in act.parts:
            assert all((np.mean([x for x, _ in one]) < 0) == (act.side == "right") for one in part.guides)
    assert not any(part.guides for act in acts("ultrasound", laid=True, who=who) for part in act.parts)


def test_the_plan_shows_the_strokes_that_the_chair_will() -> None:
    who = somebody()
    one = worked("ultrasound", who)
    stage = one.stage.model_copy(update={"manner": Manner(laying="rows")})
    laid = own_acts(who, as_step(who, compute(who, stage)), "right", {}, True)
    at_the_chair = [stroke for act in laid for part in act.parts for stroke in part.guides]
    ((plate, strokes),) = strokes_over(who, stage)
    assert plate == "face" and sorted(strokes) == sorted(at_the_chair) != []
    assert strokes_over(who, one.stage) == (), "nothing said of strokes"
    pins = worked("rf_fractional", who).stage.model_copy(update={"manner": Manner(laying="rows")})
    assert strokes_over(who, pins) == (), "print by print"
