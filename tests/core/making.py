"""Briefs for tests: an adult of whom everything was asked and nothing found, with the demo's kinds of machine."""

from datetime import date
from typing import Any

from merak.core.client import Findings
from merak.core.modality.device import LedCard, MicrocurrentCard
from merak.core.plan.screening import Answer, Answers, questions
from merak.core.plan.visit_plan import Brief

TODAY = date(2026, 11, 25)
LIFT = MicrocurrentCard(name="lift unit", contact_cm2=1.3, calibration=((1, 40), (2, 90), (3, 150), (5, 300), (7, 520), (10, 1150)))
UNMEASURED = MicrocurrentCard(name="old unit", contact_cm2=1.3)
PANEL = LedCard(name="panel", points=((5, 96), (10, 62), (15, 41), (25, 20)))


def nothing_found(returning: bool = False) -> Answers:
    return {question.id: Answer(option=question.options[0].id) for question in questions(returning)}


def brief(answers: dict[str, Answer] | None = None, **changes: Any) -> Brief:
    base: dict[str, Any] = {
        "today": TODAY, "born": date(1980, 5, 1), "returning": False, "answers": nothing_found() | (answers or {}),
        "findings": Findings(), "microcurrent_card": LIFT, "led_card": PANEL,
    }  # fmt: skip
    return Brief(**(base | changes))
