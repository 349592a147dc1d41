"""The plan: start values, ceilings, minutes, the side to start on, and workings that add up."""

from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders.briefs import TODAY, brief, machines, plan_of, planned
from builders.machines import LIFT, PANEL, UNMEASURED
from merak.core.client import Findings
from merak.core.errors import Refused
from merak.core.knowledge import all_ids, book, methods, number
from merak.core.modality import led as red_light
from merak.core.modality.before import Before
from merak.core.modality.device import LedCard, MicrocurrentCard
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Wish
from merak.core.plan.fitting import may_run_beside
from merak.core.plan.proposals import proposals
from merak.core.plan.routine import fitted, routine_of
from merak.core.plan.screening import Answer, Override
from merak.core.plan.side import first_side
from merak.core.plan.stage import Stage, begin
from merak.core.plan.step import step_of
from merak.core.plan.tray import tray_of
from merak.core.plan.visit_plan import Plan, VisitPlan, between, in_force, visit_plan
from merak.core.working import Quantity


def plan_with(who: Brief, modality: str = "microcurrent", **changes: Any) -> VisitPlan:
    return planned(who, modality, **changes)


def start_level(who: Brief) -> float:
    return float(plan_of(who, "microcurrent").stages[0].settings.level)


def test_start_level_follows_first_visit_sensitivity_and_last_time() -> None:
    assert start_level(brief()) == 3
    assert start_level(brief(findings=Findings(sensitive=True))) == 2
    assert start_level(brief(history={"microcurrent": Before(at=4.5)})) == 4.5
    assert start_level(brief(history={"microcurrent": Before(at=4.5, redness=3)})) == 3.5
    assert start_level(brief(history={"microcurrent": Before(at=1, redness=4)})) == 0.5, "a half step below the first"
    assert start_level(brief(findings=Findings(sensitive=True), history={"microcurrent": Before(at=4.5)})) == 4.5, (
        "where it ended was fitted to that skin"
    )
    assert start_level(brief(machines=machines(LIFT.model_copy(update={"levels": 20})))) == 6, (
        "3 of 10 is a share of the scale"
    )


def test_over_bone_one_level_lower() -> None:
    plan = plan_with(brief(), level=4)
    levels = {(line.path, line.level) for act in plan.acts for line in act.lines}
    assert ("forehead", 3) in levels and ("brow", 3) in levels
    assert ("middle", 4) in levels


def test_current_above_the_absolute_ceiling_is_refused_beside_the_level() -> None:
    plan = plan_with(brief(), level=9.9)
    assert plan.numbers["s1.current"].value == pytest.approx(1129, abs=1)
    assert plan.refused["s1.level"].rule == "microcurrent.ceiling.current"
    assert not plan.startable


@pytest.mark.parametrize(("polarity", "refused"), [("alternating", False), ("positive", True), ("negative", True)])
def test_density_warns_and_stops_direct_current(polarity: str, refused: bool) -> None:
    small = LIFT.model_copy(update={"contact_cm2": 0.2})
    plan = plan_with(brief(machines=machines(small)), level=3, polarity=polarity)  # 150 µA on 0.2 cm²
    assert plan.numbers["s1.density"].value == pytest.approx(0.75)
    assert ("s1.level" in plan.refused) == refused
    assert ("s1.alkali" in plan.numbers) == (polarity != "alternating"), "only steady current leaves alkali behind"
    assert refused or any(caution.rule == "microcurrent.density.warn" for caution in plan.cautions["s1"])


def test_without_calibration_doses_are_unknown_and_the_level_is_the_ceiling() -> None:
    who = brief(machines=machines(UNMEASURED))
    assert plan_with(who, level=5).startable
    plan = plan_with(who, level=5.5)
    assert plan.numbers["s1.charge"].text == "unknown"
    assert plan.refused["s1.level"].rule == "microcurrent.unknown_dose.level"


@settings(max_examples=60)
@given(st.floats(0.5, 30), st.sampled_from(["alternating", "positive"]), st.floats(0.1, 5), st.booleans())
def test_no_startable_plan_passes_a_ceiling(level: float, polarity: str, contact: float, measured: bool) -> None:
    card = MicrocurrentCard(name="unit", contact_cm2=contact, calibration=LIFT.calibration if measured else ())
    plan = plan_with(brief(machines=machines(card)), level=level, polarity=polarity)
    act = next(act for act in plan.acts if act.lines)
    for tried in (level, act.level_most) if plan.startable else ():
        current = card.current_ua(tried)
        assert tried <= card.levels
        assert current is None or current <= number("microcurrent.ceiling.current")
        assert current is not None or tried <= 5
        assert polarity == "alternating" or current is None or current / 1000 / contact < 0.5


