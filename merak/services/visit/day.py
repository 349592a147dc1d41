"""The day sheet, and adding a visit to it."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Annotated
from uuid import UUID
from zoneinfo import ZoneInfo

from pydantic import Field

from merak.core.after.course import Opening, free
from merak.core.after.following import FollowUp
from merak.core.client import Findings, age_on
from merak.core.client.names import plain
from merak.core.errors import BadInput
from merak.core.knowledge import about, number
from merak.core.knowledge.register import needs
from merak.core.plan.brief import offered_by
from merak.core.plan.fitting import title
from merak.core.plan.screening import STOPPING, VERDICTS, board
from merak.core.windows import wrong_day
from merak.records import clients, people, tasks, visits
from merak.records.bodies.visit import AskBody, CloseBody
from merak.records.tables import Client, Course, Person, Visit
from merak.records.visits import VisitRecords
from merak.services.after import follow_ups
from merak.services.context import Context, OutOfTurn
from merak.services.forms import Otherwise, TypedForm, Whole, day_of
from merak.services.permission import may
from merak.services.treatment.treating import GOING, status_of
from merak.services.visit.file import find_visit, still_asked

needs(
    __name__,
    """
    of 4: close.senior_look follow.severe
    sessions: course.sessions
    years: screening.age
    """,
)

COURSE_NAME = "Lift and red light"
USUAL_MINUTES = 60
LONGEST_NAME = 120


@dataclass
class DayRow:
    """One line of the day sheet. `flags` are (weight, words); empty for those who may not read notes. `alike` where
    another client bears the same name, so that the birth year tells them apart.
    """

    visit: Visit
    start: datetime
    phase: str
    flags: list[tuple[str, str]]
    alike: bool = False


def day_sheet(ctx: Context, day: date) -> list[DayRow]:
    """The visits of a day in order, with what to know before the client is there. Raises BadInput for a day that no
    studio has.
    """
    ctx.demand("see the day")
    if outside := wrong_day("sheet", day, ctx.today):
        raise BadInput({"on": outside})
    start = datetime.combine(day, time(), ctx.zone)
    every = visits.between(ctx.db, start, start + timedelta(days=1), cancelled=True)
    found = [visit for visit in every if visit.status != "cancelled"]
    clinical = may(ctx.me, "read notes")
    alike = clients.names_alike(ctx.db, [plain(visit.client.name) for visit in every])
    earlier = visits.previous_of(ctx.db, found) if clinical else {}
    standing = visits.latest(ctx.db, [visit.id for visit in found] + list(earlier.values())) if clinical else {}
    said = tasks.said_after(ctx.db, list(earlier.values())) if clinical else {}
    offered = offered_by(one.card for one in people.devices(ctx.db))
    rows = []
    for visit in found:
        records, last_id = standing.get(visit.id, VisitRecords()), earlier.get(visit.id)
        last = standing.get(last_id, VisitRecords()) if last_id else VisitRecords()
        flags = _flags(visit, records, last, last_id is not None, ctx.today, offered) if clinical else []
        if last_id in said:
            flags = [*_said(said[last_id]), *flags]
        rows.append(
            DayRow(
                visit,
                visit.starts_at.astimezone(ctx.zone),
                _stage(visit, records),
                flags,
                plain(visit.client.name) in alike,
            )
        )
    gone = [
        DayRow(one, one.starts_at.astimezone(ctx.zone), "", [], plain(one.client.name) in alike)
        for one in every
        if one not in found
    ]
    return sorted([*rows, *gone], key=lambda row: (row.start, row.visit.id))


def _stage(visit: Visit, records: VisitRecords) -> str:
    """The phase to go to."""
    if visit.status == "closed":
        return "return"
    if "order" in records:
        return "treat"
    return "plan" if "look" in records else "look" if "ask" in records else "ask"


def _flags(
    visit: Visit, records: VisitRecords, last: VisitRecords, returning: bool, today: date, offered: frozenset[str]
) -> list[tuple[str, str]]:
    """What to know, change or stop for. What today's answers are not yet given for is told from last time's."""
    flags: list[tuple[str, str]] = []
    asked = records.body(AskBody) or last.body(AskBody) or AskBody()
    findings = records.body(Findings) or last.body(Findings) or Findings()
    close = last.body(CloseBody) or CloseBody()
    standing, usual = board(still_asked(asked.answers), visit.client.born, today, returning, findings), close.did
    order = sorted(
        offered, key=lambda name: (name not in usual, list(about()).index(name))
    )  # what this client had comes first
    for verdict in reversed(VERDICTS):
        names = [
            title(name)
            for name in order
            if name in standing and standing[name].verdict == verdict and not standing[name].only_unseen
        ]  # that nobody has looked yet is no news before the visit
        if verdict in STOPPING and names:
            more = f" and {len(names) - 2} more" if len(names) > 2 else ""
            until = max((standing[name].until or today for name in order if name in standing), default=today)
            day = f" until {until:%-d %b}" if verdict == "wait" and until > today else ""
            flags.append(("stop", f"{verdict}{day}: {', '.join(names[:2])}{more}"))
    flags += [("stop", f"incident last time: {one.words}") for one in close.incidents]
    if close.worst >= number("close.senior_look"):
        flags.append(("change", f"strong reaction last time ({close.worst} of 4)"))
    if not returning:
        flags.append(("know", "first visit"))
    if age_on(visit.client.born, today) < number("screening.age"):
        flags.append(("stop", f"under {number('screening.age'):g}"))
    return flags


def _said(told: list[FollowUp]) -> list[tuple[str, str]]:
    """What the client said after the last visit, where it matters before the next."""
    flags = [("stop", f"left {one.marked} last time: a doctor's word first") for one in told if one.marked][-1:]
    worst = max((max(one.redness or 0, one.swelling or 0) for one in told), default=0)
    if worst >= number("follow.severe"):
        flags.append(("change", f"still {worst} of 4 after the day"))
    return flags


def opening_of(ctx: Context) -> Opening:
    """The studio's opening hours by weekday."""
    return {int(day): (time.fromisoformat(a), time.fromisoformat(b)) for day, (a, b) in ctx.studio.opening.items()}


