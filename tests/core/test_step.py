"""One step of a plan: which aspects it touches, what follows from the rest, how last time carries over, who may."""

import json
from datetime import timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from builders.briefs import EVERY_LICENCE, TODAY, brief, machines, nothing_found, plan_of, planned
from builders.machines import machine
from merak.core.after.aftercare import tags_of
from merak.core.client import Findings
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import conditions
from merak.core.modality.before import Before
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import LedCard
from merak.core.modality.microcurrent import lift
from merak.core.modality.shared import incremented
from merak.core.plan.brief import Brief, workable
from merak.core.plan.facts import Machine
from merak.core.plan.screening import Answer, Letter
from merak.core.plan.stage import Stage, Unfit, compute, derived, grounds
from merak.core.plan.step import begin_step, compute_step, step_of, worked_step
from merak.core.plan.visit_plan import Plan, VisitPlan, in_force
from merak.core.spots import SpotAnswer, SpotRead

THEN = TODAY - timedelta(days=30)


def settings(modality: str, **said: Any) -> Any:
    return plan_of(known(), modality, **said).stages[0].settings


def known(modality: str = "", before: Before | None = None, **changes: Any) -> Brief:
    history = {"peel": Before(on=THEN), "pulsed_light": Before(on=THEN)} | ({modality: before} if before else {})
    base: dict[str, Any] = {"returning": True, "findings": Findings(phototype=2), "history": history, "senior": True}
    answers = changes.pop("answers", None)
    return brief(answers, **(base | {"licences": EVERY_LICENCE} | changes))


@pytest.mark.parametrize(
    ("modality", "said", "touched"),
    [
        ("led", {"colour": "red"}, set()),
        ("led", {"colour": "blue"}, {"led_blue"}),
        ("led", {"colour": "near-infrared"}, {"led_near_infrared"}),
        ("led", {"colour": "red", "duty_percent": 99}, {"led_pulsed"}),
        ("numbing", {"prilocaine_percent": 0}, set()),
        ("numbing", {"prilocaine_percent": 2.5}, {"prilocaine"}),
        ("peel", {"acid": "lactic", "percent": 10}, set()),
        ("peel", {"acid": "lactic", "percent": 10.5}, {"strong_acid"}),
        ("peel", {"acid": "salicylic", "percent": 2}, {"salicylic"}),
        ("wet_abrasion", {"at": 4}, set()),
        ("wet_abrasion", {"at": 4, "kind": "salicylic"}, {"wet_salicylic"}),
        ("wet_abrasion", {"at": 4.5}, {"brisk_suction"}),
        ("wet_abrasion", {"at": 5}, {"brisk_suction"}),
        ("wet_abrasion", {"at": 5.5, "kind": "infuse"}, {"brisk_suction", "strong_suction"}),
        ("wet_abrasion", {"at": 2, "kind": "peel", "percent": 10}, {"wet_salicylic"}),
        ("wet_abrasion", {"at": 2, "kind": "peel", "percent": 11}, {"wet_salicylic", "strong_acid"}),
        ("wet_abrasion", {"at": 2, "kind": "salicylic", "percent": 11}, {"wet_salicylic"}),
        ("wet_abrasion", {"at": 2, "kind": "booster", "percent": 11}, set()),
        ("microcurrent", {}, set()),
    ],
)
def test_the_aspects_that_settings_touch(modality: str, said: dict[str, Any], touched: set[str]) -> None:
    assert set(settings(modality, **said).aspects((0, 10))) == touched


def test_suction_is_judged_on_the_machines_own_scale() -> None:
    """20 of 40 kPa is 5 of 10: brisk, and not strong; what is told agrees with what is refused."""
    at = settings("wet_abrasion", at=8)
    assert set(at.aspects((0, 40))) == set()
    assert set(at.aspects((0, 10))) == {"brisk_suction", "strong_suction"}
    wide = machine("wet_abrasion", least=0.0, most=40.0, step=1.0)
    others = (one for one in machines() if getattr(one.card, "modality", "") != "wet_abrasion")
    answers = nothing_found(True) | {"clotting": Answer(option="thinners")}
    who = known(machines=(*others, Machine(id="wide", card=wide)), answers=answers)
    plan = planned(who, "wet_abrasion", at=8)
    told = [one.words for step in plan.cautions.values() for one in step]
    assert not [words for words in told if "bleeds and bruises" in words], "8 of 40 is 2 of 10"


