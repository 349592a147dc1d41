"""The treatment: its order, its taps, where it stands."""

from collections.abc import Callable, Iterable, Sequence
from contextlib import nullcontext
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy.orm import Session
from uuid_utils.compat import uuid7

from merak.core.acts import Act
from merak.core.errors import BadInput
from merak.core.knowledge import number, rule
from merak.core.knowledge.register import needs
from merak.core.plan.tray import to_clean
from merak.core.plan.visit_plan import Plan, visit_plan
from merak.core.treatment import Order, RunState, Tap, TapData, TapKind, fold, ordered
from merak.core.treatment.moments import Sender
from merak.records import people, tasks, visits
from merak.records import taps as records
from merak.records.bodies.task import CallTask, SpotTask
from merak.records.db import transaction
from merak.records.tasks import NewTask
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.treatment.clocks import Clocks, remember, timed, treatment_time
from merak.services.treatment.following import changed
from merak.services.visit.file import VisitFile, changing, find_visit, open_file
from merak.services.visit.planning import planned

needs(
    __name__,
    """
    h: chair.follow_up
    words: close.cleaned visit.consent
    """,
)

#: Taps that leave something to be done another day.
LEAVE_TASKS = frozenset({"spot", "incident"})
#: Runs and orders that are kept in this process: more than are under way in any studio.
MOST_KEPT = 40
#: So long back is asked whether a machine was cleaned after its last use.
CLEANED_OF = timedelta(days=60)


@dataclass
class Run:
    """A treatment and where it stands. `seq` is the server's number of the last tap, `now` the treatment's own time:
    the server's clock, less what it jumped by meanwhile. `clocks` is what the taps just kept say of their devices'
    clocks.
    """

    order: Order
    state: RunState
    seq: int
    now: datetime
    clocks: Clocks = field(default_factory=dict)

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
    return _folded_on(ctx, visit_id, order, records.since(ctx.db, visit_id, seen), seen, before)


def _folded_on(
    ctx: Context, visit_id: UUID, order: Order, taps: Sequence[Tap], seen: int, before: RunState | None
) -> Run:
    now = treatment_time(ctx, visit_id)
    if before is not None and not taps:
        return Run(order, before, seen, now)
    return Run(order, fold(order, taps, before), taps[-1].seq if taps else seen, now)


#: visit → (number of the last tap, the state after it), of committed taps only: what is read again is only what came
#: since.
_folded: dict[UUID, tuple[int, RunState]] = {}
_orders: dict[UUID, Order] = {}
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


def my_licences(ctx: Context) -> tuple[str, ...]:
    """The licences that I hold."""
    return tuple(people.licences(ctx.db, ctx.me.id))


def holders(ctx: Context) -> dict[str, list[str]]:
    """Licence → who holds it here."""
    found: dict[str, list[str]] = {}
    for person in people.treating(ctx.db):
        for licence in person.licences:
            found.setdefault(licence, []).append(person.name)
    return found


def order_of(db: Session, visit_id: UUID) -> Order:
    """What was ordered. An order is written once and never changed, so it is read once a process. Raises OutOfTurn
    before there is one.
    """
    order = _orders.get(visit_id)
    if order is None:
        found = visits.order(db, visit_id)
        if found is None:
            raise OutOfTurn("The treatment has not begun.")
        if len(_orders) > MOST_KEPT:
            _orders.pop(next(iter(_orders)), None)
        order = _orders[visit_id] = found.order
    return order


def forget() -> None:
    """Forgets every order and state that this process has read; they are read and folded anew when
    they are asked for.
    """
    _orders.clear()
    _folded.clear()


def begin(ctx: Context, visit_id: UUID, another_day: bool = True, cleaned: bool = True) -> None:
    """Fixes the plan as the order of the treatment. Raises OutOfTurn without consent, while anything is refused, for a
    visit of another day unless it was said that this is meant (`another_day`), and with machines that nobody said were
    cleaned unless it is said that they are now (`cleaned`).

    The plan is computed afresh from today's answers, so that an answer given after consent still stops it. An act that
    asks for a licence waits at the chair for who holds it. A second call is harmless.
    """
    with changing(ctx, visit_id, "treat") as file:
        if "order" in file.records:
            return
        if not another_day and not is_today(ctx, file):
            booked = file.visit.starts_at.astimezone(ctx.zone)
            raise OutOfTurn(
                f"This visit is booked for {booked:%A %-d %B}, not for today. Say that it is begun today all the same."
            )
        page = planned(ctx, visit_id)
        if not page.settled:
            raise OutOfTurn(page.refusal or "The plan cannot be started: something in it is refused.")
        if not file.consented:
            raise OutOfTurn(f"The client has not agreed to the plan as it stands. {rule('visit.consent').words}")
        if not cleaned and (tools := uncleaned(ctx, file, page.plan)):
            raise OutOfTurn(f"Clean first: {', '.join(tools)}. {rule('close.cleaned').reason}")
        plan = visit_plan(file.brief, page.plan, laid=True)
        file.keep(ctx, ordered(plan))


