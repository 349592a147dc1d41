"""How far up from last time a setting may go: one increment and a fifth more energy; a senior's word to twice a fifth;
never twice running without a grade.
"""

from datetime import timedelta
from typing import Any

import pytest

from builders.briefs import TODAY
from builders.chair import somebody, worked
from merak.core.client import Findings
from merak.core.modality.before import Before
from merak.core.plan.stage import can_override
from merak.core.working import Caution


def stops(last: dict[str, Any], at: float, modality: str = "ultrasound", field: str = "at") -> list[Caution]:
    before = Before(on=TODAY - timedelta(days=30), **({"endpoint_seen": "seen"} | last))
    who = somebody(history={modality: before}, slot=480, findings=Findings(phototype=2))
    return [one for one in worked(modality, who, **{field: at}).stops if one.rule.startswith("titration.")]


# The demo scale: level n gives 0.1 + 0.2 (n − 1) W/cm², so from 3 to 4 0.5 to 0.7, from 6 to 7 1.1 to 1.3.
@pytest.mark.parametrize(
    ("was", "now", "rule"),
    [
        (6, 6, None),
        (6, 5, None),
        (6, 7, None),  # 1.18 times
        (6, 8, "titration.fifth"),  # 1.36 times, two increments
        (6, 9, "titration.twice"),  # 1.55 times
        (5, 6, "titration.fifth"),  # 1.22 times by its smallest increment
        (3, 4, "titration.fifth"),  # 1.40 times: twice a fifth, no more
        (3, 5, "titration.twice"),  # 1.80 times
        (9, 10, None),
    ],
)
def test_one_increment_and_a_fifth_and_never_more_than_twice_that(was: int, now: int, rule: str | None) -> None:
    found = stops({"at": float(was)}, float(now))
    assert [one.rule for one in found] == ([rule] if rule else [])
    for one in found:
        assert can_override(one) == (rule == "titration.fifth"), "a senior's word goes as far as twice a fifth"
        assert "Last time, 26 Oct" in one.words and f"{was}" in one.words


def test_no_second_step_up_while_nobody_graded_the_first() -> None:
    last = {"at": 6.0, "endpoint_seen": "not seen", "stepped_up": True}
    (found,) = stops(last, 7.0)
    assert found.rule == "titration.ungraded" and not can_override(found) and found.action == "Go back to 6."
    assert stops(last, 6.0) == [] == stops(last | {"graded": True}, 7.0)


@pytest.mark.parametrize(
    ("last", "rule", "by_a_senior"),
    [
        ({"redness": 3}, "titration.down", True),
        ({"settled_late": True}, "titration.down", True),
        ({"pain": 8}, "titration.down", True),
        ({"improvement": -1, "graded": True}, "titration.worse", False),
    ],
)
def test_nothing_goes_up_where_the_skin_asked_for_less(last: dict[str, Any], rule: str, by_a_senior: bool) -> None:
    (found,) = stops({"at": 6.0} | last, 7.0)
    assert found.rule == rule and can_override(found) == by_a_senior and found.action == "Go back to 6."
    assert stops({"at": 6.0} | last, 6.0) == [] == stops({"at": 6.0} | last, 5.0)


def test_what_was_left_on_for_a_time_may_have_been_taken_off_early() -> None:
    assert stops({"at": 2.0}, 10.0, "led", "minutes") == []


def test_what_is_not_known_stands_in_nobodys_way() -> None:
    assert stops({}, 9.0) == []
    who = somebody(history={}, slot=480, findings=Findings(phototype=2))
    assert not [one for one in worked("ultrasound", who, at=9.0).stops if "titration" in one.rule]
