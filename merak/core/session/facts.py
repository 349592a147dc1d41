"""Planned beside done, for the record."""

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

from merak.core.plan.chair import Step
from merak.core.session.state import RunState
from merak.core.session.walk import missed_in_all


class StepFacts(NamedTuple):
    """Planned beside done, for one step of the record; `set_to` is what a test spot changed the setting to."""

    title: str
    planned_s: int
    done_s: float
    planned_strokes: int
    done_strokes: int
    level: float | None
    said: tuple[str, ...]
    reached: bool
    missed: int
    doubled: int
    hands: tuple[str, ...]
    set_to: float | None
    over: str


def step_facts(steps: Sequence[Step], state: RunState, now: datetime) -> list[StepFacts]:
    """What each step was to be and what it was."""
    facts = []
    for step, run in zip(steps, state.runs, strict=True):
        level = max((line.level for line in step.lines), default=None)
        missed, doubled = missed_in_all(step, run)
        facts.append(
            StepFacts(
                step.title, step.seconds, run.seconds(now), step.strokes, run.strokes, None if level is None else level + run.level_shift,
                tuple(run.said), run.begun is not None, missed, doubled, tuple(run.hands), run.set_to, run.over,
            )
        )  # fmt: skip
    return facts
