"""The run of a treatment: an append-only list of events, and the state that any order of them leads to.

An event that does not fit the state it meets (a stroke while paused, a second start) changes nothing; it stays on the record.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Literal, NamedTuple, get_args

from merak.core.plan.chair import Step

Kind = Literal["start", "stroke", "unstroke", "level", "comfort", "pause", "resume", "next", "back", "stop", "finish"]
KINDS: frozenset[str] = frozenset(get_args(Kind))


class Event(NamedTuple):
    """One tap. `at` is the tap's moment (aware), `id` the browser's, `value` a level or a comfort, `words` what was said."""

    id: str
    kind: str
    at: datetime
    value: float | None = None
    words: str = ""


@dataclass(frozen=True, slots=True)
class StepRun:
    """What happened in one step: strokes counted, seconds worked (pauses left out), the level's change, what the client said."""

    strokes: int = 0
    worked_s: float = 0.0
    begun: datetime | None = None
    level_shift: float = 0.0
    said: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class RunState:
    """Where a treatment stands. `running_since` is None while paused or not running."""

    phase: Literal["ready", "running", "paused", "stopped", "finished"] = "ready"
    step: int = 0
    runs: tuple[StepRun, ...] = ()
    running_since: datetime | None = None
    reason: str = ""
    seen: frozenset[str] = field(default_factory=frozenset)

    def worked_s(self, step: int, now: datetime) -> float:
        """Seconds worked in a step up to `now`, pauses left out."""
        run = self.runs[step]
        live = (now - self.running_since).total_seconds() if self.running_since and step == self.step else 0.0
        return run.worked_s + max(0.0, live)


def fold(steps: Sequence[Step], events: Iterable[Event], before: RunState | None = None) -> RunState:
    """The state after these events, in this order, from the beginning or from the state `before`. Repeated ids are harmless."""
    state = before or RunState(runs=tuple(StepRun() for _ in steps))
    seen = set(state.seen)
    for event in events:
        if event.id in seen:
            continue
        seen.add(event.id)
        state = _after(state, steps, event)
    return replace(state, seen=frozenset(seen))


def _after(state: RunState, steps: Sequence[Step], event: Event) -> RunState:
    if state.phase in ("stopped", "finished"):
        return state
    match event.kind:
        case "start" if state.phase == "ready":
            return _enter(replace(state, phase="running"), steps, 0, event.at)
        case "stroke" if state.phase == "running" and steps[state.step].kind == "strokes":
            return _in_step(state, strokes=state.runs[state.step].strokes + 1)
        case "unstroke" if state.phase in ("running", "paused"):
            return _in_step(state, strokes=max(0, state.runs[state.step].strokes - 1))
        case "level" if state.phase in ("running", "paused") and event.value is not None:
            return _shift_level(state, steps, event)
        case "comfort" if state.phase in ("running", "paused"):
            return _in_step(state, said=(*state.runs[state.step].said, event.words))
        case "pause" if state.phase == "running":
            return replace(_bank(state, event.at), phase="paused")
        case "resume" if state.phase == "paused":
            return replace(state, phase="running", running_since=event.at)
        case "next" if state.phase in ("running", "paused") and state.step + 1 < len(steps):
            return _enter(replace(_bank(state, event.at), phase="running"), steps, state.step + 1, event.at)
        case "back" if state.phase in ("running", "paused") and state.step > 0:
            return _enter(replace(_bank(state, event.at), phase="running"), steps, state.step - 1, event.at)
        case "stop" if state.phase != "ready":
            return replace(_bank(state, event.at), phase="stopped", reason=event.words)
        case "finish" if state.phase in ("running", "paused") and state.step + 1 == len(steps):
            return replace(_bank(state, event.at), phase="finished")
        case _:
            return state


def _in_step(state: RunState, **changes: object) -> RunState:
    """The state with the current step's run changed."""
    runs = list(state.runs)
    runs[state.step] = replace(runs[state.step], **changes)  # type: ignore[arg-type]
    return replace(state, runs=tuple(runs))


def _bank(state: RunState, at: datetime) -> RunState:
    """The state with the live clock's seconds put into the step; the clock stands."""
    if state.running_since is None:
        return state
    worked = state.runs[state.step].worked_s + max(0.0, (at - state.running_since).total_seconds())
    return replace(_in_step(state, worked_s=worked), running_since=None)


def _enter(state: RunState, steps: Sequence[Step], step: int, at: datetime) -> RunState:
    """The state at the beginning of a step. A level that was moved on one side goes with the therapist to the other."""
    shift = next((run.level_shift for run in reversed(state.runs[:step]) if run.level_shift), 0.0) if steps[step].lines else 0.0
    state = replace(state, step=step, running_since=at)
    begun = state.runs[step].begun
    return state if begun else _in_step(state, begun=at, level_shift=shift)


def _shift_level(state: RunState, steps: Sequence[Step], event: Event) -> RunState:
    """Level up or down by `value`. Never below 1, and up only as far as the step's ceiling, which the core has set."""
    step = steps[state.step]
    if step.kind != "strokes" or event.value is None:
        return state
    planned = max((line.level for line in step.lines), default=1.0)
    wanted = min(max(planned + state.runs[state.step].level_shift + event.value, 1.0), step.level_most)
    said = state.runs[state.step].said + ((event.words,) if event.words else ())
    return _in_step(state, level_shift=wanted - planned, said=said)


class StepFacts(NamedTuple):
    """Planned beside done, for one step of the record."""

    title: str
    planned_s: int
    done_s: float
    planned_strokes: int
    done_strokes: int
    level: float | None
    said: tuple[str, ...]
    reached: bool


def step_facts(steps: Sequence[Step], state: RunState, now: datetime) -> list[StepFacts]:
    """What each step was to be and what it was."""
    facts = []
    for number, (step, run) in enumerate(zip(steps, state.runs, strict=True)):
        level = max((line.level for line in step.lines), default=None)
        facts.append(
            StepFacts(
                step.title,
                step.seconds,
                state.worked_s(number, now),
                step.strokes,
                run.strokes,
                None if level is None else level + run.level_shift,
                run.said,
                run.begun is not None,
            )
        )
    return facts
