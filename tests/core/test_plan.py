"""The plan: start values, ceilings, minutes, the side to start on, and workings that add up."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from merak.core.client import Findings, LastTime
from merak.core.knowledge import all_ids, number
from merak.core.modality import led as red_light
from merak.core.modality import microcurrent
from merak.core.modality.device import LedCard, MicrocurrentCard
from merak.core.plan.side import first_side
from merak.core.plan.visit_plan import Brief, Choice, VisitPlan, start_choice, visit_plan
from merak.core.working import Quantity
from tests.core.making import LIFT, PANEL, TODAY, UNMEASURED, brief


def plan_with(who: Brief, modality: str = "microcurrent", **changes: object) -> VisitPlan:
    choice, _ = start_choice(who)
    settings_ = getattr(choice, modality)
    changed = type(settings_).model_validate(settings_.model_dump() | changes)
    return visit_plan(who, choice.model_copy(update={modality: changed}))


def start_level(who: Brief) -> float:
    choice, _ = start_choice(who)
    assert choice.microcurrent
    return choice.microcurrent.level


def test_start_level_follows_first_visit_sensitivity_and_last_time() -> None:
    assert start_level(brief()) == 3
    assert start_level(brief(findings=Findings(sensitive=True))) == 2
    assert start_level(brief(last=LastTime(on=TODAY, level=4.5))) == 4.5
    assert start_level(brief(last=LastTime(on=TODAY, level=4.5, redness=3))) == 3.5
    assert start_level(brief(last=LastTime(on=TODAY, level=1, redness=4))) == 1, "never below one"
    assert start_level(brief(microcurrent_card=LIFT.model_copy(update={"levels": 20}))) == 6, "3 of 10 is a share of the scale"


def test_over_bone_one_level_lower() -> None:
    plan = plan_with(brief(), level=4)
    levels = {(line.path, line.level) for step in plan.steps for line in step.lines}
    assert ("forehead", 3) in levels and ("brow", 3) in levels
    assert ("middle", 4) in levels


def test_current_above_the_absolute_ceiling_is_refused_beside_the_level() -> None:
    plan = plan_with(brief(), level=9.9)
    assert plan.numbers["microcurrent.current"].value == pytest.approx(1129, abs=1)
    assert plan.refused["microcurrent.level"].rule == "microcurrent.ceiling.current"
    assert not plan.startable


@pytest.mark.parametrize(("polarity", "refused"), [("alternating", False), ("positive", True), ("negative", True)])
def test_density_warns_and_stops_direct_current(polarity: str, refused: bool) -> None:
    small = LIFT.model_copy(update={"contact_cm2": 0.2})
    plan = plan_with(brief(microcurrent_card=small), level=3, polarity=polarity)  # 150 µA on 0.2 cm²
    assert plan.numbers["microcurrent.density"].value == pytest.approx(0.75)
    assert ("microcurrent.level" in plan.refused) == refused
    assert ("microcurrent.alkali" in plan.numbers) == (polarity != "alternating"), "only steady current leaves alkali behind"
    assert refused or any(caution.rule == "microcurrent.density.warn" for caution in plan.cautions)


def test_without_calibration_doses_are_unknown_and_the_level_is_the_ceiling() -> None:
    who = brief(microcurrent_card=UNMEASURED)
    assert plan_with(who, level=5).startable
    plan = plan_with(who, level=5.5)
    assert plan.numbers["microcurrent.charge"].text == "unknown"
    assert plan.refused["microcurrent.level"].rule == "microcurrent.unknown_dose.level"


@settings(max_examples=60, deadline=None)
@given(st.floats(0.5, 30), st.sampled_from(["alternating", "positive"]), st.floats(0.1, 5), st.booleans())
def test_no_startable_plan_passes_a_ceiling(level: float, polarity: str, contact: float, measured: bool) -> None:
    card = MicrocurrentCard(name="unit", contact_cm2=contact, calibration=LIFT.calibration if measured else ())
    plan = plan_with(brief(microcurrent_card=card), level=level, polarity=polarity)
    step = next(step for step in plan.steps if step.lines)
    for tried in (level, step.level_most) if plan.startable else ():
        current = card.current_ua(tried)
        assert tried <= card.levels
        assert current is None or current <= number("microcurrent.ceiling.current")
        assert current is not None or tried <= 5
        assert polarity == "alternating" or current is None or current / 1000 / contact < 0.5


def test_minutes_are_lines_times_travel_hold_and_setting_down() -> None:
    plan = plan_with(brief(), paths=["middle"], repeats=2, hold_s=4, speed_mm_s=10)
    right = next(step for step in plan.steps if step.side == "right")
    (line,) = right.lines
    (a, b), (c, d) = line.points
    travel = ((a - c) ** 2 + (b - d) ** 2) ** 0.5
    assert right.seconds == round(2 * (travel / 10 + 4 + 3))
    assert right.strokes == 2
    held = plan_with(brief(), paths=["middle"], repeats=2, hold_s=4, speed_mm_s=10, technique="paired strokes")
    assert next(step for step in held.steps if step.side == "right").seconds == round(2 * (travel / 10 + 3)), "paired strokes do not hold"


def test_red_light_stops_at_its_fluence_and_at_the_clock() -> None:
    assert plan_with(brief(), "led", minutes=25.8).startable
    over = plan_with(brief(), "led", minutes=25.9)
    assert over.refused["led.minutes"].rule == "led.ceiling.red_fluence"
    beyond = plan_with(brief(), "led", minutes=39, distance_cm=60)
    assert beyond.startable and beyond.numbers["led.fluence"].value is None, "past the measured points the dose is unknown"
    assert plan_with(brief(), "led", minutes=41, distance_cm=60).refused["led.minutes"].rule == "led.ceiling.minutes"
    strong = brief(led_card=LedCard(name="strong", points=((5, 300), (10, 200))))
    assert plan_with(strong, "led").startable, "the start minutes already keep under the ceiling"
    assert plan_with(brief(led_card=PANEL), "led", cover="sheet mask").numbers["led.fluence"].value is None


@pytest.mark.parametrize(
    ("heights", "side", "how"),
    [((12, 10, 20, 19), "right", "measured"), ((9, 11, 20, 21), "left", "measured"), ((10, 10.4, 20, 20), "right", "level"),
     ((None, 11, None, None), "right", "unmeasured"), ((None, None, 18, 20.5), "left", "measured")],
)  # fmt: skip
def test_the_higher_side_first(heights: tuple[float | None, ...], side: str, how: str) -> None:
    first = first_side(Findings(brow_right_mm=heights[0], brow_left_mm=heights[1], cheek_right_mm=heights[2], cheek_left_mm=heights[3]))
    assert (first.side, first.how) == (side, how)
    steps = visit_plan(brief(), Choice(microcurrent=microcurrent.Settings(level=2), side=first.side)).steps
    assert [step.side for step in steps if step.side] == [side, "left" if side == "right" else "right"]


def parts(quantity: Quantity) -> list[Quantity]:
    return [quantity, *(part for below in quantity.inputs for part in parts(below))]


def test_every_number_shows_its_working_from_known_rules() -> None:
    plan, known = plan_with(brief()), set(all_ids())
    for key, quantity in plan.numbers.items():
        assert quantity.formula or quantity.rules or key == "led.minutes", key
        assert {rule for part in parts(quantity) for rule in part.rules} <= known, key
    assert {caution.rule for caution in plan.cautions} <= known
    assert VisitPlan.model_validate_json(plan.model_dump_json()) == plan, "the record keeps it whole"


def test_two_colours_are_two_steps_and_each_keeps_its_ceiling() -> None:
    panel = PANEL.model_copy(update={"colours": dict.fromkeys(("near-infrared", "blue"), ((5, 44), (10, 29), (15, 19)))})
    light = red_light.Settings(minutes=10, colour="near-infrared", then="red", then_minutes=8, duty_percent=50)
    plan = visit_plan(brief(led_card=panel), Choice(led=light))
    assert [(step.title, step.seconds) for step in plan.steps if step.modality == "led"] == [
        ("Near-infrared light", 600),
        ("Red light", 480),
    ]
    assert plan.numbers["led.fluence"].value == pytest.approx(29 * 600 / 1000 / 2)
    assert plan.numbers["led.then_fluence"].value == pytest.approx(62 * 480 / 1000 / 2)
    steady = light.model_copy(update={"colour": "blue", "minutes": 28, "then_minutes": 5, "duty_percent": 100})
    assert visit_plan(brief(led_card=panel), Choice(led=steady)).refused["led.minutes"].rule == "led.ceiling.blue_fluence"
    unmeasured = visit_plan(brief(), Choice(led=light))
    assert unmeasured.numbers["led.fluence"].value is None and unmeasured.startable, "its near-infrared was never measured: the clock holds"


def test_blue_is_not_planned_on_answers_that_were_given_for_red() -> None:
    for light, field in (
        (red_light.Settings(minutes=5, colour="blue"), "led.colour"),
        (red_light.Settings(minutes=5, then="blue", then_minutes=5), "led.then"),
    ):
        plan = visit_plan(brief(), Choice(led=light))
        assert plan.refused[field].rule == "led.blue_unscreened" and not plan.startable
