"""The treatment as a fold over events: state = fold(steps, events)."""

from merak.core.session.events import KINDS, Event, Kind
from merak.core.session.facts import StepFacts, step_facts
from merak.core.session.fold import fold, following
from merak.core.session.locks import Lock, locked
from merak.core.session.moments import Earlier, Moment, Told, moment
from merak.core.session.pace import Pace, pace
from merak.core.session.state import RunState, StepRun
from merak.core.session.walk import complete, next_place, setting, walked

__all__ = [
    "KINDS", "Earlier", "Event", "Kind", "Lock", "Moment", "Pace", "RunState", "StepFacts", "StepRun", "Told", "complete", "fold",
    "following", "locked", "moment", "next_place", "pace", "setting", "step_facts", "walked",
]  # fmt: skip
