"""Time used against time planned, and what would go short."""

from datetime import datetime
from typing import NamedTuple

from merak.core.acts import guests_of
from merak.core.knowledge.register import needs
from merak.core.treatment.order import Order
from merak.core.treatment.state import RunState

needs(
    __name__,
    """
    s: chair.late
    """,
)

#: The rule that the strip speaks by.
RULE = "chair.late"


class Pace(NamedTuple):
    """Seconds used since the start, seconds still planned, how much of them is too long for the booked time; the acts
    that go short, as (act, seconds it would lack); what else would starve, in words.
    """

    used_s: float
    left_s: float
    late_s: float
    starved: tuple[tuple[int, float], ...]
    words: str


def pace(order: Order, state: RunState, now: datetime) -> Pace:
    """How the time stands (rule chair.late). What runs beside a wait costs nothing until it is longer than the wait."""
    until = state.endings[-1].at if state.over and state.endings else now  # what is over uses no time any more
    used = (until - state.started).total_seconds() if state.started else 0.0
    room, left = order.booked_s - used, 0.0
    short: list[tuple[int, float]] = []
    for n, act in enumerate(order.acts):
        if act.beside is not None:
            continue
        own = _left(order, state, n, now)
        beside = sum(_left(order, state, guest, now) for guest in guests_of(order.acts, n))
        lacking = min(max(own, beside), max(0.0, left + max(own, beside) - max(0.0, room)))
        left += max(own, beside)
        if lacking >= 1 and not state.over:
            short.append((n, lacking))
    return Pace(
        used,
        left,
        max(0.0, left - max(0.0, room)) if not state.over else 0.0,
        tuple(short),
        _shares(order, state, now),
    )


def _left(order: Order, state: RunState, n: int, now: datetime) -> float:
    run = state.runs[n]
    if run.ended is not None or run.over or (run.begun is None and n < state.act and order.acts[n].beside is None):
        return 0.0
    return max(0.0, order.acts[n].seconds - run.seconds(now))


def _shares(order: Order, state: RunState, now: datetime) -> str:
    """Whether what went before has taken so long that a part of the same work, as planned, falls under its share."""
    portions = [(n, act, act.portion.partition(".")[0]) for n, act in enumerate(order.acts) if act.portion]
    for share, work in {(act.share, work): None for _, act, work in portions if act.share}:
        beside = sum(state.runs[n].seconds(now) for n, act, of in portions if of == work and act.share != share)
        own = sum(max(act.seconds, state.runs[n].seconds(now)) for n, act, of in portions if act.share == share)
        taken = 100 * own / (beside + own)
        if beside and taken < share.least:
            longer = beside * share.least / (100 - share.least) - own
            return (
                f"{share.beside} has taken {beside / 60:.1f} min: {share.name} falls to {taken:.0f} % of the"
                f" {share.of} time, {share.least:.0f} % is least. {share.make_up} {longer / 60:.1f} min longer."
            )
    return ""
