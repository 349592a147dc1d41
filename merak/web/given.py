"""What skin was given, over time, as ink: a row for each work on some skin, a dot each time, a bar as long as it stays
closed.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from merak.services.clients.given import GivenLine, GivenOnce

WIDTH, LEFT, RIGHT, TOP, ROW, FOOT = 900.0, 330.0, 30.0, 26.0, 46.0, 30.0
#: At the least so many days are drawn before today.
DAYS = 60
#: So many months have a tick each; more have one a quarter.
MONTHS = 14


@dataclass(frozen=True)
class GivenDot:
    """A time: where it stands, what is told of it, how the skin answered, whether it was elsewhere or its day is not
    known; the bar until it is open, and whether that is over.
    """

    x: float
    told: str
    answer: str
    kind: str
    bar: str


@dataclass(frozen=True)
class GivenRow:
    """A line of the drawing, at its height."""

    y: float
    where: str
    what: str
    dots: tuple[GivenDot, ...]


@dataclass(frozen=True)
class GivenDrawing:
    """Everything in px of its own sheet."""

    rows: tuple[GivenRow, ...]
    ticks: tuple[tuple[float, str], ...]
    today: float
    height: float
    width: float = WIDTH
    left: float = LEFT
    top: float = TOP

    @property
    def box(self) -> str:
        """The whole sheet."""
        return f"0 0 {self.width:.0f} {self.height:.0f}"

    @property
    def foot(self) -> float:
        """Where the days stand."""
        return self.height - FOOT

    @property
    def told(self) -> str:
        """The drawing in words."""
        return "; ".join(f"{row.where}: {row.what}, {', '.join(dot.told for dot in row.dots)}" for row in self.rows)


def drawing(lines: Iterable[GivenLine], today: date) -> GivenDrawing:
    """The lines laid over time, from the first day that is known to the last that is closed."""
    shown = list(lines)
    days = [one.on for line in shown for one in line.times if one.on]
    first = min([*days, today - timedelta(days=DAYS)])
    last = max([one.until for line in shown for one in line.times if one.until and one.until > today] + [today])
    last += timedelta(days=7)

    def px(day: date) -> float:
        return round(LEFT + (day - first).days / (last - first).days * (WIDTH - LEFT - RIGHT), 1)

    def dot(one: GivenOnce, y: float) -> GivenDot:
        closed = one.until if one.until and one.until > today else None
        when = f"{one.on:%-d %b %Y}" if one.on else "nobody knows when"
        told = [when, *one.amounts, *([f"by {one.elsewhere}"] if one.elsewhere else [])]
        kind = "elsewhere" if one.elsewhere else "here"
        x = px(one.on or first)
        return GivenDot(
            x=x,
            told=", ".join([*told, f"closed until {closed:%-d %b}"] if closed else told),
            answer="" if one.answer is None else str(one.answer),
            kind=kind if one.on else f"{kind} undated",
            bar=f"M{x} {y}H{px(closed)}" if closed else "",
        )

    rows = []
    for n, line in enumerate(shown):
        y = TOP + ROW * n + ROW / 2
        newest = line.times[-1]
        rows.append(
            GivenRow(
                y=y,
                where="; ".join((line.where[0].upper() + line.where[1:], *newest.amounts[-1:])),
                what=line.what,
                dots=tuple(dot(one, y) for one in line.times),
            )
        )
    return GivenDrawing(tuple(rows), tuple(_ticks(first, last, px)), px(today), TOP + ROW * len(rows) + FOOT)


def _ticks(first: date, last: date, px: Callable[[date], float]) -> Iterable[tuple[float, str]]:
    """The first of each month; of each quarter where there are many; of each year where there are very many."""
    months = (last.year - first.year) * 12 + last.month - first.month
    each = 1 if months <= MONTHS else 3 if months <= 3 * MONTHS else 12
    for n in range(1, months + 1):
        year, month = divmod(first.month - 1 + n, 12)
        if month % each == 0:
            day = date(first.year + year, month + 1, 1)
            yield px(day), f"{day:%b}" + (f" {day.year}" if month == 0 or each > 1 else "")
