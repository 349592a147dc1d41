"""Bone and thin skin reach the dose of a plan: set lower there with the number shown, or refused with their zones."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders.briefs import EVERY_LICENCE, brief, planned
from merak.core.body.plate import BONY, THIN
from merak.core.client import Findings
from merak.core.knowledge import caution
from merak.core.modality import shared
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.shared import Dose, lower_there, stronger
from merak.core.plan.brief import workable
from merak.core.plan.by_class import CLASSES, against
from merak.core.plan.stage import begin, compute
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, VisitPlan, in_force, visit_plan

WHO = brief(returning=True, licences=EVERY_LICENCE, senior=True, findings=Findings(phototype=2))


def there(plan: VisitPlan) -> dict[str, str]:
    named = {f"s1.at_{skin}" for skin in CLASSES}
    return {key.partition(".")[2]: one.text for key, one in plan.numbers.items() if key in named}


def refused(plan: VisitPlan) -> dict[str, str]:
    return {key.partition(".")[2]: one.words for key, one in plan.refused.items()}


def test_needles_are_set_lower_under_an_eye_and_over_bone() -> None:
    """Page by page the same ceiling as on the bench: 0.5 mm on thin skin, on the lips and over bone."""
    plan = planned(WHO, "micro_needling", depth_mm=1.5)
    assert there(plan) == {"at_bone": "0.5 mm", "at_thin": "0.5 mm", "at_lip": "0.5 mm"} and not refused(plan)
    assert plan.numbers["s1.at_thin"].formula == "lower on under-eye"
    shallow = planned(WHO, "micro_needling", depth_mm=0.25)
    assert there(shallow) == {}, "nothing to lower"


def test_a_deep_focus_is_refused_where_bone_lies_near() -> None:
    assert refused(planned(WHO, "focused_lifting", depth_mm=4.5)) == {
        "depth_mm": "4.5 mm on the forehead: 4.0 mm at most."
    }
    of = in_force(WHO, Plan())
    step = begin(WHO, "focused_lifting", "s1", of, zones=("mid cheek", "lower cheek"))
    cheek = compute(WHO, step.with_settings(step.values | {"depth_mm": 4.5}), frozenset(), of)
    assert not cheek.stops and cheek.settings.place == "cheek"


def test_sound_goes_over_a_face_at_three_megahertz_only() -> None:
    assert refused(planned(WHO, "ultrasound", frequency_mhz=1)) == {
        "frequency_mhz": "Frequency: 1.0 MHz is below 3 MHz."
    }
    assert not refused(planned(WHO, "ultrasound", frequency_mhz=3))


def test_the_limb_and_the_place_follow_from_the_zones() -> None:
    of = in_force(WHO, Plan())
    arm = begin(WHO, "muscle_stimulation", "s1", of, zones=("outer arm, front",))
    assert compute(WHO, arm, frozenset(), of).settings.limb == "arm"
    typed = arm.with_settings(arm.values | {"limb": "thigh"})
    assert compute(WHO, typed, frozenset(), of).settings.limb == "arm", "whatever is typed"
    body = begin(WHO, "enzyme", "s1", of, zones=("outer arm, front",))
    assert compute(WHO, body, frozenset(), of).settings.place == "body"


def test_the_chair_tells_the_number_of_the_zone_at_hand() -> None:
    plan = visit_plan(WHO, planned(WHO, "rf_bulk", at=4).plan, laid=True)
    minds = {part.mind for act in plan.acts for part in act.parts if "bone" in part.mind}
    assert minds and all("set to 3 level" in mind for mind in minds), minds


@pytest.mark.parametrize("modality", sorted(name for name in MODALITIES if name != "physician_resurfacing"))
@given(share=st.floats(0, 1))
def test_no_class_of_skin_is_worked_stronger_or_past_its_ceiling(modality: str, share: float) -> None:
    """For every modality, wherever it may go, whatever it is set to."""
    module, of = MODALITIES[modality], in_force(WHO, Plan())
    step = begin(WHO, modality, "s1", of)
    machine = WHO.machine(modality)
    field = module.INCREMENT.field
    if machine and field == "at":
        value = machine.card.least + share * (machine.card.most - machine.card.least)  # type: ignore[union-attr]
        step = step.with_settings(step.values | {"at": round(value, 2)})
    worked = compute(WHO, step, frozenset(), of)
    for one in worked.classes:
        now, most = float(getattr(one.settings, field)), float(getattr(worked.settings, field))
        assert not stronger(module, now, most, WHO.card(modality)), (modality, one.skin)
        assert set(one.zones) <= (BONY if one.skin == "bone" else THIN | {"lips"}) & set(workable(WHO, modality))
        told = {stop.rule for stop in worked.stops}
        assert {stop.rule for stop in one.dose.against} <= told, "what is refused there stops the step"


def test_only_what_stands_against_a_class_alone_is_told_of_it() -> None:
    stop = caution("heat.pass", "stop", "Never here.", "Not today.", "numbed")
    of = in_force(WHO, Plan())
    step = begin(WHO, "rf_bulk", "s1", of)
    ((bone,), settings) = (
        [one for one in compute(WHO, step, frozenset(), of).classes if one.skin == "bone"],
        step.settings,
    )
    refused_there = bone._replace(dose=Dose({}, (), {"numbed": stop}))
    ((told),) = list(against(Dose({}, (), {}), (refused_there,)))
    assert told.words.startswith("Never here over bone: ") and "forehead" in told.words
    assert told.action == "Not today. Or leave these zones to a stage of their own." and settings
    assert list(against(Dose({}, (), {"numbed": stop}), (refused_there,))) == [], "it stands against all of it"


@pytest.mark.parametrize("modality", ["galvanic_softening", "iontophoresis"])
def test_what_shares_its_rules_is_lowered_by_them(modality: str) -> None:
    """Galvanic work has its adjustments under one name; nothing of it is counted section by section, so it is said."""
    step = begin(WHO, modality, "s1", in_force(WHO, Plan()), zones=("side of neck",))
    plan = visit_plan(WHO, Plan(steps=(step_of(step.with_settings(step.values | {"at": 1.0})),)))
    assert there(plan) == {"at_neck": "0.9 mA"}
    assert any("On the neck, set to 0.9 mA: side of neck." in act.instruction for act in plan.acts)


def test_each_zone_is_of_one_class() -> None:
    """Bone apart, which may lie under thin skin too."""
    thin = [zones for skin, (zones, _) in CLASSES.items() if skin != "bone"]
    assert sum(map(len, thin)) == len(frozenset().union(*thin)) and frozenset().union(*thin) >= THIN
    assert {skin: sorted(CLASSES[skin][0]) for skin in ("lid", "lip", "gland")} == {
        "lid": ["upper lid"],
        "lip": ["lips"],
        "gland": ["thyroid strip"],
    }


def test_a_class_of_thin_skin_may_have_a_rule_of_its_own(monkeypatch: pytest.MonkeyPatch) -> None:
    module = MODALITIES["nano"]
    stage = begin(WHO, "nano", "s1", in_force(WHO, Plan()))
    now, card = stage.with_settings(stage.values | {"at": 5}).settings, WHO.card("nano")
    lowered = {skin: lower_there(module, now, card, skin).at for skin in CLASSES}
    assert lowered["lip"] == lowered["neck"] == lowered["thin"] == now.at - 1, (
        "as thin skin, where nothing else is said"
    )
    rules = {"nano.adjust.lip": -2.0, "nano.adjust.thin": -1.0}
    monkeypatch.setattr(shared, "has_rule", rules.__contains__)
    monkeypatch.setattr(shared, "number", rules.__getitem__)
    assert lower_there(module, now, card, "lip").at == now.at - 2
    assert lower_there(module, now, card, "neck").at == now.at - 1
    assert lower_there(module, now, card, "bone").at == now.at, "and nothing of bone"
