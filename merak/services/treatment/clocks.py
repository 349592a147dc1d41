"""The moment of a tap as it comes in: from what its device tells, the device's last tap, and the server's clock."""

from datetime import datetime, timedelta
from time import monotonic
from typing import NamedTuple
from uuid import UUID

from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.treatment import EarlierTap, Tap, ToldMoment, moment
from merak.core.treatment.moments import Sender
from merak.records import taps as records
from merak.services.context import Context

needs(
    __name__,
    """
    s: chair.clock.tolerance
    """,
)

#: (visit, person, page load; None for a device that names none).
Device = tuple[UUID, UUID, UUID | None]
#: Devices whose last tap is kept in this process.
MOST_KEPT = 500


class Clock(NamedTuple):
    """A device's last tap: when the order was fixed, the tap's moment (None: none yet), the device's steady clock then,
    the server's.
    """

    begun: datetime
    at: datetime | None
    mono_s: float | None
    steady: float | None


Clocks = dict[Device, Clock]
_clocks: Clocks = {}
#: visit → by how much the server's clock had jumped when this process first met its treatment.
_jumped: dict[UUID, timedelta] = {}


def treatment_time(ctx: Context, visit_id: UUID) -> datetime:
    """Now, as a treatment counts it: the server's clock, less what it jumped by while the treatment went on."""
    by = ctx.jumped - _jumped.setdefault(visit_id, ctx.jumped)
    return ctx.now - by if abs(by) > timedelta(seconds=number("chair.clock.tolerance")) else ctx.now


def timed(ctx: Context, visit_id: UUID, tap: Tap, sent: Sender | None, clocks: Clocks) -> dict[str, object]:
    """What changes in a tap once its moment is found: the moment, and where it is not the one that was told, why.

    `clocks` goes on to the next tap of the same device.
    """
    device = (visit_id, ctx.me.id, tap.load)
    last = clocks.get(device) or _clocks.get(device)
    if last is None:
        row = records.last_of(ctx.db, visit_id, ctx.me.id, tap.load)
        last = Clock(row.begun or ctx.now, row.at, row.mono_s, None)
    steady, mono = monotonic(), tap.mono_s if tap.load else None
    ago = None if last.steady is None else steady - last.steady
    earlier = None if last.at is None else EarlierTap(last.at, last.mono_s, ago)
    age = max(0.0, sent.mono_s - mono) if sent and mono is not None and tap.load == sent.load else None
    found = moment(ToldMoment(tap.at, mono, age), last.begun, treatment_time(ctx, visit_id), earlier)
    if found.marked:
        return {"at": found.at, "mono_s": mono, "marked": found.marked, "told": tap.at}
    if last.at is None or found.at >= last.at:
        clocks[device] = Clock(last.begun, found.at, mono, steady)
    return {"at": found.at, "mono_s": mono}


def remember(clocks: Clocks) -> None:
    """What committed taps say of their devices' clocks."""
    _clocks.update(clocks)
    if len(_clocks) > MOST_KEPT:
        _clocks.clear()
