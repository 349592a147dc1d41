"""After an incident: a letter where the card asks for one, two steps lower and a new spot, a later date."""

from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from builders.briefs import EVERY_LICENCE, TODAY, brief, plan_of, planned
from merak.core.after.course import propose
from merak.core.after.incidents import PastIncident, days_until_next, left_on
from merak.core.client import Findings
from merak.core.errors import Refused
from merak.core.modality.before import Before
from merak.core.plan.screening import Letter
from merak.core.spots import SpotAnswer, SpotRead

THEN = date(2026, 11, 1)


@pytest.mark.parametrize(
    ("card", "modality", "of", "mark", "own"),
    [
        ("Burn", "rf_bulk", "rf_bulk", "a burn", "Burn, grade 2"),
        ("Burn", "rf_bulk", "led", "", ""),  # another modality of the same visit is not to blame
        ("Burn", "", "led", "a burn", "Burn, grade 2"),  # unless nobody knows which it was
        ("Faint", "rf_fractional", "numbing", "a faint", ""),
        ("Anaesthetic poisoning", "rf_fractional", "numbing", "signs of anaesthetic poisoning", ""),
        ("Allergic shock", "peel", "peel", "an allergic shock", "Allergic shock, grade 2"),
        ("Needlestick", "micro_needling", "micro_needling", "", "Needlestick, grade 2"),
        ("", "led", "led", "", "Incident, grade 2"),
    ],
)
def test_what_an_incident_leaves(card: str, modality: str, of: str, mark: str, own: str) -> None:
    assert left_on([PastIncident(card=card, grade=2, modality=modality)], of) == (mark, own)


def test_a_later_date() -> None:
    assert [days_until_next([PastIncident(card="Burn", grade=grade)]) for grade in (0, 2, 3, 4)] == [
        7,
        7,
        28,
        28,
    ] and days_until_next([]) == 0
    opening = {day: (datetime(2026, 1, 1, 9).time(), datetime(2026, 1, 1, 18).time()) for day in range(7)}
    zone = ZoneInfo("Europe/Lisbon")
    for wait, ahead in ((0, 3), (7, 7), (28, 28)):
        found = propose(datetime(2026, 11, 25, 10, tzinfo=zone), 2, 10, 60, opening, [], "Europe/Lisbon", wait)
        assert found and found.at.date() == date(2026, 11, 25) + timedelta(days=ahead)
        assert ("incident" in found.why) == bool(wait)


def heated(at: float, **more: Any) -> Any:
    """A client whose bulk radiofrequency ended at a setting."""
    return brief(
        returning=True, history={"rf_bulk": Before(at=at, on=THEN, **more)}, licences=EVERY_LICENCE, senior=True
    )


def test_the_same_heat_is_not_planned_again() -> None:
    """A burn asks for a letter; with it the start is two steps lower, and more than that is
    refused, not only minded.
    """
    burnt = heated(6, incident="Burn, grade 2", mark="a burn", marked_on=THEN)
    assert burnt.board["rf_bulk"].verdict == "letter"
    with pytest.raises(Refused):
        plan_of(burnt, "rf_bulk")
    letter = Letter(
        rule="titration.stop",
        received=THEN + timedelta(days=9),
        until=TODAY + timedelta(days=99),
        note="healed",
        by="Adaeze",
    )
    healed = burnt.but(letters=(letter,))
    plan = plan_of(healed, "rf_bulk")
    start = float(plan.stages[0].settings.at)
    assert start <= 4, "two steps under 6"
    for at, refused in ((4, False), (5, True), (6, True)):
        found = planned(healed, "rf_bulk", at=at)
        said = found.refused.get("s1.at")
        assert bool(said and said.rule == "titration.incident") == refused, at
    said = planned(healed, "rf_bulk", at=6).refused["s1.at"]
    assert "Burn, grade 2 at 6. Two steps lower is 4; this is set to 6." in said.words


def test_at_the_foot_of_its_scale_it_is_left_out() -> None:
    """Nothing is gentler than where it happened: neither that setting nor any other is planned,
    though the letter came.
    """
    letter = Letter(
        rule="titration.stop",
        received=THEN + timedelta(days=9),
        until=TODAY + timedelta(days=99),
        note="healed",
        by="Adaeze",
    )
    for mark in ("a burn", ""):
        who = heated(1, incident="Burn, grade 2", mark=mark, marked_on=THEN).but(letters=(letter,))
        with pytest.raises(Refused, match="gentlest setting"):
            plan_of(who, "rf_bulk")
    only_one_lower = heated(2, incident="Burn, grade 2").but(letters=(letter,))
    assert plan_of(only_one_lower, "rf_bulk").stages[0].settings.at == 1


def test_without_an_incident_the_same_heat_is_the_same_heat() -> None:
    assert "s1.at" not in planned(heated(6), "rf_bulk", at=6).refused


def test_what_was_placed_before_the_incident_speaks_for_nothing() -> None:
    read = SpotRead(
        answer=SpotAnswer(verdict="keep", set_to=10, words="", rule="chair.spot.kept"), on=THEN - timedelta(days=20)
    )
    lamp = {"pulsed_light": Before(at=12, on=THEN, incident="Burn, grade 1")}
    who = brief(
        returning=True,
        history=lamp,
        findings=Findings(phototype=2),
        spots={"pulsed_light": read},
        licences=EVERY_LICENCE,
    )
    assert who.spot_first("pulsed_light"), "a spot of before is no spot"
    since = read.model_copy(update={"on": THEN + timedelta(days=9)})
    assert not who.but(spots={"pulsed_light": since}).spot_first("pulsed_light")
    assert not who.but(history={"pulsed_light": Before(at=12, on=THEN)}, spots={}).spot_first("pulsed_light"), (
        "as before"
    )