@pytest.mark.parametrize(
    ("modality", "others", "says"),
    [
        ("micro_needling", ("led",), {"licensed": True, "comfort": "numbed"}),
        ("focused_lifting", (), {"place": "forehead", "width_mm": 60}),
        ("galvanic_softening", ("numbing",), {"skin": "numbed"}),
        ("iontophoresis", (), {"skin": "whole"}),
        ("peel", (), {"first_strong": False}),
        ("led", ("numbing", "peel"), {}),
    ],
)
def test_what_follows_from_the_rest_of_the_plan(modality: str, others: tuple[str, ...], says: dict[str, Any]) -> None:
    assert derived(modality, frozenset(others), known(), {}) == says


def test_what_follows_from_who_is_there() -> None:
    assert not derived("micro_needling", frozenset(), known(licences=frozenset()), {})["licensed"]
    assert derived("peel", frozenset(), brief(), {}) == {"first_strong": True}
    for acne, pustules in ((1, False), (2, True), (3, True)):
        found = Findings.model_validate({"grades": {"acne": {"chin": acne}}})
        assert derived("wet_abrasion", frozenset(), known(findings=found), {}) == {"pustules": pustules}
    for school, senior, allowed in (
        ("light", True, True),
        ("light", False, False),
        ("label", True, False),
        ("label", False, False),
    ):
        by = derived("numbing", frozenset(), known(senior=senior), {"numbing": school})
        assert by == {"clinic_allows_light": allowed}, (school, senior)


def at_start(modality: str, before: Before) -> float:
    stage = plan_of(known(modality, before), modality).stages[0]
    return float(getattr(stage.settings, MODALITIES[modality].INCREMENT.field))


@pytest.mark.parametrize(
    ("answer", "at"),
    [
        ({}, 5),
        ({"endpoint_seen": "seen"}, 5),
        ({"redness": 3}, 4),
        ({"redness": 2}, 5),
        ({"swelling": 3}, 4),
        ({"settled_late": True}, 4),
        ({"pain": 7}, 4),
        ({"pain": 6}, 5),
    ],
)
def test_where_last_time_ended_is_where_this_one_starts(answer: dict[str, Any], at: int) -> None:
    """On a scale of one to ten, in steps of one."""
    assert at_start("spatula", Before(at=5, on=THEN, **answer)) == at


@pytest.mark.parametrize(
    ("then", "answer", "at"),
    [
        (5, {"endpoint_seen": "not seen"}, 6),
        (5, {"endpoint_seen": "seen"}, 5),
        (5, {"endpoint_seen": "not seen", "stepped_up": True}, 5),
        (5, {"endpoint_seen": "not seen", "stepped_up": True, "graded": True, "improvement": 1}, 6),
        (4, {"endpoint_seen": "not seen"}, 4),
    ],
)
def test_a_step_up_is_never_more_than_a_fifth(then: int, answer: dict[str, Any], at: int) -> None:
    """Bulk radiofrequency at 5 W a level: 25 to 30 W is a fifth, 20 to 25 W is a quarter."""
    assert at_start("rf_bulk", Before(at=then, on=THEN, **answer)) == at


def words_of(plan: VisitPlan, rule: str) -> list[str]:
    return [one.words for step in plan.cautions.values() for one in step if one.rule == rule]


@pytest.mark.parametrize(
    ("now", "went", "weight"),
    [(5, "as then", "know"), (4, "gentler", "know"), (6, "stronger", "change")],
)
def test_what_last_time_says_is_told_and_a_stronger_setting_is_marked(now: float, went: str, weight: str) -> None:
    who = known("spatula", Before(at=5, on=THEN))
    plan = planned(who, "spatula", at=now)
    (told,) = [one for step in plan.cautions.values() for one in step if one.rule == "titration.same"]
    assert f": 5; now {now:g}, {went}." in told.words and told.weight == weight
    assert (told.action == "Go back, or let a senior decide.") == (went == "stronger")


def test_what_it_was_not_set_to_or_not_on_a_day_says_nothing() -> None:
    for before in (Before(on=THEN), Before(at=5), None):
        plan = planned(known("spatula", before), "spatula", at=5)
        assert not [one for step in plan.cautions.values() for one in step if one.rule.startswith("titration")]


def test_where_a_spot_was_read_since_it_speaks_and_last_time_does_not() -> None:
    since = known("peel", Before(at=1, on=THEN), spots=spot_at(1.5))
    assert not words_of(planned(since, "peel", minutes=1), "titration.same")
    assert words_of(planned(known("peel", Before(at=1, on=THEN)), "peel", minutes=1), "titration.same")


