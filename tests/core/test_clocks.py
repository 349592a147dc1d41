"""Several clocks at once: what works by its clock is not left longer because hands are elsewhere."""

import pytest

from builders.chair import somebody
from builders.rows import row, steps
from merak.core.plan.step import Step
from merak.core.plan.visit_plan import Plan, VisitPlan, visit_plan

WHO = somebody(slot=480)


def beside(host: Step, *guests: Step) -> VisitPlan:
    placed = (one.model_copy(update={"beside": host.id}) for one in guests)
    return visit_plan(WHO, Plan(steps=(host, *placed)), chair=False)


def overrun(found: VisitPlan) -> bool:
    return "plan.guest" in {one.rule for one in found.clashes}


@pytest.mark.parametrize(("minutes", "refused"), [(20, False), (29, False), (40, True)])
def test_cream_is_not_left_longer_for_a_cleanse(minutes: float, refused: bool) -> None:
    cream, hands = steps(row("numbing", "chin"), row("cleanse", "forehead", minutes=minutes))
    found = beside(cream, hands)
    assert overrun(found) == refused
    if refused:
        (late,) = (one for one in found.clashes if one.rule == "plan.guest")
        assert set(late.steps) == {cream.id, hands.id} and late.absolute and not found.startable
        assert late.words.startswith("Cleanse beside Numbing end")


def test_several_guests_count_together() -> None:
    cream, hands, tone = steps(
        row("numbing", "chin"), row("cleanse", "forehead", minutes=29), row("tone", "mid cheek", minutes=2)
    )
    assert not overrun(beside(cream, hands)) and not overrun(beside(cream, tone))
    assert overrun(beside(cream, hands, tone))


def test_a_mask_may_lie_longer_unless_its_clock_says_at_most() -> None:
    light = row("led", "chin", minutes=20)
    mask, panel = steps(row("mask", minutes=15), light)
    assert not overrun(beside(mask, panel))
    for clock, refused in (("at least", False), ("at most", True), ("exactly", True)):
        ends = {"least_min": 15} if clock == "at least" else {"most_min": 15}
        mask, panel = steps(row("mask", minutes=15, manner={"clock": clock, **ends}), light)
        assert overrun(beside(mask, panel)) == refused
