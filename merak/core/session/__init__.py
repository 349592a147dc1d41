"""The treatment as a fold over events: state = fold(steps, events)."""

from merak.core.session.fold import Event, Kind, RunState, fold, step_facts

__all__ = ["Event", "Kind", "RunState", "fold", "step_facts"]
