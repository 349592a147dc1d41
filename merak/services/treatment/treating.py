"""The treatment: its order, its taps, where it stands."""

from collections.abc import Iterable, Sequence
from contextlib import nullcontext
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from time import monotonic
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy.orm import Session

from merak.core.errors import BadInput
from merak.core.knowledge import number, rule
from merak.core.plan.acts import Act
from merak.core.plan.visit_plan import visit_plan
from merak.core.treatment import KINDS, EarlierTap, Event, Order, RunState, ToldMoment, fold, moment, ordered
from merak.records import events, people, tasks, visits
from merak.records.bodies.task import CallTask, SpotTask
from merak.records.db import transaction
from merak.records.events import EventRow, NewEvent, TakenId
from merak.records.tasks import NewTask
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.treatment.following import changed
from merak.services.visit.file import VisitFile, changing, find_visit, open_file
from merak.services.visit.planning import planned

#: Taps that leave something to be done another day.
LEAVE_TASKS = frozenset({"spot", "incident"})
#: Runs and orders that are kept in this process.
MOST_KEPT = 500


@dataclass
class Tap:
    """One event as the browser sends it: its own id, kind, moment (aware), the act it was made in, and what belongs to its kind; the
    page load that it was made in with the reading of its steady clock, and its age when it was sent (s). `own` taps the server makes.
    """

    id: UUID
    kind: str
    at: datetime
    value: float | None = None
    words: str = ""
    act: int | None = None
    data: dict[str, Any] | None = None
    load: str | None = None
    mono_s: float | None = None
    age_s: float | None = None
    own: bool = False


@dataclass
class Run:
    """A treatment and where it stands. `seq` is the server's number of the last tap, `now` the treatment's own time: the server's clock,
    less what it jumped by meanwhile. `clocks` is what the taps just kept say of their devices' clocks.
    """

    order: Order
    state: RunState
    seq: int
    now: datetime
    clocks: dict["TapSource", "Clock"] = field(default_factory=dict)

    @property
    def acts(self) -> tuple[Act, ...]:
        """The acts that were ordered."""
        return self.order.acts


def run_file(ctx: Context, visit_id: UUID) -> tuple[VisitFile, Run | None]:
    """The file and its run; None before the treatment began."""
    file = open_file(ctx, visit_id)
    return file, _run(ctx, visit_id, order_of(ctx.db, visit_id)) if "order" in file.records else None


def run_of(ctx: Context, visit_id: UUID) -> Run:
    """Where a treatment stands. Raises OutOfTurn before it began."""
    ctx.demand("read notes", find_visit(ctx, visit_id))
    return _run(ctx, visit_id, order_of(ctx.db, visit_id))


def _run(ctx: Context, visit_id: UUID, order: Order) -> Run:
    seen, before = _folded.get(visit_id, (0, None))
    return _folded_on(ctx, visit_id, order, events.events(ctx.db, visit_id, seen), seen, before)


def _folded_on(ctx: Context, visit_id: UUID, order: Order, rows: Sequence[EventRow], seen: int, before: RunState | None) -> Run:
    now = treatment_time(ctx, visit_id)
    if before is not None and not rows:
        return Run(order, before, seen, now)
    names = _names(ctx, {row.by for row in rows})
    taps = [Event(str(r.id), r.kind, r.at, r.value, r.words, r.act, r.data or {}, names[r.by]) for r in rows]
    return Run(order, fold(order, taps, before), rows[-1].seq if rows else seen, now)


#: visit → (number of the last tap, the state after it), of committed taps only: what is read again is only what came since.
_folded: dict[UUID, tuple[int, RunState]] = {}
_orders: dict[UUID, Order] = {}
#: (visit, person, page load; None for a device that names none).
TapSource = tuple[UUID, UUID, str | None]
_clocks: dict[TapSource, "Clock"] = {}
#: visit → by how much the server's clock had jumped when this process first met its treatment.
_jumped: dict[UUID, timedelta] = {}


class Clock(NamedTuple):
    """A device's last tap: when the order was fixed, the tap's moment (None: none yet), the device's steady clock then, the server's."""

    begun: datetime
    at: datetime | None
    mono_s: float | None
    steady: float | None


def treatment_time(ctx: Context, visit_id: UUID) -> datetime:
    """Now, as a treatment counts it: the server's clock, less what it jumped by while the treatment went on."""
    by = ctx.jumped - _jumped.setdefault(visit_id, ctx.jumped)
    return ctx.now - by if abs(by) > timedelta(seconds=number("chair.clock.tolerance")) else ctx.now


_known: dict[UUID, str] = {}


#: Phases in which a treatment is under way.
GOING = ("running", "paused", "halted")


def status_of(ctx: Context, visit_id: UUID) -> str:
    """The phase that a visit's treatment is in; "" before it began."""
    if not visits.is_ordered(ctx.db, visit_id):
        return ""
    return _run(ctx, visit_id, order_of(ctx.db, visit_id)).state.status


