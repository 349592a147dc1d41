"""When last time says nothing for today: a start is a first start again, with its test spot; what asks for less is
never forgotten.
"""

from datetime import timedelta
from typing import Any

import pytest

from builders.briefs import TODAY, plan_of
from builders.chair import somebody
from merak.core.client import Findings
from merak.core.modality.before import Before
from merak.core.plan.brief import Brief
from merak.core.plan.screening import Answer
from merak.core.plan.visit_plan import visit_plan
from merak.core.spots import SpotAnswer, SpotRead


def whom(days: int, modality: str = "ultrasound", **last: Any) -> Brief:
    before = Before(on=TODAY - timedelta(days=days), **({"at": 5.0, "endpoint_seen": "seen"} | last))
    return somebody(history={modality: before}, slot=480, findings=Findings(phototype=2))


def tanned(days: int, **last: Any) -> Brief:
    who = whom(days, "pulsed_light", **last)
    answers = who.facts.answers | {"sun": Answer(option="tanned", on=TODAY - timedelta(days=60))}
    return Brief(who.facts.model_copy(update={"answers": answers}))


def starts(who: Brief, modality: str = "ultrasound") -> float | None:
    return plan_of(who, modality).stages[0].at


@pytest.mark.parametrize(("days", "forgotten"), [(30, False), (179, False), (180, True), (400, True)])
def test_after_a_long_pause_it_is_a_first_start_again(days: int, forgotten: bool) -> None:
    first = starts(somebody(history={}, slot=480, findings=Findings(phototype=2)))
    assert first == 2.0
    who = whom(days, at=1.0)
    assert (starts(who) == first) == forgotten and (starts(who) == 1.0) != forgotten
    told = [one.rule for those in visit_plan(who, plan_of(who, "ultrasound")).cautions.values() for one in those]
    assert ("titration.pause" in told) == forgotten and ("titration.same" in told) != forgotten


@pytest.mark.parametrize(("days", "spot"), [(179, False), (180, True)])
def test_and_its_spot_comes_first_again(days: int, spot: bool) -> None:
    assert whom(days, "pulsed_light").spot_first("pulsed_light") == spot


def test_a_spot_that_was_read_since_speaks_and_one_from_before_does_not() -> None:
    answer = SpotAnswer(verdict="keep", set_to=10.0, words="", rule="chair.spot.kept")
    who = whom(200, "pulsed_light")
    for days, first in ((20, False), (179, False), (181, True), (250, True)):
        read = {"pulsed_light": SpotRead(answer=answer, on=TODAY - timedelta(days=days))}
        assert Brief(who.facts.model_copy(update={"spots": read})).spot_first("pulsed_light") == first, days


def test_tanned_skin_is_other_skin() -> None:
    assert tanned(40).spot_first("pulsed_light") and not whom(40, "pulsed_light").spot_first("pulsed_light")
    assert tanned(40).known == {} and tanned(40).subject("pulsed_light", 100).first_visit


@pytest.mark.parametrize(
    "last",
    [{"redness": 3}, {"settled_late": True}, {"pain": 8}, {"incident": "Burn, grade 2"}, {"mark": "a dark mark"}],
)
def test_what_asks_for_less_is_never_forgotten(last: dict[str, Any]) -> None:
    who = whom(500, **last)
    assert who.known["ultrasound"].on and who.subject("ultrasound", 100).last == who.facts.history["ultrasound"]
    assert "ultrasound" not in whom(500).known
