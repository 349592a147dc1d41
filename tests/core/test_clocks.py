"""Several clocks at once: what works by its clock is not left longer because hands are elsewhere."""

import pytest

from builders.briefs import Machine
from builders.chair import somebody
from builders.rows import Row, row, steps
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


def two(isolated: tuple[bool, bool], work: str = "microcurrent") -> list[str]:
    """What is ruled while bands work on the thighs and something else on the face."""
    machines = tuple(
        Machine(id=one.id, card=one.card.model_copy(update={"isolated": isolated[one.card.modality != "microcurrent"]}))
        for one in WHO.facts.machines
    )
    who = somebody(slot=480, machines=machines)
    host, guest = steps(row("muscle_stimulation"), row(work), who=who)
    found = visit_plan(who, Plan(steps=(host, guest.model_copy(update={"beside": host.id}))), chair=False)
    return [one.rule for one in found.clashes if one.rule == "plan.two_currents" and one.absolute]


@pytest.mark.parametrize(
    ("isolated", "work", "refused"),
    [
        ((False, False), "microcurrent", True),
        ((True, False), "microcurrent", True),
        ((False, True), "microcurrent", True),
        ((True, True), "microcurrent", False),
        ((False, False), "led", False),
        ((True, True), "ear_clips", False),
    ],
)
def test_two_currents_run_at_once_only_where_both_machines_are_isolated(
    isolated: tuple[bool, bool], work: str, refused: bool
) -> None:
    assert bool(two(isolated, work)) == refused


def test_one_current_after_the_other_needs_no_isolation() -> None:
    found = visit_plan(WHO, Plan(steps=steps(row("muscle_stimulation"), row("microcurrent"))), chair=False)
    assert "plan.two_currents" not in {one.rule for one in found.clashes}


@pytest.mark.parametrize(
    ("host", "guests"),
    [
        (row("mask", "mid cheek"), (row("mask", "under-eye", minutes=10),)),  # patches
        (
            row("numbing", "chin"),
            (row("gloves"), row("photograph", "forehead"), row("clean_tool")),
        ),  # tray, photographs
        (row("ear_clips"), (row("cleanse"), row("mask", "mid cheek", minutes=10))),
        (row("muscle_stimulation"), (row("cleanse"), row("mask", "mid cheek", minutes=10), row("wash"))),
    ],
)
def test_several_clocks_run_beside_one(host: Row, guests: tuple[Row, ...]) -> None:
    """Each starts when the hands are free, one after the other, and nothing stands against it."""
    first, *rest = steps(host, *guests)
    found = beside(first, *rest)
    spans = {span.step: span for span in found.spans}
    assert all(spans[one.id].track == 1 for one in rest), "none of them lengthens the visit by itself"
    assert spans[rest[0].id].start_s >= spans[first.id].start_s + spans[first.id].hands_s
    assert {one.kind for one in found.clashes} <= {"need", "needs"}, found.clashes