@pytest.mark.parametrize(("now", "stopped"), [(3, False), (2, False), (3.5, True), (4, True), (5, True)])
def test_after_an_incident_two_steps_lower_and_no_more(now: float, stopped: bool) -> None:
    who = known("spatula", Before(at=5, on=THEN, incident="Bruise, grade 2"))
    plan = planned(who, "spatula", at=now)
    stops = [stop for stop in plan.refused.values() if stop.rule == "titration.incident"]
    assert bool(stops) == stopped
    if stopped:
        assert "Two steps lower is 3" in stops[0].words


@pytest.mark.parametrize("modality", ["pulsed_light", "rf_fractional", "focused_lifting"])
def test_a_licence_is_asked_for(modality: str) -> None:
    own = {"pulsed_light": "pulsed light", "rf_fractional": "fractional", "focused_lifting": "focused"}[modality]
    assert plan_of(known(licences=frozenset({own})), modality).steps
    with pytest.raises(Refused, match="needs a licence"):
        plan_of(known(licences=EVERY_LICENCE - {own}), modality)


def test_a_senior_signs_where_one_is_asked_for() -> None:
    assert plan_of(known(senior=True, findings=Findings(phototype=5)), "pulsed_light").steps
    assert plan_of(known(senior=False, findings=Findings(phototype=3)), "pulsed_light").steps
    with pytest.raises(Refused, match="a senior decides"):
        plan_of(known(senior=False, findings=Findings(phototype=5)), "pulsed_light")


def test_careful_hands_hold_no_energy() -> None:
    def minded(modality: str, careful: bool) -> bool:
        return bool(words_of(planned(known(careful_hands=careful), modality), "screening.operator"))

    assert minded("microcurrent", True) and not minded("microcurrent", False) and not minded("touch", True)


def test_what_a_physician_does_is_never_planned() -> None:
    with pytest.raises(Refused):
        planned(known(), "physician_resurfacing")


#: Modality → a setting in the middle of its scale, one step gentler, one stronger (None: not foreseen, or too much).
CARRIED: dict[str, tuple[float, float, float | None]] = {
    "cold": (2, 3, 1),
    "peel": (1.5, 1, None),
    "enzyme": (5, 4, 6),
    "wet_abrasion": (3, 2, None),
    "led": (14, 12, 16),
    "crystal": (30, 25, None),
    "spatula": (5, 4, None),
    "oxygen_jet": (2, 1.9, None),
    "rf_bulk": (5, 4, 6),
    "focused_lifting": (0.5, 0.4, None),
    "nano": (2, 1, None),
}


@pytest.mark.parametrize("modality", CARRIED)
def test_last_time_is_carried_over_by_its_answer(modality: str) -> None:
    """As it ended; a step gentler after a reaction, never stronger; a step stronger where the endpoint was not seen."""
    middle, gentler, more = CARRIED[modality]
    field = MODALITIES[modality].INCREMENT.field
    sign = -1 if MODALITIES[modality].INCREMENT.down else 1
    assert at_start(modality, Before(at=middle, on=THEN)) == pytest.approx(middle), field
    down = at_start(modality, Before(at=middle, on=THEN, redness=3))
    assert sign * down <= sign * gentler + 1e-9, "at least a step gentler"
    up = at_start(modality, Before(at=middle, on=THEN, endpoint_seen="not seen"))
    assert up == pytest.approx(middle if more is None else more)
    after = at_start(modality, Before(at=middle, on=THEN, incident="Burn, grade 1"))
    assert sign * after < sign * down + 1e-9, "two steps lower after an incident"


@given(st.integers(1, 60), st.sampled_from((0.1, 0.05, 0.3, 0.7)), st.booleans())
def test_no_setting_carries_the_last_binary_places(steps: int, step: float, up: bool) -> None:
    """Steps of a tenth add up to 1.7 and not to 1.7000000000000002, wherever they began."""
    card = machine("oxygen_jet", least=0.5, most=60.0, step=step)
    at = settings("oxygen_jet").model_copy(update={"at": round(0.5 + steps * step, 6)})
    moved = incremented(MODALITIES["oxygen_jet"], at, card, up).at
    assert len(f"{moved!r}") <= 6