def running_with(ctx: Context, device_id: str) -> UUID | None:
    """A visit whose treatment is under way and needs this machine; None where there is none."""
    for visit_id in visits.begun(ctx.db):
        order = order_of(ctx.db, visit_id)
        if any(act.machine == device_id for act in order.acts) and _run(ctx, visit_id, order).state.status in GOING:
            return visit_id
    return None


def my_licences(ctx: Context) -> list[str]:
    """The licences that I hold."""
    return people.licences(ctx.db, ctx.me.id)


def holders(ctx: Context) -> dict[str, list[str]]:
    """Licence → who holds it here."""
    found: dict[str, list[str]] = {}
    for person in people.treating(ctx.db):
        for licence in person.licences:
            found.setdefault(licence, []).append(person.name)
    return found


def _names(ctx: Context, ids: set[UUID]) -> dict[UUID, str]:
    """Who they are. A name is read once a process."""
    _known[ctx.me.id] = ctx.me.name
    if not ids <= _known.keys():
        _known.update({person.id: person.name for person in people.everyone(ctx.db)})
    return _known


def order_of(db: Session, visit_id: UUID) -> Order:
    """What was ordered. An order is written once and never changed, so it is read once a process. Raises OutOfTurn before there is one."""
    if visit_id not in _orders:
        found = visits.order(db, visit_id)
        if found is None:
            raise OutOfTurn("The treatment has not begun.")
        if len(_orders) > MOST_KEPT:
            _orders.clear()
        _orders[visit_id] = found.order
    return _orders[visit_id]


def forget() -> None:
    """Forgets every order and state that this process has read; they are read and folded anew when they are asked for."""
    _orders.clear()
    _folded.clear()


def begin(ctx: Context, visit_id: UUID, another_day: bool = True) -> None:
    """Fixes the plan as the order of the treatment. Raises OutOfTurn without consent, while anything is refused, and for a visit of
    another day unless it was said that this is meant (`another_day`).

    The plan is computed afresh from today's answers, so that an answer given after consent still stops it. An act that asks for a licence
    waits at the chair for who holds it. A second call is harmless.
    """
    with changing(ctx, visit_id, "treat") as file:
        if "order" in file.records:
            return
        if not another_day and not is_today(ctx, file):
            booked = file.visit.starts_at.astimezone(ctx.zone)
            raise OutOfTurn(f"This visit is booked for {booked:%A %-d %B}, not for today. Say that it is begun today all the same.")
        page = planned(ctx, visit_id)
        if not page.settled:
            raise OutOfTurn(page.refusal or "The plan cannot be started: something in it is refused.")
        if not file.consented:
            raise OutOfTurn(f"The client has not agreed to the plan as it stands. {rule('visit.consent').words}")
        plan = visit_plan(file.brief, page.plan, laid=True)
        visits.add_version(ctx.db, visit_id, ordered(plan), ctx.me.id, ctx.now)


def is_today(ctx: Context, file: VisitFile) -> bool:
    """Whether the visit is booked for today."""
    return file.visit.starts_at.astimezone(ctx.zone).date() == ctx.today


def record(ctx: Context, visit_id: UUID, taps: Sequence[Tap]) -> Run:
    """Keeps taps, in the order sent, and says where the treatment stands; when this returns they are on the disk.

    Repeated ids are harmless, one of another visit is refused. A tap counts at the moment that `core.treatment.moments` finds. Raises
    OutOfTurn before the treatment began, NotFound for a kind that there is not, Denied or BadInput for what only a senior lets pass, and
    only with a reason, BadInput for a taken id and for an incident of which nothing is said.
    """
    order = order_of(ctx.db, visit_id)
    leaves = any(tap.kind in LEAVE_TASKS for tap in taps)
    with transaction(ctx.db) if leaves else nullcontext():  # the taps alone are one statement, which is a transaction of its own
        run = append(ctx, visit_id, taps, order)
    if taps:
        kept(visit_id, run)
    return run


def append(ctx: Context, visit_id: UUID, taps: Sequence[Tap], order: Order | None = None) -> Run:
    """The same inside the caller's transaction; `kept` follows once it is committed."""
    order = order or order_of(ctx.db, visit_id)
    ctx.demand("treat")
    clocks: dict[TapSource, Clock] = {}
    licensed = any(act.licence for act in order.acts)
    new = [_checked(ctx, visit_id, tap, licensed, clocks) for tap in taps]
    seen, before = _folded.get(visit_id, (0, None))
    try:
        status, rows = events.keep(ctx.db, visit_id, ctx.me.id, new, seen)
    except TakenId:
        raise BadInput({"id": "A tap with this id belongs to another visit. Nothing of these was kept."}) from None
    if not status:
        raise NotFound("There is no such visit.")
    ctx.demand("treat", visits.Locked(status))
    run = _folded_on(ctx, visit_id, order, rows, seen, before)
    run.clocks = clocks
    due = list(_due(run, {tap.id for tap in new if tap.kind in LEAVE_TASKS}))
    if due:
        tasks.add_tasks(ctx.db, visit_id, ctx.me.id, ctx.now, due)
    return run


