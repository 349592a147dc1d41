"""Planned beside done, for the record."""

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

from merak.core.knowledge import number
from merak.core.plan.chair import Step
from merak.core.treatment.state import RunState, StepRun
from merak.core.treatment.walk import missed_in_all


class StepFacts(NamedTuple):
    """Planned beside done, for one step of the record; `set_to` is what a test spot changed the setting to, `level` where it was at the
    last, `highest` the highest that anything was counted at, `changes` how often it was moved; `left` why it was left before its end,
    `cold` the zones that were worked and never reached their band, with what was read.
    """

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
    highest: float | None = None
    changes: int = 0
    left: str = ""
    cold: tuple[str, ...] = ()


def step_facts(steps: Sequence[Step], state: RunState, now: datetime) -> list[StepFacts]:
    """What each step was to be and what it was."""
    facts = []
    for step, run in zip(steps, state.runs, strict=True):
        level = max((line.level for line in step.lines), default=None)
        missed, doubled = missed_in_all(step, run)
        facts.append(
            StepFacts(
                step.title, step.seconds, run.seconds(now), step.strokes, run.strokes, None if level is None else level + run.level_shift,
                tuple(run.said), run.begun is not None, missed, doubled, tuple(run.hands), run.set_to, run.over, run.level_most,
                run.level_changes, run.left, cold(step, run),
            )
        )  # fmt: skip
    return facts


def cold(step: Step, run: StepRun) -> tuple[str, ...]:
    """The zones of a warm step that were worked and never reached their band: (zone: what was read), in words."""
    if step.heat is None or step.kind != "sections":
        return ()
    worked = {place for walk in (*run.passes, run.walk) for place in walk}
    found = []
    for place, part in enumerate(step.parts):
        if place in worked:
            warmth = run.warmth.get(part.name)
            if warmth is None:
                found.append(f"{part.name}: never read")
            elif warmth.peak_c < step.heat.low_c:
                found.append(f"{part.name}: {warmth.peak_c:.1f} of {step.heat.low_c:g} °C")
    return tuple(found)


def delivered(steps: Sequence[Step], state: RunState, now: datetime) -> tuple[str, ...]:
    """The plan's items that were really done: in their counted parts, else in those on a clock, else in any.

    A counted part was done where something was counted, or where so much of its time was spent that somebody forgot to count (rule
    close.uncounted); one on a clock after the first seconds (rule close.touched). A test spot that is read on a later day is none.
    """
    parts: dict[str, list[tuple[Step, StepRun]]] = {}
    for step, run in zip(steps, state.runs, strict=True):
        if step.item and step.modality and not step.only_spot:
            parts.setdefault(step.item, []).append((step, run))
    return tuple(item for item, those in parts.items() if any(_done(step, run, now) for step, run in _giving(those)))


def _giving(parts: list[tuple[Step, StepRun]]) -> list[tuple[Step, StepRun]]:
    """The parts in which something is given to the skin: gel, mirror and massage around them are not."""
    return [one for one in parts if one[0].wanted] or [one for one in parts if one[0].must_end] or parts


def _done(step: Step, run: StepRun, now: datetime) -> bool:
    spent = run.seconds(now)
    if step.wanted:
        return bool(run.strokes) or spent >= number("close.uncounted") / 100 * step.seconds > 0
    return spent >= number("close.touched") if step.must_end else run.begun is not None