def test_lifting_and_light_begin_where_they_ended() -> None:
    assert at_start("microcurrent", Before(at=4, on=THEN)) == 4
    assert at_start("microcurrent", Before(at=4, on=THEN, endpoint_seen="not seen")) == 4.5
    assert at_start("microcurrent", Before(at=4)) == 4, "on a day that nobody wrote down"
    assert at_start("led", Before(at=14)) == 14
    assert at_start("microcurrent", Before(on=THEN)) == 3, "where it ended is not known"


def spot_at(at: float, days: int = 7) -> dict[str, SpotRead]:
    said = SpotAnswer(verdict="keep", set_to=at, words="", rule="chair.spot.kept")
    return {"peel": SpotRead(answer=said, on=TODAY - timedelta(days=days))}


def test_what_a_spot_was_read_for_is_the_start_and_the_most() -> None:
    """Until it was treated with: then last time speaks."""
    new = known(history={}, spots=spot_at(1.5))
    assert plan_of(new, "peel").stages[0].settings.minutes == 1.5
    for minutes, stopped in ((1.5, False), (1.4, False), (1.6, True)):
        stops = [one.rule for one in planned(new, "peel", minutes=minutes).refused.values()]
        assert ("chair.spot.once" in stops) == stopped, minutes
    again = known("peel", Before(at=1, on=THEN), spots=spot_at(1.5))
    assert plan_of(again, "peel").stages[0].settings.minutes == 1
    assert plan_of(known(history={}), "peel").stages[0].settings.minutes != 1.5


def test_a_zone_of_bulk_heat_is_as_large_as_its_power_warms() -> None:
    """100 cm² at once at the most; a weak machine warms less of it, one that was not measured is not judged by it."""

    def zone(*points: tuple[float, float]) -> float:
        unit = Machine(id="b", card=machine("rf_bulk", calibration=points))
        return float(plan_of(known(machines=(unit,)), "rf_bulk").stages[0].settings.zone_cm2)

    strong, weak = zone((1, 10), (10, 90)), zone((1, 0.5), (10, 8))
    assert strong == 100 and 16 <= weak < 100 and zone() == 100


ACNE = Findings.model_validate({"phototype": 2, "grades": {"acne": {"chin": 2}}})


def test_only_colours_that_the_panel_was_measured_for() -> None:
    """For acne blue, then red. What was not measured is left out; where it is the first, there is no light."""

    def colours(card: LedCard) -> list[str]:
        who = known(machines=(Machine(id="p", card=card),), findings=ACNE)
        acne = next(one for one in conditions()["acne"].consider if one.modality == "led")
        step, _ = begin_step(who, "led", "s1", in_force(who, Plan()), acne)
        return [stage.settings.colour for stage in step.stages]

    red, blue = ((5.0, 96.0), (25.0, 20.0)), ((5.0, 44.0), (25.0, 9.0))
    assert colours(LedCard(name="both", points=red, colours={"blue": blue})) == ["blue", "red"]
    assert colours(LedCard(name="blue only", colours={"blue": blue})) == ["blue"]
    with pytest.raises(Refused, match="was not measured in blue"):
        colours(LedCard(name="red only", points=red))


def test_a_time_that_nobody_knows_is_set_aside_and_told() -> None:
    """Twenty minutes, beside the mirror; a time that is known is taken as it is."""
    bare = known(machines=(Machine(id="b", card=machine("rf_bulk", calibration=())),))
    plan = planned(bare, "rf_bulk")
    assert words_of(plan, "plan.minutes_unknown") == [
        "How long Bulk radiofrequency takes cannot be computed; 20 minutes are set aside."
    ]
    assert plan.seconds == (3 + 21) * 60
    known_time = planned(known(), "rf_bulk")
    assert not words_of(known_time, "plan.minutes_unknown") and known_time.seconds > plan.seconds


@pytest.mark.parametrize(
    ("zones", "price"),
    [
        ((), 90),
        (("chin",), 90),
        (("chin", "jawline"), 110),
        (("chin", "jawline", "mid cheek"), 130),
        (("chin", "jawline", "mid cheek", "forehead"), 90),
    ],
)
def test_up_to_three_zones_are_asked_for_one_by_one(zones: tuple[str, ...], price: float) -> None:
    """Bulk radiofrequency: 90, and 20 for each zone more; from four on it is the whole face."""
    who = known()
    (stage,) = plan_of(who, "rf_bulk").stages
    assert compute_step(who, step_of(stage.model_copy(update={"zones": zones}))).price == price
    parts = [stage.model_copy(update={"id": f"s{n}", "zones": (zone,)}) for n, zone in enumerate(zones)]
    if parts:
        assert compute_step(who, step_of(*parts)).price == price, "as much in stages of one zone each"
    hands = plan_of(who, "cleanse").stages[0].model_copy(update={"zones": ("chin", "jawline")})
    assert compute_step(who, step_of(hands)).price == 0, "no price a zone is asked for it"


