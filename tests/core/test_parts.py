"""Parts drawn on a plate: a stage goes there alone, on every zone that one touches, with an area of its own."""

from uuid import UUID

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Polygon, box

from builders.briefs import TODAY
from builders.chair import as_step, somebody, worked
from merak.core.body.marks import Mark
from merak.core.body.plate import area_cm2
from merak.core.errors import Refused
from merak.core.plan.brief import workable
from merak.core.plan.order import own_acts
from merak.core.plan.routine import routine_of
from merak.core.plan.screening import Answer
from merak.core.plan.stage import Stage, compute, resized
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan

PART, OTHER = UUID(int=1), UUID(int=2)


def part(points: list[tuple[float, float]], id: UUID = PART, kind: str = "part", plate: str = "face") -> Mark:
    return Mark(id=id, plate=plate, kind=kind, shape="area", points=tuple(points), on=TODAY)


def square(x: float, y: float, mm: float) -> list[tuple[float, float]]:
    return [(x, y), (x + mm, y), (x + mm, y + mm), (x, y + mm)]


#: On the left cheek of the usual face, 50 × 50 mm, over several zones.
CHEEK = part(square(45, 85, 50))


def stage_of(modality: str, *parts: UUID, zones: tuple[str, ...] = ()) -> Stage:
    return worked(modality, somebody(marks=(CHEEK,))).stage.model_copy(update={"parts": parts, "zones": zones})


def test_its_area_is_its_own_over_all_the_zones_that_it_touches() -> None:
    who = somebody(marks=(CHEEK,))
    found = workable(who, "touch", (), (PART,))
    skin = who.own_area("touch").skin.intersection(box(45, 85, 95, 135))
    assert sum(found.values()) == pytest.approx(area_cm2(skin), rel=0.01) and sum(found.values()) <= 25
    assert len(found) > 2 and all(name.startswith("left ") for name in found)
    assert workable(who, "touch", ("chin",), (PART,)).keys() == found.keys(), "on its plate it goes there alone"
    both = workable(who, "touch", ("chin", "front of neck"), (PART,))
    assert both.keys() == {*found, "front of neck"}, "and to the zones of another plate"


@pytest.mark.parametrize("modality", ["rf_fractional", "pulsed_light", "microcurrent"])
@settings(max_examples=15)
@given(x=st.floats(-95, 45), y=st.floats(40, 120), mm=st.floats(35, 60))
def test_nothing_is_laid_beside_it(modality: str, x: float, y: float, mm: float) -> None:
    drawn = part(square(x, y, mm))
    who = somebody(marks=(drawn,))
    stage = stage_of(modality, PART)
    try:
        one = compute(who, stage)
    except Refused as stop:
        assert stop.rule == "plan.closed_zones", "no room there, and it is said"
        return
    face = who.whole().plate
    there = Polygon(drawn.there(face)).buffer(0.2)
    for act in own_acts(who, as_step(who, one), "right", {}, True):
        shapes = [*(Polygon(cell.ring) for cell in act.cells), *(LineString(line.points) for line in act.lines)]
        assert all(there.covers(shape) for shape in shapes), f"{modality} beside its part"


def test_it_is_judged_by_the_strictest_zone_that_it_touches() -> None:
    """A part over cheek and temple: bone is told by itself, and set lower there."""
    high = part(square(50, 45, 55))
    who = somebody(marks=(high,))
    one = compute(who, stage_of("rf_fractional", PART))
    assert "bone" in {there.skin for there in one.classes}
    assert "at_bone" in one.dose.numbers


def test_two_parts_are_one_place_and_one_that_is_gone_is_told() -> None:
    more = part(square(-95, 85, 40), OTHER, kind="pigment")
    who = somebody(marks=(CHEEK, more))
    both = compute(who, stage_of("touch", PART, OTHER))
    alone = [compute(who, stage_of("touch", one)) for one in (PART, OTHER)]
    assert sum(both.areas.values()) == pytest.approx(sum(sum(one.areas.values()) for one in alone))
    assert both.own_s == pytest.approx(sum(one.own_s for one in alone), abs=2)
    with pytest.raises(Refused, match="taken off the plate"):
        compute(somebody(marks=(more,)), stage_of("touch", PART))


def test_what_keeps_the_work_off_keeps_it_off_there() -> None:
    """A stay-out over half of the part: half of it is left."""
    shut = part([(45, 85), (70, 85), (70, 135), (45, 135)], OTHER, kind="stay-out")
    whole, less = (
        sum(workable(somebody(marks=marks), "touch", (), (PART,)).values()) for marks in ((CHEEK,), (CHEEK, shut))
    )
    assert less < 0.7 * whole


def vessel(points: list[tuple[float, float]], id: UUID, shape: str = "line") -> Mark:
    return Mark(id=id, plate="face", kind="vessel", shape=shape, points=tuple(points), size_mm=2, on=TODAY)


