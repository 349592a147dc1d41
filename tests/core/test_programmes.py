"""Programmes: the named lists of stages that a step may start with."""

from datetime import date
from typing import Any

import pytest

from builders.briefs import EVERY_LICENCE, brief, plan_of, planned
from builders.machines import PANEL
from merak.core import closed
from merak.core.client import Findings
from merak.core.errors import Refused
from merak.core.knowledge import Manner, Programme, Row, book, programmes
from merak.core.modality.before import Before
from merak.core.plan.facts import Machine
from merak.core.plan.routine import fitted, programme_kept
from merak.core.plan.screening import Answer
from merak.core.plan.stage import read_settings
from merak.core.plan.step import begin_step, programme_of, rows_of
from merak.core.plan.visit_plan import Plan, visit_plan

DONE = {name: Before(on=date(2026, 9, 1)) for name in ("peel", "pulsed_light")}
TOLERANT: dict[str, Any] = {
    "returning": True,
    "licences": EVERY_LICENCE,
    "senior": True,
    "findings": Findings(phototype=2),
    "slot": 480,
    "history": DONE,
}
WHO = brief(**TOLERANT)
#: Each of them, and what it needs around it, by the rule that says so.
NEEDS = {
    "cold.lines": set(),
    "crystal.to_the_bell": {"skin.dry"},
    "diamond.one_lane": {"skin.dry"},
    "ear_clips.rest": set(),
    "enzyme.coat": set(),
    "focused_lifting.two_depths": set(),
    "focused_lifting.shallow": set(),
    "led.blue_red": set(),
    "led.red_near_infrared": set(),
    "micro_needling.stamps": {"skin.numbed", "skin.clean"},
    "microcurrent.serum_gel": set(),
    "muscle_stimulation.thighs": set(),
    "nano.speed_by_zone": {"skin.clean"},
    "numbing.by_label": {"skin.dry"},
    "oxygen_airbrush.over_gel": {"skin.dry"},
    "oxygen_mask.to_the_minute": set(),
    "peel.ladder": set(),
    "pulsed_light.two_passes": set(),
    "pulsed_light.vessels": set(),
    "rf_bulk.to_temperature": set(),
    "rf_fractional.grid": {"skin.numbed", "skin.clean"},
    "ultrasound.infuse": set(),
    "wet_abrasion.bottles": set(),
}
EVERY = {one.id: one for there in programmes().values() for one in there}


def test_the_table_names_them_all() -> None:
    assert set(NEEDS) == set(EVERY)


@pytest.mark.parametrize("name", sorted(NEEDS))
def test_each_begins_within_every_ceiling_and_its_sums(name: str) -> None:
    """Alone in a plan of a client who bears it: nothing stands against it but what it needs around it."""
    step, left = begin_step(WHO, EVERY[name].modality, "s1", {}, programme=name)
    plan = visit_plan(WHO, Plan(steps=(step, begin_step(WHO, "finish", "s2", {})[0])))
    assert not plan.stopped and not plan.refused
    assert {one.rule for one in plan.clashes} == NEEDS[name]
    assert step.programme == name and (not left or "not measured" in left[0][1])
    for stage, row in zip(
        step.stages, (one for one in EVERY[name].stages if not one.optional and not one.only), strict=False
    ):
        settings = read_settings(stage, {}).model_dump()
        assert all(settings[key] == value for key, value in row.set.items()), "set as its row says"
        assert stage.how.model_dump() == row.model_dump(include=set(Manner.model_fields))


def test_what_is_optional_of_a_later_visit_or_of_another_school_waits() -> None:
    bottles = programme_of("wet_abrasion")
    assert bottles and bottles.usual

    def kinds(of: dict[str, str], visit: int) -> list[object]:
        return [row.set["kind"] for row in rows_of(bottles, of, visit)]

    assert kinds({}, 1) == kinds({}, 2) == ["acid", "salicylic", "infuse"]
    peeling = {"after_wet": "peel"}
    assert kinds(peeling, 1) == ["acid", "salicylic", "infuse"], "no peel on a first visit"
    assert kinds(peeling, 2) == ["acid", "peel", "salicylic", "infuse"]
    assert programme_of("wet_abrasion", "plain") is None and rows_of(None, {}, 1) == (Row(),)


