"""The moment of a tap: what it says of itself, held against the order, the device's own last tap, and the server's
clock.
"""

from datetime import datetime, timedelta
from typing import NamedTuple
from uuid import UUID

from pydantic import Field

from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen

needs(
    __name__,
    """
    s: chair.clock.tolerance
    """,
)


class Sender(Frozen):
    """The page load that sends, and the reading of its steady clock (s) as it does."""

    load: UUID
    mono_s: float = Field(ge=0, le=1e8, allow_inf_nan=False)


class ToldMoment(NamedTuple):
    """What a tap tells of its time: the device's clock; `mono_s` the reading of its page load's own steady clock,
    `age_s` how long before it was sent it was made, by the same steady clock (None: it does not say, or it was made in
    an earlier load).
    """

    at: datetime
    mono_s: float | None = None
    age_s: float | None = None


class EarlierTap(NamedTuple):
    """The last tap of the same device that was kept: its moment, the reading of its steady clock, and how many seconds
    ago it arrived by the server's own steady clock (None where the server was started since).
    """

    at: datetime
    mono_s: float | None = None
    ago_s: float | None = None


class Moment(NamedTuple):
    """The moment that counts, and why it is not the one that was told ("" where it is)."""

    at: datetime
    marked: str = ""


def moment(told: ToldMoment, begun: datetime, arrived: datetime, last: EarlierTap | None = None) -> Moment:
    """When a tap was made. `begun` is when the order was fixed, `arrived` the server's clock as it came in.

    Between taps of one page load only the load's steady clock counts, so that no jump of a clock moves anything; the
    first of a load is as old as it says it is. What says neither is believed as it is told, from the order's begin and
    the device's last tap up to its arrival, give or take rule chair.clock.tolerance. Anything else counts as made when
    it arrived, and is marked.
    """
    give = number("chair.clock.tolerance")
    if told.mono_s is not None and last is not None and last.mono_s is not None:
        since = told.mono_s - last.mono_s
        at = _after(last.at, since)
        if since < -give:
            return Moment(arrived, "before this device's last tap")
        if at is not None and (
            (last.ago_s is not None and since <= last.ago_s + give) or at <= arrived + timedelta(seconds=give)
        ):
            return Moment(max(at, last.at))
        return Moment(arrived, "after it arrived")
    at = told.at if told.age_s is None else _after(arrived, -told.age_s)
    if at is None or at < begun - timedelta(seconds=give):
        return Moment(arrived, "before the treatment began")
    if last is not None and at < last.at - timedelta(seconds=give):
        return Moment(arrived, "before this device's last tap")
    if at > arrived + timedelta(seconds=give):
        return Moment(arrived, "after it arrived")
    return Moment(min(at, arrived))


def _after(at: datetime, seconds: float) -> datetime | None:
    """A moment so many seconds on; None past the ends of time."""
    try:
        return at + timedelta(seconds=seconds)
    except OverflowError:
        return None
