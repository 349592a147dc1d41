"""The return: the next date of a course from its gap, opening hours and what is already booked."""

from collections.abc import Iterable, Mapping
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from merak.core.knowledge import number, quantity
from merak.core.knowledge.register import needs
from merak.core.working import Frozen, Quantity

needs(
    __name__,
    """
    days: course.gap_least course.gap_most course.keep
    """,
)

#: Weekday (0 Monday) → opening and closing time; a missing day is closed.
Opening = Mapping[int, tuple[time, time]]
Gap = tuple[datetime, datetime]


class DateProposal(Frozen):
    """The proposed start (aware, studio's time), the window of days it was looked for in, and why."""

    at: datetime
    earliest: date
    latest: date
    why: str
    gap: Quantity


def gap(session_no: int, sessions: int) -> tuple[int, int, Quantity]:
    """(least, most) days to the next microcurrent session, and the working: the course's gap, or
    monthly after its end.
    """
    if session_no >= sessions:
        keep = quantity("course.keep", "to keep the course")
        return int(keep.known), int(keep.known) + 7, keep
    least = quantity("course.gap_least", "gap of the course")
    return int(least.known), int(number("course.gap_most")), least


def propose(
    last: datetime,
    session_no: int,
    sessions: int,
    minutes: int,
    opening: Opening,
    busy: Iterable[Gap],
    zone: str,
    wait: int = 0,
) -> DateProposal | None:
    """The first free slot on the course's earliest open day, as near to the same clock time as can be.

    `last` is aware; `busy` holds booked spans (aware) of this therapist. Looks three weeks past the latest day before
    giving up (None), so that a full diary shifts the visit rather than losing it. `wait` is how many days an incident
    asks for at least.
    """
    least, most, worked = gap(session_no, sessions)
    if wait > least:
        least, most = wait, max(most, wait)
    local = last.astimezone(ZoneInfo(zone))
    taken = list(busy)
    earliest, latest = local.date() + timedelta(days=least), local.date() + timedelta(days=most)
    for ahead in range(least, most + 22):
        slot = _slot(local.date() + timedelta(days=ahead), local.time(), minutes, opening, taken, ZoneInfo(zone))
        if slot:
            within = (
                "; there was an incident, it is looked at first." if wait >= least else ", within the course's gap."
            )
            why = f"{ahead} days after this visit" + (
                within if ahead <= most else f"; nothing free by {latest:%-d %b}."
            )
            return DateProposal(at=slot, earliest=earliest, latest=latest, why=why, gap=worked)
    return None


def free(start: datetime, minutes: int, opening: Opening, busy: Iterable[Gap]) -> str:
    """ "" when the studio is open and nobody is booked at `start` (aware, studio's time); else what
    stands against it.
    """
    end = start + timedelta(minutes=minutes)
    hours = opening.get(start.weekday())
    if hours is None:
        return f"The studio is closed on {start:%A}."
    if start.time() < hours[0] or end.date() != start.date() or end.time() > hours[1]:
        return (
            f"The studio is open from {hours[0]:%H:%M} to {hours[1]:%H:%M} on {start:%A}, and the visit takes {minutes}"
            " minutes."
        )
    if any(start < until and begun < end for begun, until in busy):
        return "Another visit is booked then."
    return ""


def _slot(day: date, wish: time, minutes: int, opening: Opening, busy: list[Gap], zone: ZoneInfo) -> datetime | None:
    hours = opening.get(day.weekday())
    if hours is None:
        return None
    starts = (
        datetime.combine(day, time(h, m), zone)
        for h in range(hours[0].hour, hours[1].hour + 1)
        for m in (0, 15, 30, 45)
    )
    fitting = [start for start in starts if not free(start, minutes, opening, busy)]
    wanted = datetime.combine(day, wish.replace(tzinfo=None), zone)
    return min(fitting, key=lambda start: (abs((start - wanted).total_seconds()), start), default=None)
