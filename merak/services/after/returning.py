"""The return: the next date proposed, booked in the diary, handed over."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from uuid import UUID

from merak.core.after.course import DateProposal, propose
from merak.core.after.incidents import PastIncident, days_until_next
from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.exchange.calendar import invitation
from merak.records import visits
from merak.records.bodies.visit import CloseBody
from merak.records.tables import Course, Visit
from merak.services.after import follow_ups
from merak.services.context import Context, NotFound
from merak.services.visit.day import StartForm, booked_spans, check_free, opening_of
from merak.services.visit.file import find_visit

needs(
    __name__,
    """
    days: course.gap_least
    sessions: course.sessions
    """,
)


@dataclass
class Returning:
    """The return page: what is proposed and why, or what is booked."""

    visit: Visit
    proposal: DateProposal | None
    booked: Visit | None
    form: dict[str, str]
    wrong: dict[str, str]


def returning(
    ctx: Context, visit_id: UUID, form: dict[str, str] | None = None, wrong: dict[str, str] | None = None
) -> Returning:
    """The next date, booked or proposed from the course's gap, the opening hours and the therapist's diary."""
    visit = find_visit(ctx, visit_id)
    ctx.demand("see the day")
    booked = visits.after(ctx.db, visit)
    proposal = None
    if booked is None:
        busy = booked_spans(ctx, visit.therapist_id, visit.starts_at, visit.starts_at + timedelta(days=70))
        course, zone = visit.course, ctx.studio.time_zone
        wait = days_until_next(_incidents(ctx, visit_id))
        proposal = propose(
            visit.starts_at, visit.session_no, course.sessions, visit.minutes, opening_of(ctx), busy, zone, wait
        )
    if form is None:
        form = {"day": f"{proposal.at:%Y-%m-%d}", "time": f"{proposal.at:%H:%M}"} if proposal else {}
    return Returning(visit, proposal, booked, form, wrong or {})


def _incidents(ctx: Context, visit_id: UUID) -> tuple[PastIncident, ...]:
    """What went wrong in this visit."""
    return (visits.standing(ctx.db, visit_id, CloseBody) or CloseBody()).incidents


def book(ctx: Context, visit_id: UUID, form: dict[str, str], base: str = "") -> Visit:
    """Books the next session with the same therapist. Raises BadInput by field.

    The client is asked before it, by a link below `base`. A gap shorter than the course's least is refused; the same
    request sent twice books once.
    """
    ctx.demand("book")
    visit = find_visit(ctx, visit_id)
    asked, wrong = StartForm.parse(form, today=ctx.today)
    start = asked.at(ctx.zone)
    with ctx.saving("book", visit_id) as db:
        visits.lock(db, visit_id)
        already = visits.after(db, visit)
        if already:
            return already
        if start:
            least = timedelta(days=max(number("course.gap_least"), days_until_next(_incidents(ctx, visit_id))))
            here = visit.starts_at.astimezone(ctx.zone).date()
            if start <= ctx.now:
                wrong["day"] = "That is past."
            elif start.date() - here < least:
                wrong["day"] = f"At least {least.days} days between sessions: from {here + least:%a %-d %b} on."
            elif against := check_free(ctx, visit.therapist_id, start, visit.minutes):
                wrong["time"] = against
        if wrong or start is None:
            raise BadInput(wrong)
        ended = visit.session_no >= visit.course.sessions
        course = visit.course
        if ended:
            course = Course(client_id=visit.client_id, name=course.name, sessions=int(number("course.sessions")))
            db.add(course)
            db.flush()
        following = Visit(
            client_id=visit.client_id,
            course_id=course.id,
            session_no=1 if ended else visit.session_no + 1,
            therapist_id=visit.therapist_id,
            starts_at=start.astimezone(UTC),
            minutes=visit.minutes,
            created_by=ctx.me.id,
        )
        try:
            visits.add(db, following)
        except visits.Booked:
            raise BadInput({"time": "Another visit is booked then."}) from None
        if visit.status == "closed":
            follow_ups.leave_before(ctx, visit_id, start, base)
    return following


def calendar_file(ctx: Context, visit_id: UUID) -> bytes:
    """The booked return as an iCalendar file. Raises NotFound when none is booked. It says where and when, nothing
    clinical.
    """
    page = returning(ctx, visit_id)
    if page.booked is None:
        raise NotFound("No return is booked.")
    start: datetime = page.booked.starts_at.astimezone(ctx.zone)
    return invitation(
        str(page.booked.id), f"Visit at {ctx.studio.name}", start, page.booked.minutes, ctx.now, ctx.studio.name
    )
