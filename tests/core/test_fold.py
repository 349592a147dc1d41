"""The run as a fold: any order of events leads to a valid state, repeats are harmless, the clock leaves pauses out."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from merak.core.plan.chair import Step
from merak.core.session import Event, fold, step_facts
from merak.core.session.fold import KINDS
from tests.core.making import brief, planned

T0 = datetime(2026, 11, 25, 9, tzinfo=UTC)
PLAN = planned(brief(), "microcurrent", "led", "finish")
STEPS: tuple[Step, ...] = PLAN.steps


def run(*taps: tuple[str, float] | tuple[str, float, float]) -> list[Event]:
    """(kind, second[, value]) taps as events."""
    return [Event(f"e{n}", tap[0], T0 + timedelta(seconds=tap[1]), tap[2] if len(tap) > 2 else None) for n, tap in enumerate(taps)]


EVENTS = st.lists(st.tuples(st.sampled_from(sorted(KINDS)), st.floats(0, 4000), st.floats(-9, 9)), max_size=60).map(lambda taps: run(*taps))


@given(EVENTS)
def test_any_order_leads_to_a_valid_state(events: list[Event]) -> None:
    state = fold(STEPS, events)
    assert 0 <= state.step < len(STEPS)
    assert len(state.runs) == len(STEPS)
    assert (state.running_since is not None) == (state.phase == "running")
    for step, done in zip(STEPS, state.runs, strict=True):
        assert done.strokes >= 0 and done.worked_s >= 0
        assert done.strokes == 0 or step.kind == "strokes"
        planned = max((line.level for line in step.lines), default=1.0)
        assert done.level_shift == 0 or 1 <= planned + done.level_shift <= step.level_most


@given(EVENTS, st.randoms())
def test_repeated_sends_are_harmless(events: list[Event], chance: object) -> None:
    doubled = [event for event in events for _ in range(2)] + events[: len(events) // 2]
    assert fold(STEPS, doubled) == fold(STEPS, events)


def test_the_clock_leaves_pauses_out() -> None:
    state = fold(STEPS, run(("start", 0), ("pause", 100), ("resume", 400), ("next", 460), ("stroke", 470)))
    assert state.step == 1
    assert state.runs[0].worked_s == 160
    assert state.worked_s(1, T0 + timedelta(seconds=500)) == 40


def test_strokes_count_only_where_they_belong() -> None:
    state = fold(
        STEPS,
        run(
            ("stroke", 0),
            ("start", 1),
            ("stroke", 2),
            ("next", 3),
            ("stroke", 4),
            ("stroke", 5),
            ("pause", 6),
            ("stroke", 7),
            ("unstroke", 8),
        ),
    )
    assert [done.strokes for done in state.runs] == [0, 1, 0, 0, 0, 0]


def test_a_raised_level_goes_along_to_the_other_side_but_never_past_the_ceiling() -> None:
    taps = [("start", 0), ("next", 1), *[("level", 2 + n, 0.5) for n in range(40)], ("next", 60), ("next", 70)]
    state = fold(STEPS, run(*taps))  # type: ignore[arg-type]
    assert STEPS[1].level_most == 9, "9.5 would be 1045 µA"
    assert 3 + state.runs[1].level_shift == 9
    assert state.runs[3].level_shift == state.runs[1].level_shift


def test_stop_ends_it_and_the_facts_tell_how_far_it_came() -> None:
    state = fold(STEPS, [*run(("start", 0), ("next", 60), ("stroke", 70)), Event("s", "stop", T0 + timedelta(seconds=90), None, "pain"),
                         *[Event("x", "stroke", T0 + timedelta(seconds=99))]])  # fmt: skip
    assert (state.phase, state.reason) == ("stopped", "pain")
    facts = step_facts(STEPS, state, T0 + timedelta(hours=1))
    assert (facts[1].done_strokes, facts[1].done_s, facts[1].reached) == (1, 30, True)
    assert not facts[2].reached


@pytest.mark.parametrize("kind", ["finish", "stop"])
def test_finish_needs_the_last_step_and_stop_needs_a_start(kind: str) -> None:
    assert fold(STEPS, run((kind, 0))).phase == "ready"
    assert fold(STEPS, run(("start", 0), ("finish", 1))).phase == "running"
