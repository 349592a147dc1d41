"""Briefs for tests: an adult of whom everything was asked and nothing found, in a studio with a
machine of every kind.
"""

from datetime import date
from typing import Any

from builders.machines import LIFT, PANEL, SCALES, machine
from merak.core.client import Findings
from merak.core.modality.device import LedCard, MicrocurrentCard
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Facts, Machine
from merak.core.plan.screening import Answer, Answers, questions
from merak.core.plan.step import begin_step
from merak.core.plan.visit_plan import Plan, VisitPlan, in_force, visit_plan

TODAY = date(2026, 11, 25)
EVERY_LICENCE = frozenset({"pulsed light", "fractional", "focused", "micro depth"})


def machines(lift: MicrocurrentCard = LIFT, panel: LedCard = PANEL) -> tuple[Machine, ...]:
    return tuple(Machine(id=f"m{n}", card=card) for n, card in enumerate([lift, panel, *map(machine, SCALES)]))


MACHINES = machines()


def nothing_found(returning: bool = False) -> Answers:
    return {question.id: Answer(option=question.options[0].id) for question in questions(returning)}


def brief(answers: dict[str, Answer] | None = None, **changes: Any) -> Brief:
    returning = changes.get("returning", False)
    base: dict[str, Any] = {
        "today": TODAY,
        "born": date(1980, 5, 1),
        "returning": False,
        "answers": nothing_found(returning) | (answers or {}),
        "findings": Findings(),
        "machines": MACHINES,
        "slot": 90,
    }
    told = base | changes
    arrived = told.pop("arrived", "washed")  # so that a plan need not wash first
    told["findings"] = told["findings"].model_copy(update={"arrived": arrived})
    return Brief(Facts(**told))


def plan_of(who: Brief, *modalities: str, **settings: Any) -> Plan:
    """A plan with start values; `settings` are of the first modality."""
    of = in_force(who, Plan())
    steps = [begin_step(who, name, f"s{n + 1}", of)[0] for n, name in enumerate(modalities)]
    if settings:
        lead = steps[0].lead
        steps[0] = steps[0].with_stage(lead.with_settings(lead.values | settings))
    return Plan(steps=tuple(steps))


def planned(who: Brief, *modalities: str, **settings: Any) -> VisitPlan:
    return visit_plan(who, plan_of(who, *modalities, **settings))
