"""Taking a change back: it gives what stood before, and leaves what others did since."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from merak.core.plan.inverse import Overtaken, taken_back
from merak.core.plan.stage import Stage
from merak.core.plan.step import Step, step_of
from merak.core.plan.visit_plan import Plan

MINUTES = st.fixed_dictionaries({"minutes": st.integers(1, 9)})
STAGES = st.builds(Stage, id=st.sampled_from("abcdef"), modality=st.sampled_from(["led", "mask"]), settings=MINUTES)


@st.composite
def several(draw: st.DrawFn) -> tuple[Step, ...]:
    """Steps of one stage or several, each stage in one of them."""
    stages = draw(st.lists(STAGES, max_size=6, unique_by=lambda one: one.id))
    ends = [n for n in range(1, len(stages)) if draw(st.booleans())]
    return tuple(step_of(*stages[a:b]) for a, b in pairwise((0, *ends, len(stages))) if b > a)


PLANS = st.builds(
    Plan,
    steps=several(),
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
    try:
        back = taken_back(before, after, now)
    except Overtaken:
        mine = {key for key in was | went if was.get(key) != went.get(key)}
        moved = [one.id for one in before.steps] != [one.id for one in after.steps]
        assert moved or before.side != after.side or any(stands.get(key) != went.get(key) for key in mine)
        return
    found = {one.id: one for one in back.steps}
    everywhere = was.keys() & went.keys() & stands.keys()
    for key in was.keys() | went.keys() | stands.keys() | found.keys():
        if was.get(key) == went.get(key):
            assert found.get(key) == stands.get(key), "theirs is as they left it"
        elif key not in everywhere:
            assert found.get(key) == was.get(key), "mine is as it was"
    for key in everywhere:
        then, made, there, got = ({one.id: one for one in steps[key].stages} for steps in (was, went, stands, found))
        for stage in then.keys() | made.keys() | there.keys() | got.keys():
            kept = there if then.get(stage) == made.get(stage) else then
            assert got.get(stage) == kept.get(stage), "stage by stage"


def test_what_was_moved_and_left_out_at_once_comes_back_in_its_old_order() -> None:
    a, b, c = (Stage(id=name, modality="led") for name in "abc")
    before, after = (Plan(steps=(step_of(a).model_copy(update={"stages": stages}),)) for stages in ((a, b, c), (c, a)))
    assert taken_back(before, after, after) == before


def test_two_may_work_on_one_step() -> None:
    """I set its first stage, somebody else its second: each takes back what is their own."""
    one, other = (Stage(id=name, modality="led", settings={"minutes": 5}) for name in "ab")
    mine, theirs = (stage.with_settings({"minutes": 7}) for stage in (one, other))
    before, after, now = (Plan(steps=(step_of(*both),)) for both in ((one, other), (mine, other), (mine, theirs)))
    assert taken_back(before, after, now).stages == (one, theirs)
    with pytest.raises(Overtaken, match=r"^a$"):
        taken_back(before, after, Plan(steps=(step_of(one.with_settings({"minutes": 9}), theirs),)))
    again = Stage(id="c", modality="mask")
    added = Plan(steps=(step_of(mine, theirs, again),))
    assert taken_back(before, after, added).stages == (one, theirs, again), "what was added since stays"
    turned = Plan(steps=(step_of(mine, other).model_copy(update={"stages": (other, mine)}),))
    assert taken_back(after, turned, turned).stages == (mine, other), "the order of stages comes back"


def test_what_was_taken_out_comes_back_behind_what_came_before_it() -> None:
    a, b, c, new = (step_of(Stage(id=name, modality="led")) for name in "abcn")
    before = Plan(steps=(a, b, c))
    back = taken_back(before, Plan(steps=(a, c)), Plan(steps=(new, a, c)))
    assert [one.id for one in back.steps] == ["n", "a", "b", "c"]
    first = taken_back(before, Plan(steps=(b, c)), Plan(steps=(b, c)))
    assert [one.id for one in first.steps] == ["a", "b", "c"]


def test_what_runs_beside_an_added_step_keeps_it() -> None:
    mask, light = step_of(Stage(id="m", modality="mask")), step_of(Stage(id="l", modality="led"), beside="m")
    with pytest.raises(Overtaken):
        taken_back(Plan(), Plan(steps=(mask,)), Plan(steps=(mask, light)))
