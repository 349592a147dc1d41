"""The treatment: its order, its events, where it stands."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy.orm import Session

from merak.core.knowledge import rule
from merak.core.plan.chair import Step
from merak.core.session import Event, RunState, fold
from merak.core.session.fold import KINDS
from merak.desk.desk import Desk, NotFound, OutOfTurn
from merak.desk.file import VisitFile, find_visit, open_file, turn
from merak.desk.planning import needed_licences, planned
from merak.records import people, visits
from merak.records.db import transaction


@dataclass
class Tap:
    """One event as the browser sends it: its own id, kind, moment (aware), and a value or words where the kind has them."""

    id: UUID
    kind: str
    at: datetime
    value: float | None = None
    words: str = ""


@dataclass
class Run:
    """A treatment and where it stands. `seq` is the server's number of the last event."""

    steps: Sequence[Step]
    state: RunState
    seq: int
    now: datetime


def run_file(desk: Desk, visit_id: UUID) -> tuple[VisitFile, Run | None]:
    """The file and its run; None before the treatment began."""
    file = open_file(desk, visit_id)
    return file, _run(desk, visit_id, _steps(desk.db, visit_id)) if "order" in file.records else None


def run_of(desk: Desk, visit_id: UUID) -> Run:
    """Where a treatment stands. Raises OutOfTurn before it began."""
    desk.demand("read notes", find_visit(desk, visit_id))
    return _run(desk, visit_id, _steps(desk.db, visit_id))


def _run(desk: Desk, visit_id: UUID, steps: Sequence[Step]) -> Run:
    seen, before = _folded.get(visit_id, (0, None))
    return _folded_on(desk, steps, visits.events(desk.db, visit_id, seen), seen, before)


def _folded_on(desk: Desk, steps: Sequence[Step], rows: Sequence[visits.EventRow], seen: int, before: RunState | None) -> Run:
    state = fold(steps, [Event(str(row.id), row.kind, row.at, row.value, row.words) for row in rows], before)
    return Run(steps, state, rows[-1].seq if rows else seen, desk.now)


#: visit → (number of the last event, the state after it), of committed events only: what is read again is only what came since.
_folded: dict[UUID, tuple[int, RunState]] = {}
_orders: dict[UUID, tuple[Step, ...]] = {}


def _steps(db: Session, visit_id: UUID) -> tuple[Step, ...]:
    """The steps that were ordered. An order is written once and never changed, so it is read once a process."""
    if visit_id not in _orders:
        order = visits.order(db, visit_id)
        if order is None:
            raise OutOfTurn("The treatment has not begun.")
        if len(_orders) > 500:
            _orders.clear()
        _orders[visit_id] = tuple(Step.model_validate(step) for step in order["steps"])
    return _orders[visit_id]


def begin(desk: Desk, visit_id: UUID) -> None:
    """Fixes the plan as the order of the treatment. Raises OutOfTurn without consent or while anything is refused.

    The plan is computed afresh from today's answers, so that an answer given after consent still stops it; whoever starts it holds the
    licences that it asks for. A second call is harmless.
    """
    with turn(desk, visit_id, "treat") as file:
        if "order" in file.records:
            return
        page = planned(desk, visit_id)
        if not page.settled:
            raise OutOfTurn(page.refusal or "The plan cannot be started: something in it is refused.")
        if not file.consented:
            raise OutOfTurn(f"The client has not agreed to the plan as it stands. {rule('visit.consent').words}")
        missing = needed_licences(page.plan) - set(people.licences(desk.db, desk.me.id))
        if missing:
            raise OutOfTurn(
                f"You hold no licence for {', '.join(sorted(missing))}: only who holds it may start this. {rule('plan.licence').reason}"
            )
        visits.add_version(desk.db, visit_id, "order", page.computed.model_dump(mode="json"), desk.me.id, desk.now)


def record(desk: Desk, visit_id: UUID, taps: Sequence[Tap]) -> Run:
    """Keeps taps, in the order sent, and says where the treatment stands; when this returns they are on the disk.

    Repeated ids are harmless. A tap's moment is never taken as later than its arrival. Raises OutOfTurn before the treatment began,
    NotFound for a kind that there is not.
    """
    steps = _steps(desk.db, visit_id)
    for tap in taps:
        if tap.kind not in KINDS:
            raise NotFound(f"There is no event “{tap.kind}”.")
    latest = desk.now + timedelta(seconds=1)
    new = [visits.NewEvent(tap.id, tap.kind, min(tap.at, latest), tap.value, tap.words) for tap in taps]
    with transaction(desk.db):
        visit = visits.lock(desk.db, visit_id)
        if visit is None:
            raise NotFound("There is no such visit.")
        desk.demand("treat", visit)
        if not new:
            return _run(desk, visit_id, steps)
        seen, before = _folded.get(visit_id, (0, None))
        run = _folded_on(desk, steps, visits.add_events(desk.db, visit_id, desk.me.id, new, seen), seen, before)
    if len(_folded) > 500:
        _folded.clear()
    _folded[visit_id] = (run.seq, run.state)
    return run


def state_of(run: Run) -> dict[str, Any]:
    """Where it stands as plain values, for whoever paints it: seconds, counts and words by step, as of the server's `now`."""
    return {
        "phase": run.state.phase,
        "step": run.state.step,
        "steps": [
            {"strokes": r.strokes, "worked_s": run.state.worked_s(i, run.now), "begun": r.begun is not None, "level_shift": r.level_shift,
             "said": list(r.said)}
            for i, r in enumerate(run.state.runs)
        ],
        "reason": run.state.reason,
        "seq": run.seq,
        "now": run.now.isoformat(),
    }  # fmt: skip