def test_a_marked_vessel_bears_so_many_pulses_each_and_no_more() -> None:
    """Three at most along each, whatever its length; fewer at the chair is nothing missed."""
    long, short = vessel([(48, 112), (72, 122)], PART), vessel([(-60, 115)], OTHER, "spot")
    who = somebody(marks=(long, short))
    one = worked("pulsed_light", who, target="red", stacked=3)
    stage = one.stage.model_copy(update={"parts": (PART, OTHER)})
    found = compute(who, stage)
    assert found.dose.numbers["shots"].value == 2 * 3 and not found.stops
    act = next(act for act in own_acts(who, as_step(who, found), "right", {}, True) if act.kind == "pulses")
    assert act.strokes == 6 and act.at_most
    assert [part.name for part in act.parts] == ["vessel, left mid cheek", "vessel, right mid cheek"]
    face = who.whole().plate
    skin = who.own_area("pulsed_light").skin.buffer(0.2)
    for n, mark in enumerate((long, short)):
        mine = [Polygon(cell.ring) for cell in act.cells if cell.part == n]
        assert len(mine) == 3 and all(cell.distance(mark.line(face)) == 0 for cell in mine)
        assert all(skin.covers(cell) for cell in mine)
    more = compute(who, stage.with_settings(stage.values | {"stacked": 4}))
    assert more.stops and more.stops[0].rule == "pulsed_light.vessel", "the cap is the rule's"


def test_a_line_that_may_not_be_reached_is_refused() -> None:
    lid = vessel([(30, 62), (38, 62)], PART)
    who = somebody(marks=(lid,))
    with pytest.raises(Refused):
        compute(who, worked("pulsed_light", somebody()).stage.model_copy(update={"parts": (PART,)}))


def test_a_vessel_is_left_where_its_zone_is_closed() -> None:
    """What an answer closes stays closed along a mark that runs into it, and beside it."""
    across = vessel([(48, 112), (48, 150)], PART)
    shut = {"filler": Answer(option="permanent", zones=("lower cheek",))}
    open_, closed = (somebody(marks=(across,), answers=answers) for answers in (None, shut))
    for who in (open_, closed):
        one = worked("pulsed_light", who, target="red", stacked=3)
        stage = one.stage.model_copy(update={"parts": (PART,)})
        acts_ = own_acts(who, as_step(who, compute(who, stage)), "right", {}, True)
        cells = [Polygon(cell.ring) for act in acts_ for cell in act.cells]
        lower = who.own_area("pulsed_light").zones["left", "lower cheek"]
        touched = sum(cell.intersection(lower).area for cell in cells)
        assert (touched > 1) == (who is open_)


def test_an_area_that_was_drawn_is_pulsed_all_over_and_what_is_left_of_it_is_missed() -> None:
    who = somebody(marks=(CHEEK,))
    one = worked("pulsed_light", who, target="red", stacked=3)
    found = compute(who, one.stage.model_copy(update={"parts": (PART,)}))
    (act,) = (act for act in own_acts(who, as_step(who, found), "right", {}, True) if act.kind == "pulses")
    assert act.strokes == found.dose.numbers["shots"].value and not act.at_most
    line = vessel([(48, 112), (92, 112)], OTHER)
    plain = one.stage.with_settings(one.stage.values | {"target": "brown", "stacked": 1})
    brown = compute(somebody(marks=(line,)), plain.model_copy(update={"parts": (OTHER,)}))
    assert brown.dose.numbers["shots"].value == 3 and not brown.capped, "44 mm of a 20 mm crystal, end to end"


def test_hands_follow_a_part_that_comes_and_goes() -> None:
    """Minutes go with the area; a part that was taken off the plate can still be let go."""
    who, bare_ = somebody(marks=(CHEEK,)), somebody()
    face = worked("cleanse", who).stage
    part_ = resized(who, face, face.model_copy(update={"parts": (PART,)}))
    assert (face.at, part_.at) == (2.5, 0.5)
    gone = resized(bare_, part_, part_.model_copy(update={"parts": ()}))
    assert gone.parts == () and compute(bare_, gone).areas


def test_a_routine_keeps_the_zones_that_a_part_touches_and_not_everywhere() -> None:
    who = somebody(marks=(CHEEK,))
    plan = Plan(steps=(step_of(stage_of("touch", PART)),))
    (kept,) = routine_of(who, plan, "one cheek").steps[0].stages
    assert set(kept.zones) == set(workable(who, "touch", (), (PART,))) and all(
        z.startswith("left ") for z in kept.zones
    )


def test_the_chair_names_the_zones_of_a_part() -> None:
    who = somebody(marks=(CHEEK,))
    made = own_acts(who, as_step(who, compute(who, stage_of("touch", PART))), "right", {}, True)
    assert "left side" in made[0].instruction and "upper cheek" in made[0].instruction
