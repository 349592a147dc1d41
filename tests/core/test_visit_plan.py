"""A visit's plan as a whole: its sums, what it may not pass and just may, who allowed what, and its tray."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from builders.briefs import EVERY_LICENCE, TODAY, brief, plan_of, planned
from builders.machines import machine
from merak.core.client import Findings
from merak.core.errors import BadInput
from merak.core.modality.before import Before
from merak.core.modality.device import CardTip
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Machine, Wish
from merak.core.plan.screening import Answer, Override
from merak.core.plan.tray import TrayLine, tray_of
from merak.core.plan.visit_plan import Plan, VisitPlan, visit_plan


def somebody(**changes: Any) -> Brief:
    known: dict[str, Any] = {
        "licences": EVERY_LICENCE,
        "senior": True,
        "returning": True,
        "findings": Findings(phototype=2),
        "slot": 480,
        "history": {name: Before(on=TODAY - timedelta(days=90), at=1.0) for name in ("peel", "pulsed_light")},
    }
    return brief(**(known | changes))


def rules(plan: VisitPlan) -> set[str]:
    return {clash.rule for clash in plan.clashes}


def test_an_item_is_found_by_its_id_or_not_at_all() -> None:
    plan = plan_of(somebody(), "cleanse", "led", "finish")
    assert plan.of("s2").modality == "led" and plan.of("s1").modality == "cleanse"
    with pytest.raises(BadInput, match="no longer in the plan"):
        plan.of("s9")
    changed = plan.with_stage(plan.stage("s2").model_copy(update={"zones": ("chin",)}))
    assert [step.zones for step in changed.steps] == [(), ("chin",), ()]


@pytest.mark.parametrize(
    ("modalities", "startable"),
    [((), False), (("cleanse", "finish"), False), (("mask",), True), (("led",), True), (("cleanse", "tone"), False)],
)
def test_something_has_to_be_done_beside_the_cleansing(modalities: tuple[str, ...], startable: bool) -> None:
    assert planned(somebody(), *modalities).startable == startable


def test_the_minutes_say_what_runs_beside_what() -> None:
    who = somebody()
    one_after_another = plan_of(who, "mask", "led")
    beside = one_after_another.with_step(one_after_another.of("s2").model_copy(update={"beside": "s1"}))
    apart, saved = (visit_plan(who, plan).numbers["visit.minutes"] for plan in (one_after_another, beside))
    assert (apart.value, apart.formula) == (pytest.approx(16.95 + 11), "all steps")
    assert (saved.value, saved.formula) == (pytest.approx(16.95), "all steps, less 11 min that run beside others")


@pytest.mark.parametrize(
    ("changes", "rule", "broken"),
    [
        ({"slot": 28}, "plan.slot", False),
        ({"slot": 27}, "plan.slot", True),
        ({"wish": Wish(minutes=28)}, "plan.slot", False),
        ({"wish": Wish(minutes=27)}, "plan.slot", True),
        ({"wish": Wish(money=40)}, "plan.price", False),
        ({"wish": Wish(money=39.99)}, "plan.price", True),
        ({}, "plan.price", False),
    ],
)
def test_the_slot_and_the_money_may_be_used_up_and_no_more(changes: dict[str, Any], rule: str, broken: bool) -> None:
    """Mask and light: 17 and 11 minutes, 15 and 25."""
    assert (rule in rules(planned(somebody(**changes), "mask", "led"))) == broken


def test_the_load_may_be_used_up_and_no_more() -> None:
    """Sensitive: 4 points. Wet abrasion is two, spatula and extraction one each, an enzyme one more."""
    who = somebody(findings=Findings(phototype=2, sensitive=True))
    full = planned(who, "spatula", "wet_abrasion", "extract")
    assert full.numbers["visit.load"].value == 4 == who.budget.value and "budget.load" not in rules(full)
    over = planned(who, "spatula", "wet_abrasion", "enzyme", "extract")
    assert "budget.load" in rules(over)
    assert next(clash for clash in over.clashes if clash.rule == "budget.load").action == "Leave out 1 points."


@pytest.mark.parametrize(
    ("modality", "days", "broken"),
    [("crystal", 13, True), ("crystal", 0, True), ("crystal", 14, False), ("crystal", -1, False), ("led", 3, False)],
)
def test_nothing_strong_in_the_two_weeks_before_an_event(modality: str, days: int, broken: bool) -> None:
    who = somebody(wish=Wish(event=TODAY + timedelta(days=days)))
    assert ("event.never" in rules(planned(who, "dry", modality))) == broken
    assert "event.never" not in rules(planned(somebody(), "dry", modality)), "no event"


def test_weeks_between_count_from_a_day_that_is_known() -> None:
    lately = {"pulsed_light": Before(on=TODAY - timedelta(days=5)), "peel": Before(on=TODAY - timedelta(days=90))}
    assert "agent.lamp" in rules(planned(somebody(history=lately), "peel"))
    assert "agent.lamp" not in rules(planned(somebody(history=lately | {"pulsed_light": Before()}), "peel"))


def test_a_seniors_word_is_about_one_rule_between_the_same_things_in_the_same_words() -> None:
    who = somebody()
    plan = plan_of(who, "dry", "diamond", "nano")
    clash = next(one for one in visit_plan(who, plan).clashes if one.rule == "skin.thinned")
    word = Override(
        rule=clash.rule,
        modality="diamond/nano",
        words=clash.action,
        reason="Seen and discussed.",
        by="Adaeze",
        at=datetime(2026, 11, 25, 9, 30, tzinfo=UTC),
    )

    def told(*words: Override) -> tuple[bool, list[str]]:
        found = visit_plan(somebody(overrides=words), plan)
        return clash.rule in rules(found), [one.action for one in found.allowed]

    assert told(word) == (False, ["Allowed by Adaeze, 25 Nov 2026 09:30: “Seen and discussed.”."])
    others = ({"rule": "fit.one_strong"}, {"modality": "nano"}, {"modality": "diamond/dry/nano"}, {"words": "other"})
    for other in others:
        assert told(word.model_copy(update=other)) == (True, []), other


def test_nobody_allows_what_is_absolute() -> None:
    who = somebody()
    plan = plan_of(who, "numbing", "oxygen_mask")
    clash = next(one for one in visit_plan(who, plan).clashes if one.rule == "fit.numb_oxygen")
    assert clash.absolute
    word = Override(
        rule=clash.rule,
        modality="numbing/oxygen_mask",
        words=clash.action,
        reason="Seen and discussed.",
        by="Adaeze",
        at=datetime(2026, 11, 25, 9, 30, tzinfo=UTC),
    )
    found = visit_plan(somebody(overrides=(word,)), plan)
    assert "fit.numb_oxygen" in rules(found) and not found.allowed


def test_what_is_numbed_for_waits_for_the_cream() -> None:
    who = somebody()
    assert "plan.numb_clock" not in rules(planned(who, "numbing", "rf_fractional"))
    early = planned(who, "rf_fractional", "numbing")
    (clash,) = [one for one in early.clashes if one.rule == "plan.numb_clock"]
    assert set(clash.steps) == {"s1", "s2"} and "begins" in clash.words and "min before the cream" in clash.words
    assert "plan.numb_clock" not in rules(planned(who, "led", "numbing")), "light needs no cream"
    # No cream is on where numbing is stopped, or where the house goes without.
    allergic = somebody(answers={"allergy": Answer(option="amide")})
    stopped = visit_plan(allergic, early.plan)
    assert "s2" in stopped.stopped and "plan.numb_clock" not in rules(stopped)
    gone = visit_plan(somebody(licences=frozenset(), machines=()), early.plan)
    assert "s1" in gone.stopped and "plan.numb_clock" not in rules(gone)
    without = early.plan.with_stage(early.plan.stage("s2").with_settings({"school": "none"}))
    assert "plan.numb_clock" not in rules(visit_plan(who, without))


def lines(found: tuple[TrayLine, ...]) -> dict[str, tuple[str, tuple[str, ...]]]:
    return {line.what: (line.amount, line.for_) for line in found}


def test_the_tray_names_each_thing_once_with_its_amounts_and_what_it_is_for() -> None:
    who = somebody()
    tray = tray_of(who, planned(who, "cleanse", "numbing", "wet_abrasion", "microcurrent", "nano", "finish"))
    products, protection, checks = lines(tray.products), lines(tray.protection), lines(tray.checks)
    assert products["serum"][1] == ("Wet abrasion", "Microcurrent lift") and products["sterile serum"][1] == (
        "Nano needling",
        "Finish",
    )
    amount, what_for = products["gel"]
    assert amount.endswith(" mL") and what_for == ("Microcurrent lift", "Current medium")
    assert (
        products["solution, all stages"][0].endswith(" mL")
        and products["acid"][0] == ""
        and "acid solution" not in products
    )
    assert products["towels"] == ("", ()), "at hand on every visit"
    assert products["70 % alcohol"][1] == ("Taking numbing off",), "what the school in force needs"
    assert "infrared thermometer" not in products, "of a school for what is not planned"
    assert "crystals" not in products and "astringent" not in products, "of what is not planned, nothing"
    assert protection["gloves"][1] == ("Numbing", "Nano needling")
    assert "lift unit: output tried on the own hand" in checks and "Numbing: label read, grams weighed" in checks
    assert lines(tray.machines)["lift unit"] == ("", ("Microcurrent lift",))


def test_the_tray_names_the_tip_that_is_set_and_whether_it_is_still_sealed() -> None:
    tips = (CardTip(name="small", across_mm=8, down_mm=8), CardTip(name="face", across_mm=16, down_mm=16))
    sealed = tuple(tip.model_copy(update={"single_use": True}) for tip in tips)

    def tip_of(given: tuple[CardTip, ...], set_to: str) -> str:
        who = somebody(machines=(Machine(id="b", card=machine("pulsed_light", tips=given)),))
        return lines(tray_of(who, planned(who, "pulsed_light", tip=set_to)).machines)["pulsed_light unit"][0]

    assert tip_of(tips, "face") == "face" and tip_of(tips, "small") == "small"
    assert tip_of(tips, "") == "small", "the first, where none is named"
    assert tip_of(sealed, "face") == "face, single use, still sealed"


def test_a_plan_of_nothing_has_a_tray_of_what_is_always_there() -> None:
    who = somebody()
    tray = tray_of(who, visit_plan(who, Plan()))
    assert not tray.machines and not tray.checks and len(tray.products) == 6
