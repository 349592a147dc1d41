"""The treatment as a fold over events: state = fold(steps, events)."""

from merak.core.session.events import KINDS, Event, Kind
from merak.core.session.facts import StepFacts, step_facts
from merak.core.session.fold import fold, following
from merak.core.session.locks import Lock, locked
from merak.core.session.pace import Pace, pace
from merak.core.session.state import RunState, StepRun
from merak.core.session.walk import complete, next_place, setting, walked

__all__ = [
    "KINDS", "Event", "Kind", "Lock", "Pace", "RunState", "StepFacts", "StepRun", "complete", "fold", "following", "locked", "next_place",
    "pace", "setting", "step_facts", "walked",
]  # fmt: skip
