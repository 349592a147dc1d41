"""The treatment as a fold over events: state = fold(steps, events)."""

from merak.core.treatment.events import KINDS, Event, TapKind
from merak.core.treatment.facts import ActFacts, act_facts
from merak.core.treatment.fold import fold, following
from merak.core.treatment.locks import Lock, locked
from merak.core.treatment.moments import EarlierTap, Moment, ToldMoment, moment
from merak.core.treatment.pace import Pace, pace
from merak.core.treatment.state import ActRun, RunState
from merak.core.treatment.walk import complete, next_place, setting, walked

__all__ = [
    "KINDS",
    "ActFacts",
    "ActRun",
    "EarlierTap",
    "Event",
    "Lock",
    "Moment",
    "Pace",
    "RunState",
    "TapKind",
    "ToldMoment",
    "act_facts",
    "complete",
    "fold",
    "following",
    "locked",
    "moment",
    "next_place",
    "pace",
    "setting",
    "walked",
]  # fmt: skip