def kept(visit_id: UUID, run: Run) -> None:
    """What was committed is remembered, and told to whoever follows."""
    if len(_folded) > MOST_KEPT:
        _folded.clear()
    if run.seq >= _folded.get(visit_id, (0, None))[0]:
        _folded[visit_id] = (run.seq, run.state)
    for device, clock in run.clocks.items():
        _clocks[device] = clock
    if len(_clocks) > MOST_KEPT:
        _clocks.clear()
    changed(visit_id)


def _timed(ctx: Context, visit_id: UUID, tap: Tap, clocks: dict[TapSource, Clock]) -> tuple[datetime, dict[str, Any]]:
    """The moment that a tap counts at, and what is kept of how it was found; `clocks` goes on to the next tap of the same device."""
    device = (visit_id, ctx.me.id, tap.load)
    last = clocks.get(device) or _clocks.get(device)
    if last is None:
        row = events.last_of(ctx.db, visit_id, ctx.me.id, tap.load)
        last = Clock(row.begun or ctx.now, row.at, row.mono_s, None)
    steady = monotonic()
    ago = None if last.steady is None else steady - last.steady
    earlier = None if last.at is None else EarlierTap(last.at, last.mono_s, ago)
    found = moment(ToldMoment(tap.at, tap.mono_s, tap.age_s), last.begun, treatment_time(ctx, visit_id), earlier)
    kept: dict[str, Any] = {"load": tap.load, "mono_s": tap.mono_s}
    if found.marked:
        return found.at, kept | {"marked": found.marked, "told": tap.at.isoformat()}
    if last.at is None or found.at >= last.at:
        clocks[device] = Clock(last.begun, found.at, tap.mono_s, steady)
    return found.at, kept


def _checked(ctx: Context, visit_id: UUID, tap: Tap, licensed: bool, clocks: dict[TapSource, Clock]) -> NewEvent:
    """A tap as it is kept. Who has it in hand, and with which licences it was given, is for the server to say."""
    if tap.kind not in KINDS:
        raise NotFound(f"There is no event “{tap.kind}”.")
    data = {key: value for key, value in (tap.data or {}).items() if key != "licences"}
    if tap.own:
        return NewEvent(tap.id, tap.kind, treatment_time(ctx, visit_id), tap.value, tap.words, tap.act, data or None)
    if licensed:
        data["licences"] = my_licences(ctx)
    if tap.kind in ("start", "take_over"):
        data = {"name": ctx.me.name, "licences": my_licences(ctx)}
    if tap.kind == "incident":
        _check_incident(tap, data)
    if tap.kind == "strike" and len(tap.words.strip()) < 5:
        raise BadInput({"words": "Why is it struck out? A few words: it stays on the record."})
    if tap.kind == "unlock":
        ctx.demand("override")
        if len(tap.words.strip()) < 5:
            raise BadInput({"words": "Why may it begin without a read spot? A few words, for the record."})
        data |= {"name": ctx.me.name}
    at, clock = _timed(ctx, visit_id, tap, clocks)
    return NewEvent(tap.id, tap.kind, at, tap.value, tap.words, tap.act, data or None, clock)


def _check_incident(tap: Tap, data: dict[str, Any]) -> None:
    """What an incident must say. Raises BadInput by field."""
    wrong = {}
    if not str(data.get("card", "")).strip():
        wrong["card"] = "What happened? Choose a card."
    if len(str(data.get("done", "")).strip()) < 3:
        wrong["done"] = "What was done? A few words."
    if tap.value is None or not 0 <= tap.value <= 4:
        wrong["grade"] = "Grade: 0 to 4."
    if wrong:
        raise BadInput(wrong)


def _due(run: Run, new: set[UUID]) -> Iterable[NewTask]:
    """What these taps leave to be done: a spot to be read on a later day, a client to be called after an incident."""
    if not new:
        return
    fresh = {str(one) for one in new}
    for act, one in zip(run.acts, run.state.runs, strict=True):
        for spot in one.spots:
            if spot.id in fresh and act.spot and not act.spot.same_visit:
                body = SpotTask(modality=act.modality, zone=spot.zone, at=spot.at, spot=act.spot)
                yield NewTask(UUID(spot.id), spot.due, body)
    for incident in run.state.incidents:
        if incident.id in fresh:
            call = CallTask(card=incident.card, zone=incident.zone, grade=incident.grade)
            yield NewTask(UUID(incident.id), incident.at + timedelta(hours=number("chair.follow_up")), call)
