"""From a plan to the chair: every modality's steps, what is counted where on the client's plate,
what waits for a spot.
"""

from datetime import timedelta
from functools import reduce
from typing import Any

import pytest
from shapely import Polygon, union_all

from builders.briefs import EVERY_LICENCE, MACHINES, TODAY, brief, plan_of
from builders.machines import machine
from merak.core.acts import Act, guests_of
from merak.core.client import Findings
from merak.core.knowledge import about, number
from merak.core.modality.device import CardTip
from merak.core.modality.shared import Before
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Machine
from merak.core.plan.visit_plan import VisitPlan, visit_plan
from merak.core.spots import SpotAnswer, SpotRead

PLANNED = tuple(name for name in about() if about()[name].licence != "physician")


def read(modality: str, at: float, verdict: Any = "keep", days: int = 7) -> dict[str, SpotRead]:
    said = SpotAnswer(verdict=verdict, set_to=at, words="", rule="chair.spot.kept")
    return {modality: SpotRead(answer=said, on=TODAY - timedelta(days=days))}


def who(**changes: Any) -> Brief:
    known: dict[str, Any] = {"licences": EVERY_LICENCE, "senior": True, "findings": Findings(phototype=2), "slot": 240}
    return brief(**(known | changes))


def laid(of: Brief, *modalities: str, **settings: Any) -> VisitPlan:
    return visit_plan(of, plan_of(of, *modalities, **settings), laid=True)


def shape(act: Act, n: int) -> Polygon:
    return Polygon(act.cells[n].ring)


@pytest.mark.parametrize("modality", PLANNED)
def test_every_modality_runs_and_counts_its_own_time(modality: str) -> None:
    of = who(spots=read("peel", 2) | read("pulsed_light", 10))
    plan = laid(of, modality)
    assert not plan.stopped and plan.acts
    assert sum(act.seconds for act in plan.acts) == pytest.approx(plan.seconds, abs=len(plan.acts)), (
        "the strip and the chair agree"
    )
    told = visit_plan(of, plan.plan).acts
    assert [(one.title, one.kind, one.strict, one.keeps, one.over) for one in told] == [
        (one.title, one.kind, one.strict, one.keeps, one.over) for one in plan.acts
    ], "laid on the plate or not, the steps are the same"
    for act in plan.acts:
        assert act.instruction and act.title and act.seconds >= 1
        assert not act.must_end or act.over, "a clock that may not be overrun says what to do then"
        assert (act.kind in ("strokes", "sections", "pulses")) == bool(act.wanted)
        assert act.modality in ("", modality) and act.step == plan.plan.steps[0].id
        assert not act.asks or 30 <= act.ask_s <= 300


@pytest.mark.parametrize(
    "modality", ["wet_abrasion", "rf_bulk", "rf_fractional", "pulsed_light", "focused_lifting", "nano", "cold"]
)
def test_nothing_is_counted_outside_of_where_it_may_go(modality: str) -> None:
    of = who(spots=read("pulsed_light", 10))
    plan = laid(of, modality)
    worked = plan.zones["s1"]
    area = of.own_area(modality)
    able = union_all([part for (_, zone), part in area.zones.items() if zone in worked]).buffer(0.5)
    near = able.buffer(0.5)
    for act in plan.acts:
        for part in act.parts:
            drawn = reduce(
                Polygon.symmetric_difference, (Polygon(ring).buffer(0) for ring in part.outlines)
            )  # a ring in a ring is a hole
            assert near.covers(drawn), part.name
        assert all(able.covers(shape(act, n)) for n in range(0, len(act.cells), 7)), "a footprint over the margin"
        if act.cells:
            whole = sum(Polygon(cell.ring).area for cell in act.cells)
            assert 0.5 * able.area < whole < able.area * 1.01, "most of it, and none of it twice"
            assert [cell.part for cell in act.cells] == sorted(cell.part for cell in act.cells), "section by section"


