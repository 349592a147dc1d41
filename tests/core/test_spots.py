"""A test spot's answer, look by look; the side to begin on; how long an answer, a letter, a wait speaks."""

from datetime import date, datetime, timedelta
from typing import Any

import pytest

from builders.briefs import TODAY, brief
from builders.orders import spot_rule
from merak.core.client import Findings
from merak.core.errors import BadInput
from merak.core.plan.screening import Letter, Reason, Standing, Verdict, worded
from merak.core.plan.side import first_side
from merak.core.spots import SpotLook, answer, due

DAY = timedelta(days=1)


@pytest.mark.parametrize(
    ("look", "at", "stepped_up", "verdict", "set_to"),
    [
        ({"redness": 1}, 5, False, "keep", 5),
        ({"redness": 2, "swelling": 2, "pain": 6}, 5, False, "keep", 5),
        ({"redness": 3}, 5, False, "down", 4),
        ({"swelling": 3}, 5, False, "down", 4),
        ({"pain": 7}, 5, False, "down", 4),
        ({"pain": 6}, 5, False, "keep", 5),
        ({"pain": 1}, 5, False, "keep", 5),
        ({"redness": 4, "mark": True}, 5, False, "stop", 5),
        ({}, 5, False, "up", 6),
        ({}, 5, True, "keep", 5),
        ({}, 6, False, "keep", 6),
        ({}, 4, False, "keep", 4),
        ({"redness": 3}, 6, True, "down", 5),
        ({"redness": 3}, 4, False, "stop", 4),
    ],
)
def test_what_is_seen_at_a_spot_says_how_to_go_on(
    look: dict[str, Any], at: float, stepped_up: bool, verdict: str, set_to: float
) -> None:
    """At 5 W, with 6 W above and 4 W below: severe from grade 3 or pain 7 on, one step up once and only from there."""
    said = answer(spot_rule(), at, SpotLook(**look), stepped_up)
    assert (said.verdict, said.set_to) == (verdict, set_to)


def test_numbed_skin_feels_nothing_and_its_pain_says_nothing() -> None:
    assert answer(spot_rule(numbed=True), 5, SpotLook(pain=3), False).verdict == "up"
    assert answer(spot_rule(), 5, SpotLook(pain=3), False).verdict == "keep"
    assert answer(spot_rule(numbed=True), 5, SpotLook(pain=7), False).verdict == "down", "much pain speaks through it"


def test_where_nothing_lies_above_or_below_it_stays_or_stops() -> None:
    assert answer(spot_rule(up=None), 5, SpotLook(), False).verdict == "keep"
    assert answer(spot_rule(down=None), 5, SpotLook(redness=3), False).verdict == "stop"
    placed = datetime(2026, 11, 25, 9)
    assert due(placed, spot_rule(wait_s=300)) == datetime(2026, 11, 25, 9, 5)


@pytest.mark.parametrize(
    ("heights", "side", "how"),
    [
        ({}, "right", "unmeasured"),
        ({"brow_right_mm": 20.0}, "right", "unmeasured"),
        ({"brow_right_mm": 21.0, "brow_left_mm": 20.0}, "right", "measured"),
        ({"brow_right_mm": 20.0, "brow_left_mm": 21.0}, "left", "measured"),
        ({"brow_right_mm": 20.9, "brow_left_mm": 20.0}, "right", "level"),
        ({"brow_right_mm": 20.0, "brow_left_mm": 20.9}, "right", "level"),
        (
            {"brow_right_mm": 22.0, "brow_left_mm": 20.0, "cheek_right_mm": 40.0, "cheek_left_mm": 41.0},
            "right",
            "level",
        ),
        (
            {"brow_right_mm": 20.0, "brow_left_mm": 20.0, "cheek_right_mm": 40.0, "cheek_left_mm": 44.0},
            "left",
            "measured",
        ),
    ],
)
def test_the_higher_side_comes_first_from_a_millimetre_on(heights: dict[str, float], side: str, how: str) -> None:
    found = first_side(Findings(**heights))  # type: ignore[arg-type]
    assert (found.side, found.how) == (side, how)


def test_a_reason_is_ten_characters_and_no_fewer() -> None:
    assert worded("  ten chars!  ").strip() == "ten chars!"
    with pytest.raises(BadInput):
        worded("nine char")


def reason(verdict: Verdict, rule: str = "screening.skin", until: date | None = None, *zones: str) -> Reason:
    return Reason(verdict=verdict, answer="a", reason="r", action="c", rule=rule, until=until, zones=zones)


def standing(verdict: Verdict, *reasons: Reason) -> Standing:
    return Standing(modality="led", verdict=verdict, reasons=reasons, open=(), closed={})


def test_a_letter_speaks_from_the_day_it_came_to_its_last() -> None:
    letter = Letter(rule="screening.skin", received=TODAY, until=TODAY + DAY)
    days = [letter.speaks_to(reason("letter"), TODAY + n * DAY) for n in (-1, 0, 1, 2)]
    assert days == [False, True, True, False]
    assert not letter.speaks_to(reason("letter", "screening.heart"), TODAY)
    about = letter.model_copy(update={"answer": "b"})
    assert not about.speaks_to(reason("letter"), TODAY)


def test_waiting_is_over_on_the_last_of_its_days_where_it_is_waiting_alone() -> None:
    soon, late = (reason("wait", "screening.skin", TODAY + n * DAY) for n in (3, 9))
    assert standing("wait", soon, late).until == TODAY + 9 * DAY
    assert standing("wait", soon, reason("wait")).until is None, "one of them has no end"
    assert standing("no", soon, reason("no")).until is None
    here = reason("wait", "screening.skin", TODAY + 30 * DAY, "chin")
    assert standing("wait", soon, here).until == TODAY + 3 * DAY, "a place waits by itself"


def test_what_only_waits_for_a_look() -> None:
    unseen = reason("wait", "screening.phototype")
    assert standing("wait", unseen).only_unseen
    assert standing("wait", unseen, reason("change")).only_unseen
    assert not standing("wait", unseen, reason("no")).only_unseen
    assert not standing("change", reason("change", "screening.phototype")).only_unseen
    assert not standing("go").only_unseen
    assert brief(findings=Findings()).board["pulsed_light"].only_unseen
    assert not brief(findings=Findings(phototype=2)).board["pulsed_light"].only_unseen