def test_minutes_are_lines_times_travel_hold_and_setting_down() -> None:
    plan = plan_with(brief(), paths=["middle"], repeats=2, hold_s=4, speed_mm_s=10)
    right = next(act for act in plan.acts if act.side == "right")
    (line,) = right.lines
    (a, b), (c, d) = line.points
    travel = ((a - c) ** 2 + (b - d) ** 2) ** 0.5
    assert right.seconds == round(2 * (travel / 10 + 4 + 3) + 20)
    assert right.strokes == 2
    held = plan_with(brief(), paths=["middle"], repeats=2, hold_s=4, speed_mm_s=10, technique="paired strokes")
    assert next(act for act in held.acts if act.side == "right").seconds == round(2 * (travel / 10 + 3) + 20), (
        "paired strokes do not hold"
    )


def test_red_light_stops_at_its_fluence_and_at_the_clock() -> None:
    assert plan_with(brief(), "led", minutes=25.8).startable
    over = plan_with(brief(), "led", minutes=25.9)
    assert over.refused["s1.minutes"].rule == "led.ceiling.red_fluence"
    beyond = plan_with(brief(), "led", minutes=39, distance_cm=60)
    assert beyond.startable and beyond.numbers["s1.fluence"].value is None, (
        "past the measured points the dose is unknown"
    )
    assert plan_with(brief(), "led", minutes=41, distance_cm=60).refused["s1.minutes"].rule == "led.ceiling.minutes"
    strong = brief(machines=machines(panel=LedCard(name="strong", points=((5, 300), (10, 200)))))
    assert plan_with(strong, "led").startable, "the start minutes already keep under the ceiling"
    assert plan_with(brief(), "led", cover="sheet mask").numbers["s1.fluence"].value is None


@pytest.mark.parametrize(
    ("heights", "side", "how"),
    [
        ((12, 10, 20, 19), "right", "measured"),
        ((9, 11, 20, 21), "left", "measured"),
        ((10, 10.4, 20, 20), "right", "level"),
        ((None, 11, None, None), "right", "unmeasured"),
        ((None, None, 18, 20.5), "left", "measured"),
    ],
)
def test_the_higher_side_first(heights: tuple[float | None, ...], side: str, how: str) -> None:
    first = first_side(
        Findings(brow_right_mm=heights[0], brow_left_mm=heights[1], cheek_right_mm=heights[2], cheek_left_mm=heights[3])
    )
    assert (first.side, first.how) == (side, how)
    who = brief(
        findings=Findings(
            brow_right_mm=heights[0], brow_left_mm=heights[1], cheek_right_mm=heights[2], cheek_left_mm=heights[3]
        )
    )
    acts = planned(who, "microcurrent").acts
    assert [act.side for act in acts if act.side] == [side, "left" if side == "right" else "right"]


def parts(quantity: Quantity) -> list[Quantity]:
    return [quantity, *(part for below in quantity.inputs for part in parts(below))]


def test_every_number_shows_its_working_from_known_rules() -> None:
    plan, known = planned(brief(), "cleanse", "microcurrent", "led"), set(all_ids())
    for key, quantity in plan.numbers.items():
        assert quantity.formula or quantity.rules or key == "s3.minutes", key
        assert {rule for part in parts(quantity) for rule in part.rules} <= known, key
    assert {caution.rule for cautions in plan.cautions.values() for caution in cautions} <= known
    assert VisitPlan.model_validate_json(plan.model_dump_json()) == plan, "the record keeps it whole"


def test_two_colours_are_two_stages_and_each_keeps_its_ceiling() -> None:
    panel = PANEL.model_copy(
        update={"colours": dict.fromkeys(("near-infrared", "blue"), ((5, 44), (10, 29), (15, 19)))}
    )
    who = brief(machines=machines(panel=panel))

    def lit(minutes: float, colour: str, then: float, duty: float) -> VisitPlan:
        (first,) = plan_of(who, "led", minutes=minutes, colour=colour, duty_percent=duty).stages
        second = first.with_settings(first.values | {"minutes": then, "colour": "red"}).model_copy(update={"id": "s2"})
        return visit_plan(who, Plan(steps=(step_of(first, second),)))

    plan = lit(10, "near-infrared", 8, 50)
    assert [(act.title, act.seconds) for act in plan.acts if act.modality == "led"] == [
        ("Near-infrared light", 600),
        ("Red light", 480),
    ]
    assert plan.numbers["s1.fluence"].value == pytest.approx(29 * 600 / 1000 / 2)
    assert plan.numbers["s2.fluence"].value == pytest.approx(62 * 480 / 1000 / 2)
    assert lit(28, "blue", 5, 100).refused["s1.minutes"].rule == "led.ceiling.blue_fluence"
    assert red_light.NAME in who.offered


