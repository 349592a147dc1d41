"""The windows in which dates are believed, and what is said of one outside (rules dates.…)."""

from datetime import date, timedelta
from typing import Literal

from merak.core.knowledge import number
from merak.core.knowledge.register import needs

needs(
    __name__,
    """
    days: dates.booking.ahead dates.booking.back dates.event.ahead dates.letter.ahead
    years: dates.oldest dates.sheet
    """,
)

DateKind = Literal["booking", "birth", "event", "past", "letter", "sheet"]


def window(kind: DateKind, today: date, born: date | None = None) -> tuple[date, date]:
    """The first and last day that a date of this kind may have; of what is past, from the client's birth on where it is
    known.
    """
    match kind:
        case "booking":
            return today - timedelta(days=number("dates.booking.back")), today + timedelta(
                days=number("dates.booking.ahead")
            )
        case "birth":
            return _years(today, -number("dates.oldest")), today
        case "event":
            return today, today + timedelta(days=number("dates.event.ahead"))
        case "letter":
            return today, today + timedelta(days=number("dates.letter.ahead"))
        case "sheet":
            return _years(today, -number("dates.sheet")), _years(today, number("dates.sheet"))
        case "past":
            return born or _years(today, -number("dates.oldest")), today


def wrong_day(kind: DateKind, day: date, today: date, born: date | None = None) -> str:
    """ "" for a day that can be believed; else the window, in words."""
    first, last = window(kind, today, born)
    if first <= day <= last:
        return ""
    return f"Between {first.day} {first:%b %Y} and {last.day} {last:%b %Y}, please."


def read_day(text: str, kind: DateKind, today: date, born: date | None = None) -> tuple[date | None, str]:
    """(the day, "") of a typed date; (None, what is wrong with it) of one that is none or outside its window; (None,
    "") of nothing.
    """
    raw = text.strip()
    if not raw:
        return None, ""
    try:
        day = date.fromisoformat(raw)
    except ValueError:
        return None, f"A date, please. “{raw[:40]}” is none."
    wrong = wrong_day(kind, day, today, born)
    return (None, wrong) if wrong else (day, "")


def _years(day: date, years: float) -> date:
    return date(day.year + int(years), day.month, min(day.day, 28))