def booked_spans(ctx: Context, therapist_id: UUID, start: datetime, end: datetime) -> list[tuple[datetime, datetime]]:
    """When a therapist is booked, in a span. What is closed is over, and what was cancelled is free again."""
    found = [one for one in visits.between(ctx.db, start, end) if one.status == "booked"]
    return [(v.starts_at, v.starts_at + timedelta(minutes=v.minutes)) for v in found if v.therapist_id == therapist_id]


TimeOfDay = time


class StartForm(TypedForm):
    """When somebody comes."""

    day: Annotated[date | None, day_of("booking"), Otherwise("A date, please.", needed=True)] = None
    time: Annotated[TimeOfDay | None, Otherwise("A time, please, as 14:30.", needed=True)] = None

    def at(self, zone: ZoneInfo) -> datetime | None:
        """The moment, where both are said."""
        if self.day is None or self.time is None:
            return None
        return datetime.combine(self.day, self.time.replace(tzinfo=None), zone)


class VisitForm(StartForm):
    """A walk-in or a booking: whose, with whom, how long. `whose` is the client that was chosen of those offered, "new"
    for another person of the same name.
    """

    therapist: str = ""
    minutes: Annotated[Whole, Field(ge=10, le=300), Otherwise("Between 10 and 300 minutes.")] = USUAL_MINUTES
    name: Annotated[str, Otherwise("Whose visit is it?", needed=True), Field(max_length=LONGEST_NAME)] = ""
    whose: str = ""
    born: Annotated[date | None, day_of("birth")] = None
    phone: str = ""


def check_free(ctx: Context, therapist_id: UUID, start: datetime, minutes: int) -> str:
    """ "" when the therapist and the studio are free; else what stands against it."""
    busy = booked_spans(ctx, therapist_id, start - timedelta(hours=12), start + timedelta(hours=12))
    return free(start, minutes, opening_of(ctx), busy)


