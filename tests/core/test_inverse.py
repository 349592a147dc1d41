"""Taking a change back: it gives what stood before, and leaves what others did since."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from merak.core.plan.inverse import Overtaken, taken_back
from merak.core.plan.step import Step
from merak.core.plan.visit_plan import Plan

MINUTES = st.fixed_dictionaries({"minutes": st.integers(1, 9)})
STEPS = st.builds(Step, id=st.sampled_from("abcdef"), modality=st.sampled_from(["led", "mask"]), settings=MINUTES)
PLANS = st.builds(
    Plan,
    steps=st.lists(STEPS, max_size=6, unique_by=lambda one: one.id).map(tuple),
    side=st.sampled_from([None, "left", "right"]),
)


@given(PLANS, PLANS)
def test_taken_back_at_once_gives_what_stood(before: Plan, after: Plan) -> None:
    back = taken_back(before, after, after)
    assert {one.id: one for one in back.steps} == {one.id: one for one in before.steps} and back.side == before.side
    common = {one.id for one in before.steps} & {one.id for one in after.steps}
    assert [one.id for one in back.steps if one.id in common] == [one.id for one in before.steps if one.id in common]


@given(PLANS, PLANS, PLANS)
def test_what_others_changed_since_stays_or_is_told(before: Plan, after: Plan, now: Plan) -> None:
    was, went, stands = ({one.id: one for one in plan.steps} for plan in (before, after, now))
    mine = {key for key in was | went if was.get(key) != went.get(key)}
    try:
        back = taken_back(before, after, now)
    except Overtaken:
        moved = [one.id for one in before.steps] != [one.id for one in after.steps]
        assert moved or before.side != after.side or any(stands.get(key) != went.get(key) for key in mine)
        return
    found = {one.id: one for one in back.steps}
    assert all(found.get(key) == was.get(key) for key in mine), "mine is as it was"
    assert all(found.get(key) == stands.get(key) for key in (found | stands) if key not in mine), (
        "theirs is as they left it"
    )


def test_what_was_taken_out_comes_back_behind_what_came_before_it() -> None:
    a, b, c, new = (Step(id=name, modality="led") for name in "abcn")
    before = Plan(steps=(a, b, c))
    back = taken_back(before, Plan(steps=(a, c)), Plan(steps=(new, a, c)))
    assert [one.id for one in back.steps] == ["n", "a", "b", "c"]
    first = taken_back(before, Plan(steps=(b, c)), Plan(steps=(b, c)))
    assert [one.id for one in first.steps] == ["a", "b", "c"]


def test_what_runs_beside_an_added_step_keeps_it() -> None:
    mask, light = Step(id="m", modality="mask"), Step(id="l", modality="led", beside="m")
    with pytest.raises(Overtaken):
        taken_back(Plan(), Plan(steps=(mask,)), Plan(steps=(mask, light)))
