"""Half the face first: all of a block on one side, shown, then all of it on the other with the same counts."""

from itertools import pairwise

import pytest
from shapely import Polygon, unary_union

from builders.chair import somebody
from merak.core.acts import Act
from merak.core.client import Side
from merak.core.knowledge import Manner
from merak.core.plan.halves import shape_of
from merak.core.plan.order import own_acts
from merak.core.plan.stage import Stage, begin
from merak.core.plan.step import Step, compute_step
from merak.core.plan.visit_plan import Plan, in_force

WHO = somebody()
OF = in_force(WHO, Plan())
HALF = Manner(half=True)


def stage_of(modality: str, n: int, half: bool = True) -> Stage:
    begun = begin(WHO, modality, f"s{n}", OF)
    return begun.model_copy(update={"manner": HALF if half else None})


def acts_of(*stages: Stage, first: Side = "right", laid: bool = True) -> tuple[Act, ...]:
    step = Step(id="s1", modality=stages[0].modality, stages=stages)
    found = compute_step(WHO, step, of=OF)
    acts = own_acts(WHO, found, first, OF, laid)
    assert sum(act.seconds for act in acts) == pytest.approx(found.seconds, abs=2 * len(acts)), "as long as planned"
    return acts


def test_a_block_is_done_on_one_side_shown_and_done_on_the_other() -> None:
    """A lift, sound and cold as one block: none is done right and left by itself, and the mirror is shown once."""
    acts = acts_of(stage_of("microcurrent", 1), stage_of("ultrasound", 2), stage_of("cold", 3), first="left")
    at = [act.mirror for act in acts].index(True)
    assert sum(act.mirror for act in acts) == 1
    assert {act.side for act in acts[:at]} == {"left"} and {act.side for act in acts[at + 1 :]} == {"right"}
    for half in (acts[:at], acts[at + 1 :]):
        assert [act.stage for act in half] == sorted(act.stage for act in half), "in the order of the stages"
        assert {act.stage for act in half} == {"s1", "s2", "s3"}


def test_only_neighbours_are_a_block() -> None:
    acts = acts_of(stage_of("microcurrent", 1), stage_of("ultrasound", 2, half=False), stage_of("cold", 3))
    assert [act.stage for act in acts if act.mirror] == ["s1", "s3"]
    assert all(act.side is None for act in acts if act.stage == "s2")
    for one, other in pairwise([act.stage for act in acts]):
        assert one <= other, "one after the other"


@pytest.mark.parametrize("modality", ["microcurrent", "ultrasound", "rf_bulk", "cold", "pulsed_light", "rf_fractional"])
@pytest.mark.parametrize("laid", [True, False])
def test_both_halves_together_are_the_whole(modality: str, laid: bool) -> None:
    """Every line, footprint and part once; a section that crosses the midline is cut there; as often as without."""
    whole = acts_of(stage_of(modality, 1, half=False), laid=laid)
    halves = acts_of(stage_of(modality, 1), laid=laid)
    counts = [sum(act.strokes for act in acts if act.lines or act.cells) for acts in (whole, halves)]
    assert counts[0] == counts[1] or not laid
    assert {cell.ring for act in halves for cell in act.cells} == {cell.ring for act in whole for cell in act.cells}
    for act in halves:
        sign = 1 if act.side == "left" else -1
        for part in act.parts:
            xs = [x * sign for ring in part.outlines for x, _ in ring]
            assert min(xs, default=0) >= -0.05, f"{part.name} of the {act.side}"
            assert not laid or part.name.startswith(act.side or "")
        for cell in act.cells if laid else ():
            assert 0 <= cell.part < len(act.parts)
            assert Polygon(cell.ring).distance(shape_of(act.parts[cell.part])) < 1
    if laid:
        areas = [unary_union([shape_of(part) for act in acts for part in act.parts]).area for acts in (whole, halves)]
        assert areas[1] == pytest.approx(areas[0], rel=0.01)


def test_a_half_that_says_how_it_is_worked_counts_what_lies_on_it_alone() -> None:
    told = begin(WHO, "pulsed_light", "s1", OF).model_copy(update={"manner": Manner(half=True, laying="rows")})
    right, left = (act for act in acts_of(told) if act.cells)
    assert [one.strokes for one in (right, left)] == [len(one.cells) for one in (right, left)]
    assert "Clear gel. Rows." in right.instruction


def test_what_works_by_itself_and_what_is_only_a_spot_are_not_halved() -> None:
    for modality in ("mask", "led", "numbing"):
        acts = acts_of(stage_of(modality, 1))
        assert all(act.side is None and not act.mirror for act in acts), modality
    acts = own_acts(
        WHO, compute_step(WHO, Step(id="s1", modality="pulsed_light", stages=(stage_of("pulsed_light", 1),)), of=OF),
        "right", OF, True,
    )  # fmt: skip
    assert sum(act.spot is not None for act in acts) <= 1, "one spot, not one a side"
