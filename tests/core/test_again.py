"""Again too soon, as a plan tells it: what came before, which skin waits, from which day it is open, and who may let it
be sooner.
"""

from datetime import datetime, timedelta

import pytest

from builders.briefs import TODAY, plan_of
from builders.chair import somebody
from merak.core.body.plate import sided
from merak.core.modality.before import Before
from merak.core.modality.exposed import Exposed
from merak.core.plan.brief import Brief
from merak.core.plan.fitting import Clash
from merak.core.plan.past import still_matters
from merak.core.plan.screening import Override
from merak.core.plan.stage import moved
from merak.core.plan.visit_plan import VisitPlan, between, visit_plan

CHEEKS = ("mid cheek", "lower cheek")


def whom(*given: Exposed, **more: object) -> Brief:
    return somebody(history={}, exposed=given, slot=480, arrived="washed", **more)


def ago(days: int, agent: str, *zones: str, **more: object) -> Exposed:
    return Exposed.model_validate(
        {"agent": agent, "degree": 1, "on": TODAY - timedelta(days=days), "zones": zones, **more}
    )


def planned_on(who: Brief, work: str, *zones: str) -> VisitPlan:
    plan = plan_of(who, work)
    return visit_plan(who, plan.with_stage(moved(who, plan.stages[0], zones)) if zones else plan)


def soon(found: VisitPlan) -> list[Clash]:
    return [one for one in found.clashes if one.rule.startswith("agent.")]


def test_it_is_said_what_was_when_and_from_which_day_it_is_open() -> None:
    (told,) = soon(planned_on(whom(ago(5, "dry_abrasion", "mid cheek")), "crystal", *CHEEKS))
    assert told.kind == "earlier" and told.rule == "agent.dry_abrasion" and told.steps == ("s1",)
    assert told.words == "Crystal abrasion: Dry abrasion was 5 days ago, 20 Nov. That skin waits 7 days."
    assert told.action == "Open from 27 Nov 2026, or today off mid cheek."
    assert told.off == {told.stage: ("lower cheek",)}


def test_where_all_of_its_skin_waits_nothing_is_left_to_go_to() -> None:
    (told,) = soon(planned_on(whom(ago(1, "dry_abrasion")), "crystal", *CHEEKS))
    assert told.words.endswith("Dry abrasion was 1 day ago, 24 Nov. The same skin waits 7 days.")
    assert told.action == "Open from 1 Dec 2026." and told.off == {}
    (today,) = soon(planned_on(whom(ago(0, "dry_abrasion")), "crystal", *CHEEKS))
    assert "was earlier today" in today.words


def test_other_skin_and_the_first_open_day_are_not_stopped() -> None:
    assert soon(planned_on(whom(ago(1, "dry_abrasion", "forehead")), "crystal", *CHEEKS)) == []
    assert soon(planned_on(whom(ago(1, "dry_abrasion", "left mid cheek")), "crystal", "right mid cheek")) == []
    assert soon(planned_on(whom(ago(7, "dry_abrasion")), "crystal", *CHEEKS)) == []


def test_what_was_done_elsewhere_counts_and_nobody_knows_when_is_today() -> None:
    (told,) = soon(planned_on(whom(ago(10, "needles", elsewhere="Dr Hale")), "crystal", *CHEEKS))
    assert "Needles (Dr Hale) was 10 days ago" in told.words and "Open from 29 Nov 2026" in told.action
    (unknown,) = soon(planned_on(whom(Exposed(agent="needles", elsewhere="somebody")), "crystal", *CHEEKS))
    assert "nobody knows when" in unknown.words and "Open from 9 Dec 2026" in unknown.action and unknown.absolute


def test_each_thing_that_it_comes_after_is_told_once() -> None:
    who = whom(ago(3, "dry_abrasion", "mid cheek"), ago(3, "dry_abrasion", "lower cheek"), ago(1, "acid", "mid cheek"))
    found = soon(planned_on(who, "crystal", *CHEEKS))
    assert sorted(one.rule for one in found) == ["agent.acid", "agent.dry_abrasion"]


@pytest.mark.parametrize(("days", "may"), [(5, False), (6, True)])
def test_a_seniors_word_lets_it_be_a_fifth_sooner(days: int, may: bool) -> None:
    """Seven days less a fifth are 5.6: from the sixth on."""
    given = ago(days, "dry_abrasion")
    found = planned_on(whom(given), "crystal", *CHEEKS)
    (told,) = soon(found)
    word = Override(
        rule=told.rule,
        modality=between(found.plan, told),
        words=told.action,
        by="Marit",
        at=datetime(2026, 11, 25, 9),
        reason="seen whole",
    )
    after = planned_on(whom(given, overrides=(word,)), "crystal", *CHEEKS)
    assert (soon(after) == []) == may and told.absolute != may
    assert any("seen whole" in one.action for one in after.allowed) == may


def test_between_what_has_to_be_and_what_a_course_leaves_it_is_told() -> None:
    def minded(days: int) -> list[str]:
        found = planned_on(whom(ago(days, "dry_abrasion")), "crystal", *CHEEKS)
        return [one.words for those in found.cautions.values() for one in those if one.rule == "agent.dry_abrasion"]

    assert minded(10) == ["Dry abrasion was 10 days ago, 15 Nov; a course leaves 14 days."] and minded(14) == []


def test_of_work_without_kept_skin_the_worst_counts_everywhere() -> None:
    """What an old record says is only which work and when; a day that its skin is kept of is not counted twice."""
    when = TODAY - timedelta(days=5)
    old = somebody(history={"nano": Before(on=when)}, slot=480)
    assert {one.done.agent for one in old.past} == {"nano", "needles"} and not any(one.skin for one in old.past)
    kept = somebody(history={"nano": Before(on=when)}, exposed=(ago(5, "nano", "forehead", modality="nano"),), slot=480)
    assert [(one.done.agent, one.skin) for one in kept.past] == [("nano", sided(("forehead",)))]


@pytest.mark.parametrize("days", [8, 12, 20, 27, 60])
def test_what_matters_no_more_still_says_that_it_was_not_the_worst(days: int) -> None:
    """Nano in the top layer alone: after its week nothing waits, however little of the record is read."""
    on = TODAY - timedelta(days=days)
    record = (ago(days, "nano", modality="nano"), ago(days, "nano rounds", modality="nano", amount=2.0))
    who = somebody(history={"nano": Before(on=on)}, exposed=still_matters(record, TODAY), slot=480)
    assert "needles" not in {one.done.agent for one in who.past}
    assert soon(planned_on(who, "crystal", *CHEEKS)) == []


def test_what_is_read_is_what_may_still_matter() -> None:
    kept = (ago(0, "red light"), ago(10, "needles"), Exposed(agent="lines"), ago(41, "needles"))
    gone = (ago(1, "red light"), ago(300, "lines"), ago(43, "needles"))
    assert still_matters((*gone, *kept), TODAY) == kept


def test_what_is_long_past_is_not_looked_at() -> None:
    assert whom(ago(200, "lines"), ago(200, "needles")).past == ()