def test_blue_light_is_stopped_by_what_stops_blue_only() -> None:
    who = brief({"melasma": Answer(option="yes")})
    assert planned(who, "led").startable
    plan = planned(who, "led", colour="blue")
    assert plan.stopped["s1"].rule == "screening.melasma" and not plan.startable


# What fits with what.


def rules_of(plan: VisitPlan) -> set[str]:
    return {clash.rule for clash in plan.clashes}


KNOWN: dict[str, Any] = {
    "findings": Findings(phototype=2),
    "returning": True,
    "senior": True,
    "licences": frozenset({"pulsed light", "fractional", "focused", "micro depth"}),
    "slot": 240,
}


@pytest.mark.parametrize(
    ("names", "rule"),
    [
        (("wet_abrasion", "focused_lifting"), "fit.abrade_heat"),
        (("wet_abrasion", "rf_bulk"), "skin.thinned"),
        (("rf_bulk", "wet_abrasion"), "skin.heated"),
        (("peel", "microcurrent"), "skin.thinned"),
        (("diamond", "wet_abrasion"), "fit.one_abrasion"),
        (("enzyme", "micro_needling", "touch"), "skin.opened"),
        (("numbing", "oxygen_mask"), "fit.numb_oxygen"),
        (("numbing", "rf_bulk"), "fit.never_numb"),
        (("cold", "rf_bulk"), "skin.calmed"),
        (("oxygen_airbrush", "rf_bulk"), "skin.calmed"),
        (("microcurrent", "iontophoresis"), "fit.order_infuse"),
        (("pulsed_light", "enzyme"), "fit.light_alone"),
        (("rf_fractional",), "skin.numbed"),
        (("extract",), "skin.soft"),
        (("finish", "led"), "fit.order_finish"),
        (("finish", "led", "cleanse"), "skin.clean"),
        (("peel", "nano"), "skin.thinned"),
        (("crystal",), "skin.dry"),
        (("microcurrent", "rf_bulk", "led", "finish"), ""),
        (("rf_bulk", "led"), "fit.finish"),
    ],
)
def test_what_does_not_fit_is_told_by_its_rule(names: tuple[str, ...], rule: str) -> None:
    who = brief(**KNOWN)
    found = rules_of(planned(who, *names)) - {"budget.load"}
    assert rule in found if rule else not found


def test_a_schools_choice_moves_what_follows() -> None:
    who = brief(**KNOWN)
    later = Plan(steps=plan_of(who, "microcurrent", "iontophoresis").steps, methods={"infusion": "after"})
    assert "fit.order_infuse" not in rules_of(visit_plan(who, later))
    assert may_run_beside("numbing", "led", {"numbing": "light"}) and not may_run_beside("numbing", "led", {})
    schools = [school for method in methods().values() for school in method.schools]
    assert len(methods()) >= 24 and all(school.action for school in schools)


def test_waiting_time_is_a_track_of_its_own_and_saves_minutes() -> None:
    who = brief(**KNOWN)
    alone = plan_of(who, "mask", "led")
    together = alone.with_step(alone.steps[1].model_copy(update={"beside": "s1"}))
    apart, beside = visit_plan(who, alone), visit_plan(who, together)
    assert apart.seconds - beside.seconds == next(span.seconds for span in beside.spans if span.track == 1)
    assert beside.seconds == sum(act.seconds for act in beside.acts if act.beside is None), "the chair counts the same"
    assert [act.title for act in beside.acts] == ["Mask on", "Mask", "Panel", "Red light"]
    assert [act.beside for act in beside.acts] == [None, None, 1, 1], "the mask's clock goes on while the light runs"
    numb = plan_of(who, "numbing", "enzyme", "rf_fractional")
    assert "plan.numb_clock" not in rules_of(visit_plan(who, numb))


def test_the_whole_visit_keeps_the_slot_the_money_the_budget_and_the_event() -> None:
    many = ("cleanse", "wet_abrasion", "oxygen_airbrush", "mask", "led", "finish")
    assert "plan.slot" in rules_of(planned(brief(slot=40), *many))
    assert "plan.price" in rules_of(planned(brief(wish=Wish(money=50), slot=240), *many))
    sore = brief(findings=Findings(sensitive=True, phototype=5), slot=240)
    assert sore.budget.value == 2 and "budget.load" in rules_of(planned(sore, "dry", "diamond"))
    assert "event.never" in rules_of(planned(brief(wish=Wish(event=TODAY), slot=240), "dry", "diamond"))


AT = datetime(2026, 11, 25, 9, tzinfo=UTC)


