"""What is marked when it is seen: counted where it lies, taken back with its count, told by part, never missed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import Point, Polygon

from builders.orders import SEEN, Given, at, order_of, run
from merak.core.acts import Act, Part
from merak.core.after.differences import differences
from merak.core.treatment import RunState, act_facts, complete, fold, next_place
from merak.core.treatment.facts import ActFacts
from merak.core.treatment.seen import SightingAt, seen_at

FACE, NECK = {"plate": "face"}, {"plate": "neck"}


def seen(*taps: Given) -> tuple[RunState, tuple[ActFacts, ...]]:
    state = fold(SEEN, run(("start", 0), *taps))
    return state, tuple(act_facts(SEEN, state, at(99)))


def test_each_thing_is_counted_in_its_part_with_where_it_lay() -> None:
    """Two at the left cheek and one at the neck: none is missed, none is done twice, nobody is told to go on."""
    state, (points, _) = seen(
        ("count", 1, 1, FACE | {"xy": (12.5, 3)}),
        ("count", 2, 1, FACE | {"xy": (14, 8.5)}),
        ("count", 3, 2, NECK | {"xy": (5, 5)}),
        ("next", 4),
        ("finish", 5),
    )
    assert points.by_part == (("left cheek", 2), ("front", 1))
    assert points.seen == (
        SightingAt(plate="face", x=12.5, y=3, part="left cheek"),
        SightingAt(plate="face", x=14, y=8.5, part="left cheek"),
        SightingAt(plate="neck", x=5, y=5, part="front"),
    )
    assert (points.missed, points.doubled, points.planned_strokes, points.counted) == (0, 0, 0, "3 seen")
    assert differences(SEEN, act_facts(SEEN, state, at(99))) == ()


def test_the_next_is_as_likely_where_the_last_was_and_it_is_enough_at_any_time() -> None:
    nothing, _ = seen()
    one, _ = seen(("count", 1, 2))
    again, _ = seen(("count", 1, 2), ("count", 2))
    for state, place in ((nothing, 0), (one, 2), (again, 2)):
        assert next_place(SEEN.acts[0], state.runs[0]) == place and complete(SEEN.acts[0], state.runs[0])
    assert again.runs[0].walk == [2, 2]


def test_pulses_that_have_no_place_yet_are_capped_and_told_where_they_lay() -> None:
    spots = [("count", 10 + n, None, FACE | {"xy": xy}) for n, xy in enumerate([(-15, 5), (99, 99)])]
    state, (_, vessels) = seen(("next", 1), *spots, ("count", 13), ("count", 14, None, FACE | {"xy": (12, 5)}))
    assert (vessels.done_strokes, vessels.counted) == (3, "3 of at most 3"), "the fourth is one too many"
    assert vessels.by_part == (("right cheek", 1), ("", 2)), "one beside all parts, one without a place"
    assert [one.nth for one in state.runs[1].seen] == [1, 2]


@pytest.mark.parametrize(
    ("back", "left"), [(0, [1, 3]), (1, [1]), (2, [1]), (3, [])], ids=["none", "the third", "the second", "the first"]
)
def test_a_count_that_is_taken_back_takes_its_place_with_it(back: int, left: list[int]) -> None:
    taps = [("count", 1, 1, FACE | {"xy": (12, 5)}), ("count", 2, 0), ("count", 3, 0, FACE | {"xy": (-15, 5)})]
    state, _ = seen(*taps, *[("uncount", 5 + n) for n in range(back)])
    assert [one.nth for one in state.runs[0].seen] == left


def test_a_place_is_kept_only_where_the_act_is() -> None:
    state, _ = seen(
        ("count", 1, 1, {"plate": "thighs", "xy": (12, 5)}), ("count", 2, 1, {"xy": (12, 5)}), ("count", 3, 1, FACE)
    )
    assert state.runs[0].strokes == 3 and state.runs[0].seen == []
    whole = order_of((SEEN.acts[0].model_copy(update={"at_most": False}),))
    counted = fold(whole, run(("start", 0), ("count", 1, 1, FACE | {"xy": (12, 5)})))
    assert counted.runs[0].strokes == 1 and counted.runs[0].seen == [], "what is planned in its place has its place"


def test_a_state_that_was_given_out_keeps_its_marks() -> None:
    before, _ = seen(("count", 1, 1, FACE | {"xy": (12, 5)}))
    fold(SEEN, run(("uncount", 3))[-1:], before)
    assert len(before.runs[0].seen) == 1


@given(x=st.floats(-60, 60), y=st.floats(-60, 60))
def test_a_hole_is_in_no_part(x: float, y: float) -> None:
    """Against a polygon with a hole of a general geometry library."""
    outer, hole = ((-50, -50), (50, -50), (50, 50), (-50, 50)), ((-10, -10), (10, -10), (10, 10), (-10, 10))
    ring = Act(
        kind="sections", title="", instruction="", seconds=1, parts=(Part(name="ring", outlines=(outer, hole)),),
        at_most=True,
    )  # fmt: skip
    state = fold(order_of((ring,)), run(("start", 0), ("count", 1, 0, FACE | {"xy": (x, y)})))
    shape = Polygon(outer, [hole])
    if shape.boundary.distance(Point(x, y)) > 1e-6:
        assert (seen_at(ring, state.runs[0])[0].part == "ring") == shape.contains(Point(x, y))