def add_visit(ctx: Context, form: dict[str, str], base: str = "") -> UUID:
    """A walk-in or a booking, for a client who is known or new. Raises BadInput by field, SameClient where the person
    may be known.

    A walk-in that starts now is taken outside opening hours too, but never over another visit of the same therapist.
    """
    ctx.demand("book")
    asked, wrong = VisitForm.parse(form, today=ctx.today)
    start = asked.at(ctx.zone)
    therapist = next((p for p in people.treating(ctx.db) if str(p.id) == asked.therapist), None)
    if therapist is None:
        wrong["therapist"] = "Who treats?"
    known = _known_client(ctx, asked) if asked.name else None
    if known or not asked.name:
        wrong.pop("born", None)
    elif asked.born is None:
        wrong.setdefault("born", "A new client's birth date: some rules go by age.")
    if known is None and not wrong:
        _check_new(ctx, asked)
    if start and therapist and "minutes" not in wrong:
        against = check_free(ctx, therapist.id, start, asked.minutes)
        walk_in = abs((start - ctx.now).total_seconds()) < 3600 and not against.startswith("Another")
        if against and not walk_in:
            wrong["time"] = against
    if wrong or start is None or therapist is None:
        raise BadInput(wrong)
    with _told_when_booked(), ctx.saving("add a visit") as db:
        if known is None:
            visits.hold_name(db, plain(asked.name))
            _check_new(ctx, asked)
        client = known or Client(name=asked.name, born=asked.born, phone=asked.phone, created_by=ctx.me.id)
        db.add(client)
        db.flush()
        course = visits.course_of(db, client.id)
        if course is None or visits.sessions_so_far(db, course.id) >= course.sessions:
            course = Course(client_id=client.id, name=COURSE_NAME, sessions=int(number("course.sessions")))
            db.add(course)
            db.flush()
        visit = Visit(
            client_id=client.id,
            course_id=course.id,
            session_no=visits.sessions_so_far(db, course.id) + 1,
            therapist_id=therapist.id,
            starts_at=start.astimezone(UTC),
            minutes=asked.minutes,
            created_by=ctx.me.id,
        )
        visits.add(db, visit)
        last = visits.previous_of(db, [visit]).get(visit.id)
        if last:
            follow_ups.leave_before(ctx, last, start, base)
        return visit.id


@contextmanager
def _told_when_booked() -> Iterator[None]:
    """Another who booked the same time a moment before is told beside the field. Raises BadInput."""
    try:
        yield
    except visits.Booked:
        raise BadInput({"time": "Another visit is booked then."}) from None


class SameClient(BadInput):
    """Somebody of this name, and this birth date or none typed, is known: which of `known` is it, or another person?"""

    def __init__(self, known: list[Client]) -> None:
        super().__init__({"whose": "Somebody of this name and birth date is known. Is it the same person?"})
        self.known = known


def _check_new(ctx: Context, asked: VisitForm) -> None:
    """Raises SameClient unless nobody of this name and birth date is known, or the form says that
    it is another person.
    """
    if asked.whose != "new" and asked.born:
        known = clients.named(ctx.db, plain(asked.name), asked.born)
        if known:
            raise SameClient(known)


def _known_client(ctx: Context, asked: VisitForm) -> Client | None:
    """The client chosen from the list, or from those that were offered. The list holds "name, born" lines: two people
    can share a name.
    """
    offered = clients.one(ctx.db, asked.whose)
    if offered and plain(offered.name) == plain(asked.name):
        return offered
    known = visits.clients_named(ctx.db, asked.name.split(",")[0].strip(), 1000)
    return next((client for client in known if listed(client) == asked.name), None)


def listed(client: Client) -> str:
    """A client as a line of the list."""
    return f"{client.name}, born {client.born:%-d %b %Y}"


def cancel(ctx: Context, visit_id: UUID) -> None:
    """Takes a booked visit off the diary; what was written stays on the record. Raises OutOfTurn once its treatment has
    run.
    """
    ctx.demand("book")
    visit = find_visit(ctx, visit_id)
    with ctx.saving("cancel", visit_id) as db:
        visits.lock(db, visit_id)
        status = status_of(ctx, visit_id)
        if status in GOING:
            raise OutOfTurn("Its treatment is running. It is finished or stopped at the chair first.")
        if status in ("stopped", "finished"):
            raise OutOfTurn("It was treated. It is closed, not cancelled.")
        if visit.status == "booked":
            visits.set_status(db, visit_id, "cancelled")
            last = visits.previous_of(db, [visit]).get(visit_id)
            if last and visits.after(db, visit) is None:
                follow_ups.drop_before(ctx, last)


def take_back(ctx: Context, visit_id: UUID) -> None:
    """A cancelled visit stands again, where its time is still free. Raises OutOfTurn where it is not."""
    ctx.demand("book")
    visit = find_visit(ctx, visit_id)
    with ctx.saving("take a cancelling back", visit_id) as db:
        visits.lock(db, visit_id)
        if visit.status == "cancelled":
            try:
                visits.set_status(db, visit_id, "booked")
            except visits.Booked:
                raise OutOfTurn("Another visit is booked then by now. Book it anew for another time.") from None


def therapists(ctx: Context) -> list[Person]:
    """Those who may be booked."""
    ctx.demand("see the day")
    return people.treating(ctx.db)


def client_list(ctx: Context) -> list[str]:
    """Every client as a line of the list."""
    ctx.demand("book")
    return [listed(client) for client in visits.clients_named(ctx.db, "", 1000)]