def minded(who: Brief, modality: str, rule: str) -> list[tuple[str, str]]:
    told = [one for step in planned(who, modality).cautions.values() for one in step]
    return [(one.words, one.action) for one in told if one.rule == rule]


def test_no_stroke_passes_a_zone_that_was_not_asked_for() -> None:
    who = known()
    (step,) = plan_of(who, "microcurrent").stages
    low = tuple(zone for zone in workable(who, "microcurrent") if zone != "forehead")

    def paths(zones: tuple[str, ...]) -> set[str]:
        worked = compute(who, step.model_copy(update={"zones": zones}), frozenset(), in_force(who, Plan()))
        on = grounds(who, worked.stage, worked.areas)
        found = lift(worked.settings, worked.machine.card if worked.machine else None, *on)
        return {line.path for side in found.lines.values() for line in side}

    assert paths(()) - paths(low) == {"forehead", "brow"} and {"low", "middle", "jaw lift"} <= paths(low)
    with pytest.raises(Refused, match="No line of the lift"):
        paths(("mid cheek",))


def test_what_an_answer_minds_names_its_zones_and_who_lifted_it() -> None:
    injected = Answer(option="relaxant", zones=("chin",), on=TODAY - timedelta(days=3))
    ((words, action),) = minded(known(answers={"injections": injected}), "touch", "screening.injections")
    assert words.endswith(" (chin) Left out.") and "lifted" not in action
    letter = Letter(rule="screening.diabetes", received=TODAY, until=TODAY + timedelta(days=100))
    who = known(answers={"diabetes": Answer(option="yes")}, letters=(letter,))
    ((words, action),) = minded(who, "microcurrent", "screening.diabetes")
    assert words.endswith("is not a safe signal.") and " letter was lifted by: " in action
    ((words, action),) = minded(known(answers={"allergy": Answer(option="other")}), "peel", "screening.allergy")
    assert "(" not in words and "Left out" not in words and "lifted" not in action


def test_settings_that_do_not_fit_are_kept_told_and_stand_for_what_was_done() -> None:
    """A bound may have changed since a plan was kept, or the modality lost a field."""
    kept = {"percent": 400, "gone": "since"}
    stage = Stage.model_validate_json(f'{{"id": "s1", "modality": "peel", "settings": {json.dumps(kept)}}}')
    assert isinstance(stage.settings, Unfit) and stage.values == kept
    assert Stage.model_validate_json(stage.model_dump_json()) == stage, "as it was written"
    with pytest.raises(BadInput) as told:
        compute(known(), stage)
    assert told.value.fields.keys() == {"s1.percent", "s1.gone"}
    assert "strong_acid" in tags_of("peel", stage.as_it_was), "what was done with it is told after it"
    assert Stage(id="s1", modality="peel", settings={}).settings == MODALITIES["peel"].Settings()
    with pytest.raises(ValidationError):
        stage.with_settings(kept)
    past = MODALITIES["peel"].Settings().model_copy(update={"percent": 400})  # a copy is not read when it is changed
    with pytest.raises(ValidationError):
        stage.with_settings(past)
    assert isinstance(Stage(id="s1", modality="peel", settings=past).settings, Unfit)


def test_what_is_refused_is_raised_anew_each_time() -> None:
    """What is remembered is asked by many: an error that is raised again and again would grow with each."""
    who = known()
    stage = Stage(id="s1", modality="peel", settings={"percent": 400})
    raised = []
    for _ in range(3):
        with pytest.raises(BadInput) as told:
            compute_step(who, step_of(stage))
        raised.append(told.value)
    assert len({id(one) for one in raised}) == 3 and raised[0].fields == raised[2].fields
    pregnant = known(answers={"pregnancy": Answer(option="pregnant")})
    energy = Stage(id="s2", modality="rf_bulk", settings={"at": 3})
    with pytest.raises(Refused, match="regnan"):
        compute_step(pregnant, step_of(energy))
    assert worked_step(pregnant, step_of(energy), frozenset(), {})[1][0].stage == "s2"