def test_a_senior_plans_past_exactly_what_was_written_and_past_nothing_absolute() -> None:
    over = planned(brief(), "led", minutes=26)
    stop = over.refused["s1.minutes"]
    word = Override(rule=stop.rule, modality="led", words=stop.words, reason="tolerated before", by="Adaeze", at=AT)
    past = planned(brief(overrides=(word,)), "led", minutes=26)
    assert past.startable and "Adaeze" in past.allowed[0].action and "tolerated before" in past.allowed[0].action
    assert not planned(brief(overrides=(word,)), "led", minutes=27).startable, "one minute more was not allowed"
    high = planned(brief(), "microcurrent", level=9.9).refused["s1.level"]
    never = Override(
        rule=high.rule, modality="microcurrent", words=high.words, reason="tolerated before", by="Adaeze", at=AT
    )
    assert not planned(brief(overrides=(never,)), "microcurrent", level=9.9).startable
    for pairing in book().pairing:
        assert pairing.absolute == (pairing.id in ("fit.numb_oxygen", "fit.never_numb", "fit.needles_acids"))
    clashing = planned(brief(slot=240), "numbing", "rf_bulk")
    (clash,) = [one for one in clashing.clashes if one.absolute and not one.mend]
    signed = Override(
        rule=clash.rule,
        modality=between(clashing.plan, clash),
        words=clash.action,
        reason="tolerated before",
        by="A",
        at=AT,
    )
    assert not planned(brief(slot=240, overrides=(signed,)), "numbing", "rf_bulk").startable


def test_a_routine_keeps_kinds_and_is_fitted_to_whoever_comes() -> None:
    first = brief(**KNOWN)
    plan = plan_of(first, "cleanse", "microcurrent", "peel", "mask", "led")
    plan = plan.with_stage(plan.stages[1].with_settings(plan.stages[1].values | {"level": 7, "polarity": "positive"}))
    plan = plan.with_step(plan.steps[4].model_copy(update={"beside": "s4"}))
    routine = routine_of(first, plan, "Evening lift")
    (lift,) = routine.steps[1].stages
    assert "level" not in lift.kinds and lift.kinds["polarity"] == "positive"
    other = brief({"heart": Answer(option="yes")}, findings=Findings(sensitive=True))
    again, left = fitted(other, routine)
    assert [step.modality for step in again.steps] == ["cleanse", "peel", "mask", "led"] and left[0][
        0
    ] == "Microcurrent lift"
    assert again.steps[3].beside == again.steps[2].id
    calm, _ = fitted(brief(findings=Findings(sensitive=True)), routine)
    assert calm.stages[1].settings.level == 2, "the start of this client, not the level of that one"


def test_a_routine_is_for_what_was_found_and_not_for_what_was_looked_for() -> None:
    found = Findings.model_validate({"grades": {"acne": {"chin": 2, "nose bridge": 0}, "oil": {"chin": 0}}})
    who = brief(**(KNOWN | {"findings": found}))
    assert routine_of(who, plan_of(who, "cleanse"), "Clear").conditions == ("acne",)


def test_no_open_zone_never_means_everywhere() -> None:
    first = brief(**KNOWN)
    plan = plan_of(first, "cleanse", "microcurrent")
    routine = routine_of(first, plan.with_stage(plan.stages[1].model_copy(update={"zones": ("forehead",)})), "Brow")
    injected = Answer(option="relaxant", on=TODAY, zones=("forehead",))
    again, left = fitted(brief({"injections": injected}), routine)
    assert [step.modality for step in again.steps] == ["cleanse"] and "closed today" in left[0][1]
    plugs = Findings(phototype=2, grades={"congestion": {"right forehead": 3}})
    broken = brief({"infection": Answer(option="skin", on=TODAY, zones=("forehead",))}, findings=plugs, returning=True)
    for one in proposals(broken):
        assert "extract" not in {step.modality for step in one.plan.steps}


def test_the_tray_lists_each_thing_once_with_its_amount() -> None:
    who = brief(**KNOWN)
    found = tray_of(who, planned(who, "cleanse", "microcurrent", "iontophoresis", "led"))
    assert {line.what for line in found.machines} == {"lift unit", "iontophoresis unit", "panel"}
    gel = next(line for line in found.products if line.what == "gel")
    assert gel.amount.endswith("mL") and [line.what for line in found.products].count("electrode sponge") == 1
    assert any("eye pads" in line.what for line in found.protection) and any(
        "own hand" in line.what for line in found.checks
    )


def test_what_is_never_planned_is_not() -> None:
    with pytest.raises(Refused):
        begin(brief({"metal": Answer(option="body")}), "focused_lifting", "s1", in_force(brief(), Plan()))
    plan = visit_plan(
        brief(),
        Plan(
            steps=(
                step_of(Stage(id="s1", modality="physician_resurfacing")),
                step_of(Stage(id="s2", modality="pulsed_light")),
            )
        ),
    )
    assert plan.stopped["s1"].rule == "physician.never" and not plan.startable