def test_a_small_tip_is_taken_where_the_card_has_one_and_sections_go_as_pulsed_light_wants_them() -> None:
    tips = (CardTip(name="large", across_mm=15, down_mm=35), CardTip(name="small", across_mm=8, down_mm=15))
    lamp = Machine(id="lamp", card=machine("pulsed_light", tips=tips))
    others = tuple(one for one in MACHINES if one.card.modality != "pulsed_light")
    act = laid(who(machines=(lamp, *others), spots=read("pulsed_light", 10)), "pulsed_light").acts[-1]
    names = [part.name for part in act.parts]
    assert names[:4] == ["right cheek", "chin", "forehead", "left cheek"]
    sizes = {act.parts[cell.part].name: Polygon(cell.ring).area for cell in act.cells}
    assert sizes["right cheek"] == pytest.approx(15 * 35, rel=0.03) and sizes["upper lip"] == pytest.approx(
        8 * 15, rel=0.03
    )


def test_the_higher_side_is_warmed_first_and_the_mirror_stands_between() -> None:
    left = who(findings=Findings(phototype=2, brow_left_mm=14, brow_right_mm=11))
    titles = [act.title for act in laid(left, "rf_bulk", at=3).acts]
    assert titles == ["Gliding cream", "Bulk radiofrequency, left", "Mirror", "Bulk radiofrequency, right"]
    acts = laid(left, "rf_bulk", at=3).acts
    assert all(part.name.startswith("left ") for part in acts[1].parts) and acts[2].mirror
    heat = acts[1].heat
    assert heat and (heat.low_c, heat.high_c, heat.stop_c) == (40, 42, 43) and heat.deeper_c > 0.2, "below it is hotter"


def test_bottle_after_bottle() -> None:
    plan = laid(who(), "wet_abrasion")
    titles = ["Wet tip: make ready", "Acid cleanse", "Salicylic extraction", "Infusion"]
    assert [act.title for act in plan.acts] == titles
    drawn = [act.dials[0][1] for act in plan.acts if act.dials]
    assert drawn == [4, 4, 7], "cleaning and infusing have a suction of their own"


def test_what_is_done_beside_a_wait_stands_behind_it() -> None:
    plan = plan_of(who(), "mask", "led", "finish")
    steps = (plan.steps[0], plan.steps[1].model_copy(update={"beside": "s1"}), plan.steps[2])
    acts = visit_plan(who(), plan.model_copy(update={"steps": steps})).acts
    assert [act.title for act in acts] == ["Mask on", "Mask", "Panel", "Red light", "Finish"]
    assert guests_of(acts, 1) == [2, 3] and acts[1].keeps and acts[4].beside is None


@pytest.mark.parametrize(
    ("spots", "history", "only"),
    [
        ({}, {}, True),
        (read("pulsed_light", 10), {}, False),
        (read("pulsed_light", 10, "stop"), {}, True),
        (read("pulsed_light", 10, days=200), {}, True),
        ({}, {"pulsed_light": Before(at=11)}, False),
    ],
)
def test_pulsed_light_waits_for_a_spot_that_speaks(
    spots: dict[str, SpotRead], history: dict[str, Before], only: bool
) -> None:
    of = who(spots=spots, history=history, returning=True)
    plan = laid(of, "pulsed_light")
    assert [bool(act.spot) for act in plan.acts] == ([True] if only else [False, False])
    if only:
        assert plan.seconds == plan.spans[0].hands_s + 60 * number("chair.spot.minutes")
        assert plan.numbers["visit.price"].value == plan.numbers["visit.load"].value == 0, "a spot is no treatment"
        assert any("Today only the spot" in one.words for one in plan.cautions["s1"])
        assert plan.acts[0].spot and plan.acts[0].spot.wait_s == 48 * 3600 and not plan.acts[0].spot.same_visit


def test_what_was_read_is_where_it_begins_and_no_further() -> None:
    of = who(spots=read("pulsed_light", 12, "down"), returning=True)
    assert plan_of(of, "pulsed_light").stages[0].settings.at == 12
    beyond = visit_plan(of, plan_of(of, "pulsed_light", at=13))
    assert "The test spot was read for 12; this is set to 13." in beyond.refused["s1.at"].words
    dark = who(findings=Findings(phototype=4))
    assert laid(dark, "pulsed_light").acts[0].spot.wait_s == 7 * 24 * 3600  # type: ignore[union-attr]
    peel = laid(who(), "peel").acts[0].spot
    assert peel and (peel.name, peel.unit, peel.wait_s) == ("Contact", "min", 24 * 3600)