def uncleaned(ctx: Context, file: VisitFile, plan: Plan) -> list[str]:
    """The machines of a plan that touch skin, and of which nobody said that they were cleaned after their last use."""
    left = visits.uncleaned(ctx.db, ctx.now - CLEANED_OF)
    return [name for key, name in to_clean(file.brief, plan.stages).items() if key in left]


def is_today(ctx: Context, file: VisitFile) -> bool:
    """Whether the visit is booked for today."""
    return file.visit.starts_at.astimezone(ctx.zone).date() == ctx.today


#: What hears of every tap that was kept, in the same request, and says where the treatment stands after it.
Hearing = Callable[[Context, UUID, Run], Run]
_hearing: list[Hearing] = []


def hearing(what: Hearing) -> Hearing:
    """Subscribes something to all taps, whoever gives them: an instrument that follows what is set."""
    _hearing.append(what)
    return what


def record(ctx: Context, visit_id: UUID, taps: Sequence[Tap], sent: Sender | None = None) -> Run:
    """Keeps taps, in the order sent (by which load, when: `sent`), and says where the treatment stands; when this
    returns they are on the disk, and the instruments have heard of them.

    Repeated ids are harmless, one of another visit is refused. A tap counts at the moment that `core.treatment.moments`
    finds. Raises OutOfTurn before the treatment began, Denied or BadInput for what only a senior lets pass, and only
    with a reason, BadInput for a taken id and for an incident of which nothing is said.
    """
    ctx.demand("treat")
    order = order_of(ctx.db, visit_id)
    leaves = any(tap.kind in LEAVE_TASKS for tap in taps)
    with (
        transaction(ctx.db) if leaves else nullcontext()
    ):  # the taps alone are one statement, which is a transaction of its own
        run = append(ctx, visit_id, taps, order, sent)
    if taps:
        kept(visit_id, run)
    for hears in _hearing:
        run = hears(ctx, visit_id, run)
    return run


def append(
    ctx: Context, visit_id: UUID, taps: Sequence[Tap], order: Order | None = None, sent: Sender | None = None
) -> Run:
    """The same inside the caller's transaction; `kept` follows once it is committed."""
    ctx.demand("treat")
    order = order or order_of(ctx.db, visit_id)
    clocks: Clocks = {}
    licensed = any(act.licence for act in order.acts)
    new = [_checked(ctx, visit_id, tap, sent, licensed, clocks) for tap in taps]
    seen, before = _folded.get(visit_id, (0, None))
    try:
        status, rows = records.keep(ctx.db, visit_id, ctx.me.id, new, seen)
    except records.TakenId:
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
        _folded.pop(next(iter(_folded)), None)
    if run.seq >= _folded.get(visit_id, (0, None))[0]:
        _folded[visit_id] = (run.seq, run.state)
    remember(run.clocks)
    changed(visit_id)


def own_tap(
    ctx: Context,
    visit_id: UUID,
    kind: TapKind,
    act: int | None = None,
    value: float | None = None,
    words: str = "",
    **data: str,
) -> Tap:
    """A tap that the server makes itself, now: what an instrument says, a photograph."""
    at = treatment_time(ctx, visit_id)
    return Tap(
        id=uuid7(), kind=kind, at=at, act=act, value=value, words=words, data=TapData.model_validate(data), own=True
    )


def _checked(ctx: Context, visit_id: UUID, tap: Tap, sent: Sender | None, licensed: bool, clocks: Clocks) -> Tap:
    """A tap as it is kept. Who has it in hand, and with which licences it was given, is for the server to say."""
    if tap.own:
        return tap
    named: dict[str, object] = {"name": "", "licences": my_licences(ctx) if licensed else None, "file": "", "when": ""}
    match tap.kind:
        case "photo":
            raise BadInput({"kind": "A photograph comes with its file, by its own address."})
        case "start" | "take_over":
            named |= {"name": ctx.me.name, "licences": my_licences(ctx)}
        case "incident":
            _check_incident(tap)
        case "strike" if len(tap.words.strip()) < 5:
            raise BadInput({"words": "Why is it struck out? A few words: it stays on the record."})
        case "unlock":
            ctx.demand("override")
            if len(tap.words.strip()) < 5:
                raise BadInput({"words": "Why may it begin without a read spot? A few words, for the record."})
            named["name"] = ctx.me.name
    found = timed(ctx, visit_id, tap, sent, clocks)
    return tap.model_copy(update={**found, "data": tap.data.model_copy(update=named)})


def _check_incident(tap: Tap) -> None:
    """What an incident must say. Raises BadInput by field."""
    wrong = {}
    if not tap.data.card.strip():
        wrong["card"] = "What happened? Choose a card."
    if len(tap.data.done.strip()) < 3:
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