def test_a_stage_that_cannot_be_is_left_out_and_told_but_never_the_first() -> None:
    """Blue, then red, on panels that were measured in one of them."""
    red = PANEL.model_copy(update={"colours": {}})
    blue = PANEL.model_copy(update={"points": (), "colours": {"blue": ((5.0, 44.0), (25.0, 9.0))}})
    step, left = begin_step(brief(machines=(Machine(id="p", card=blue),)), "led", "s1", {}, programme="led.blue_red")
    assert [one.settings.colour for one in step.stages] == ["blue"]
    assert left == (("Light-emitting panel", "The panel was not measured in red."),)
    with pytest.raises(Refused, match="not measured in blue"):
        begin_step(brief(machines=(Machine(id="p", card=red),)), "led", "s1", {}, programme="led.blue_red")
    feeding = brief({"pregnancy": Answer(option="breastfeeding")}, **TOLERANT)
    step, left = begin_step(feeding, "wet_abrasion", "s1", {})
    assert [one.settings.kind for one in step.stages] == ["acid", "infuse"] and left


def test_rows_go_where_they_say_within_the_step() -> None:
    step, left = begin_step(WHO, "ultrasound", "s1", {}, zones=("mid cheek", "chin"), programme="ultrasound.infuse")
    assert [one.zones for one in step.stages] == [("mid cheek", "chin")]
    assert left == (("Ultrasound infusion", "Its zones are not among those of the step."),)


def test_how_it_is_worked_is_said_at_the_chair() -> None:
    acid = next(act for act in planned(WHO, "wet_abrasion").acts if act.title == "Acid cleanse")
    assert acid.instruction.startswith("Lactic and glycolic cleanser. Lines: once, short, fast and light;")
    step, _ = begin_step(WHO, "cold", "s1", {}, programme="cold.lines")
    words = " ".join(act.instruction for act in visit_plan(WHO, Plan(steps=(step,))).acts)
    assert words.count("Lines: slow") == 1, "once, where it is counted"
    assert "Gel under. Lines: slow" in words and "Off by water, lukewarm." in words
    assert "Enough: the clock." in words, "what ends it is the row's"


def test_a_step_is_kept_as_a_programme_of_the_studio() -> None:
    plan = plan_of(WHO, "cleanse", "wet_abrasion")
    wet = plan.steps[1]
    kept = programme_kept(WHO, plan, wet, "Ours")
    assert kept.programme and [one.modality for one in kept.steps] == ["wet_abrasion"]
    (again,) = fitted(WHO, kept)[0].steps
    assert [one.settings for one in again.stages] == [one.settings for one in wet.stages]
    assert [one.manner for one in again.stages] == [one.manner for one in wet.stages]


BASE = {"id": "led.x", "modality": "led", "words": "x", "reason": "x", "source": "x", "mark": "P"}


@pytest.mark.parametrize(
    ("row", "words"),
    [
        ({"set": {"colour": "puce"}}, "led is not set to colour 'puce'"),
        ({"zones": ("nowhere",)}, "“nowhere”"),
        ({"only": "no=school"}, "“no=school”"),
        ({"clock": "at most"}, "a clock has minutes"),
        ({"most_min": 3}, "a clock has minutes"),
        ({"clock": "exactly", "least_min": 3, "most_min": 2}, "no more than its most"),
        ({"modality": "mask"}, "none of its stages is led"),
        ({"optional": True}, "none of its stages is led"),
    ],
)
def test_a_programme_that_cannot_be_stops_the_load(row: dict[str, Any], words: str) -> None:
    bad = Programme.model_validate(BASE | {"stages": (row,)})
    found = [str(one) for one in closed.faults(book().model_copy(update={"programme": (*book().programme, bad)}))]
    assert any(words in one for one in found), found


def test_a_step_begins_with_one_programme() -> None:
    usual = Programme.model_validate(BASE | {"modality": "wet_abrasion", "usual": True, "stages": ({},)})
    found = [str(one) for one in closed.faults(book().model_copy(update={"programme": (*book().programme, usual)}))]
    assert any("it begins with one programme" in one for one in found)


@pytest.mark.parametrize("name", sorted(NEEDS))
def test_every_manner_is_said_in_the_acts_of_its_stage(name: str) -> None:
    """Strokes, product and end of each row: where it is counted, on its clock, or where it is laid on."""
    step, _ = begin_step(WHO, EVERY[name].modality, "s1", {}, programme=name)
    acts = visit_plan(WHO, Plan(steps=(step,))).acts
    for stage in step.stages:
        words = " ".join(act.instruction.lower() for act in acts if act.stage == stage.id)
        how = stage.how
        assert all(one.lower() in words for one in (how.product, how.often, how.ends, how.line.rstrip("."), how.gate))
        assert not how.ends or f"enough: {how.ends.lower()}" in words
