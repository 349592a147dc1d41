"""The treatment as a fold over taps: state = fold(order, taps)."""

from merak.core.treatment.facts import ActFacts, act_facts
from merak.core.treatment.fold import fold, following
from merak.core.treatment.locks import Lock, locked
from merak.core.treatment.moments import EarlierTap, Moment, ToldMoment, moment
from merak.core.treatment.order import Limits, Order, limits, order_of, ordered
from merak.core.treatment.pace import Pace, pace
from merak.core.treatment.state import ActRun, RunState
from merak.core.treatment.taps import KINDS, Tap, TapData, TapKind
from merak.core.treatment.walk import complete, next_place, setting, walked

__all__ = [
    "KINDS",
    "ActFacts",
    "ActRun",
    "EarlierTap",
    "Limits",
    "Lock",
    "Moment",
    "Order",
    "Pace",
    "RunState",
    "Tap",
    "TapData",
    "TapKind",
    "ToldMoment",
    "act_facts",
    "complete",
    "fold",
    "following",
    "limits",
    "locked",
    "moment",
    "next_place",
    "order_of",
    "ordered",
    "pace",
    "setting",
    "walked",
]
