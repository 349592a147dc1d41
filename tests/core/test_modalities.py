"""Every modality by its common face: starts, ceilings, odd settings; and the guards of each."""

import math
from typing import Any, get_args

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from builders.inputs import values
from builders.machines import SCALES, card_of, machine
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import about, number
from merak.core.modality.before import Before
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import MACHINES, LedCard, MachineCard
from merak.core.modality.muscle_stimulation import layout
from merak.core.modality.shared import Dose, Subject, begun, in_zone, incremented, stronger

PLANNABLE = sorted(name for name in MODALITIES if name != "physician_resurfacing")
#: What nobody plans past: modality → (number, rule, whether it is the least).
CEILINGS: dict[str, tuple[tuple[str, str], ...]] = {
    "microcurrent": (("current", "microcurrent.ceiling.current"),),
    "muscle_stimulation": (("pulse", "muscle_stimulation.pulse"), ("current", "muscle_stimulation.most.thigh")),
    "galvanic_softening": (
        ("density", "galvanic.ceiling.density"),
        ("current", "galvanic.ceiling.current"),
        ("dose", "galvanic.ceiling.dose"),
    ),
    "iontophoresis": (("density", "galvanic.ceiling.density"), ("dose_density", "galvanic.ceiling.dose_density")),
    "ultrasound": (("intensity", "ultrasound.ceiling"), ("minutes", "ultrasound.longest")),
    "led": (("minutes", "led.ceiling.minutes"),),
    "pulsed_light": (("fluence", "pulsed_light.ceiling"),),
    "rf_bulk": (("cem43", "rf_bulk.dose.stop"),),
    "rf_fractional": (("pin", "rf_fractional.pin.most"), ("step", "rf_fractional.step.most")),
    "focused_lifting": (("line", "focused_lifting.line.most"),),
    "oxygen_mask": (("activator", "oxygen_mask.longest"),),
    "crystal": (("minutes", "crystal.timer"),),
    "diamond": (("suction", "diamond.suction"),),
    "nano": (("rate", "nano.rate"), ("depth", "nano.depth")),
    "micro_needling": (("depth", "micro_needling.most"), ("density", "micro_needling.density.most")),
    "numbing": (("share", "numbing.label"),),
}


SUBJECTS = values(Subject).map(Subject.model_validate)


@pytest.mark.parametrize("name", PLANNABLE)
@settings(max_examples=30)
@given(data=st.data())
def test_no_settings_however_odd_pass_a_ceiling(name: str, data: st.DataObject) -> None:
    module, subject = MODALITIES[name], data.draw(SUBJECTS)
    chosen = module.Settings.model_validate(data.draw(values(module.Settings)))
    card = data.draw(st.sampled_from([card_of(name), unmeasured(name)]))
    found = module.dose(chosen, card, subject)
    for key, quantity in found.numbers.items():
        assert quantity.value is None or math.isfinite(quantity.value), key
        assert quantity.value is None or quantity.value >= 0 or quantity.unit == "°C", key
    for key, rule_id in CEILINGS.get(name, ()):
        told = found.numbers.get(key)
        if told is not None and told.value is not None and not found.refused:
            assert told.value <= number(rule_id) * (1 + 1e-6), f"{key} past {rule_id}"
    unknown = any(one.rule == "device.unknown_share" for one in found.cautions)
    if unknown and not found.refused:
        assert chosen.at <= (card.least + card.most) / 2 + 1e-6, "without a calibration the scale is the ceiling"


def unmeasured(name: str) -> Any:
    """The modality's machine without a calibration; the measured one where the scale is the unit itself or there is no
    scale.
    """
    return machine(name, calibration=(), scale="level", least=1, most=10, step=1) if name in MACHINES else card_of(name)


@pytest.mark.parametrize("name", PLANNABLE)
@settings(max_examples=25)
@given(subject=SUBJECTS)
def test_start_values_can_be_started(name: str, subject: Subject) -> None:
    """What a modality proposes is never refused by itself, but where the skin itself forbids it."""
    started = begun(MODALITIES[name], card_of(name), subject)
    found = MODALITIES[name].dose(started.settings, card_of(name), subject)
    refused = found.refused
    assert "minutes" in found.numbers, "every modality says how long it takes"
    forbidden = name == "pulsed_light" and subject.phototype in (None, 6)
    assert forbidden or not refused, {key: one.words for key, one in refused.items()}


@pytest.mark.parametrize("name", [*PLANNABLE, "physician_resurfacing"])
def test_every_modality_speaks(name: str) -> None:
    words = about()[name]
    assert (words.technique and words.endpoint and words.stop) or words.licence == "physician"
    for bad in (float("nan"), float("inf")):
        numeric = next(
            (key for key, info in MODALITIES[name].Settings.model_fields.items() if info.annotation is float), None
        )
        if numeric:
            with pytest.raises(ValidationError):
                MODALITIES[name].Settings.model_validate({numeric: bad})


def dose(name: str, subject: Subject | None = None, card: Any = None, **changes: Any) -> Dose:
    subject = subject or Subject(phototype=2, first_visit=False)
    card = card or card_of(name)
    chosen = MODALITIES[name].start(card, subject).settings.model_copy(update=changes)
    return MODALITIES[name].dose(chosen, card, subject)


LIGHT, DARK, DARKER = (Subject(phototype=kind, first_visit=False) for kind in (2, 4, 5))
GUARDS: tuple[tuple[str, Subject | None, dict[str, Any], str, str], ...] = (
    ("pulsed_light", Subject(phototype=6), {}, "at", "pulsed_light.never"),
    ("pulsed_light", Subject(), {}, "at", "pulsed_light.unknown_type"),
    ("pulsed_light", LIGHT, {"at": 36}, "at", "pulsed_light.ceiling"),
    ("pulsed_light", DARK, {"at": 21}, "at", "pulsed_light.ceiling.dark"),
    ("pulsed_light", DARK, {"cutoff_nm": 560}, "cutoff_nm", "pulsed_light.filter.4"),
    ("pulsed_light", LIGHT, {"width_ms": 2.9}, "width_ms", "pulsed_light.width.least"),
    ("pulsed_light", LIGHT, {"delay_ms": 9}, "delay_ms", "pulsed_light.delay.least"),
    ("pulsed_light", DARKER, {"delay_ms": 39}, "delay_ms", "pulsed_light.delay.darker"),
    ("pulsed_light", LIGHT, {"stacked": 2}, "stacked", "pulsed_light.vessel"),
    ("pulsed_light", LIGHT, {"stacked": 4, "target": "red"}, "stacked", "pulsed_light.vessel"),
    ("rf_bulk", None, {"target_c": 43.1}, "target_c", "rf_bulk.stop"),
    ("rf_bulk", None, {"target_c": 42.5}, "target_c", "rf_bulk.target.most"),
    ("rf_bulk", None, {"speed_mm_s": 0}, "speed_mm_s", "rf_bulk.dwell"),
    (
        "rf_fractional",
        None,
        {"at": 6, "pulse_ms": 30, "from_w": 5, "from_ms": 20},
        "pulse_ms",
        "rf_fractional.step.most",
    ),
    ("rf_fractional", None, {"at": 4, "pulse_ms": 40, "per": "pin"}, "pulse_ms", "rf_fractional.pin.most"),
    ("focused_lifting", None, {"depth_mm": 4.5, "place": "forehead"}, "depth_mm", "focused_lifting.clear"),
    ("focused_lifting", None, {"depth_mm": 4.5, "place": "jawline"}, "depth_mm", "focused_lifting.clear"),
    ("iontophoresis", None, {"charge": "positive"}, "polarity", "galvanic.polarity"),
    ("iontophoresis", None, {"charge": "neutral or large"}, "polarity", "galvanic.polarity"),
    ("galvanic_softening", None, {"polarity": "positive"}, "polarity", "galvanic.polarity"),
    ("galvanic_softening", None, {"solution_ph": 6}, "solution_ph", "galvanic.alkaline"),
    ("galvanic_softening", None, {"skin": "numbed"}, "skin", "galvanic.skin"),
    ("cold", None, {"over": "bare dry skin"}, "over", "cold.bare"),
    ("cold", None, {"at": -6}, "at", "cold.coldest"),
    ("touch", None, {"acne": True}, "acne", "touch.acne"),
    ("oxygen_mask", None, {"activator_min": 5.5}, "activator_min", "oxygen_mask.longest"),
    ("oxygen_mask", Subject(), {"activator_min": 3}, "activator_min", "oxygen_mask.newcomer"),
    ("oxygen_airbrush", None, {"gel_ml": 6}, "gel_ml", "oxygen_airbrush.gel"),
    ("wet_abrasion", None, {"at": 6}, "at", "wet_abrasion.acid.most"),
    ("wet_abrasion", None, {"kind": "peel", "ph": 2.9}, "ph", "acid.ph"),
    ("peel", None, {"percent": 31}, "percent", "acid.percent"),
    ("peel", None, {"percent": 30, "minutes": 1.5}, "minutes", "acid.first"),
    ("peel", Subject(dehydrated=True), {"minutes": 3}, "minutes", "acid.longest"),
    ("diamond", DARK, {"passes": 3}, "passes", "diamond.gentle"),
    ("micro_needling", None, {"depth_mm": 0.5}, "depth_mm", "micro_needling.unlicensed"),
    ("micro_needling", Subject(thin=True), {"depth_mm": 0.75, "licensed": True}, "depth_mm", "micro_needling.thin"),
    ("numbing", None, {"skin": "open"}, "skin", "numbing.mg_kg"),
    ("numbing", Subject(weight_kg=50), {"skin": "open", "grams": 6}, "grams", "numbing.label"),
    ("numbing", None, {"earlier_mg": 700}, "grams", "numbing.label"),
    ("numbing", None, {"school": "light-assisted"}, "school", "numbing.light"),
    ("led", None, {"colour": "blue", "minutes": 30}, "minutes", "led.ceiling.blue_fluence"),
    ("muscle_stimulation", None, {"limb": "arm", "at": 26}, "at", "muscle_stimulation.most.arm"),
)


@pytest.mark.parametrize(
    ("name", "subject", "changes", "field", "rule_id"), GUARDS, ids=[f"{g[0]} {g[4]}" for g in GUARDS]
)
def test_guards(name: str, subject: Subject | None, changes: dict[str, Any], field: str, rule_id: str) -> None:
    card = LedCard(name="panel", colours={"blue": ((5, 40), (20, 30))}) if changes.get("colour") == "blue" else None
    refused = dose(name, subject, card, **changes).refused
    assert field in refused and refused[field].rule == rule_id, {key: one.rule for key, one in refused.items()}


def test_what_is_allowed_is_allowed() -> None:
    assert not dose("focused_lifting", depth_mm=4.5, place="cheek").refused
    assert not dose("iontophoresis", charge="positive", polarity="positive").refused
    assert not dose("pulsed_light", stacked=3, target="red").refused
    assert not dose("rf_fractional", at=6, pulse_ms=20, from_w=5, from_ms=20).refused
    assert not dose("micro_needling", depth_mm=0.5, licensed=True, needles=12).refused
    assert not dose("numbing", Subject(weight_kg=70), skin="open", grams=5).refused


@pytest.mark.parametrize("name", PLANNABLE)
def test_a_step_is_one_step_and_stays_on_the_scale(name: str) -> None:
    module, card = MODALITIES[name], card_of(name)
    first = module.start(card, Subject(phototype=2)).settings
    field, size, down = module.INCREMENT
    up, gentler = incremented(module, first, card, up=True), incremented(module, first, card, up=False)
    by = size or (card.step if isinstance(card, MachineCard) else size)
    moved = getattr(up, field) - getattr(first, field)
    assert moved == pytest.approx(-by if down else by) and getattr(gentler, field) <= getattr(first, field) + (
        by if down else 0
    )
    for _ in range(500):
        up = incremented(module, up, card, up=True)
    module.Settings.model_validate(up.model_dump())


@pytest.mark.parametrize("name", ["microcurrent", "led", "oxygen_mask", "rf_bulk", "cold"])
@pytest.mark.parametrize("at", [-1e6, -1, 0, 1e6])
def test_a_wild_last_time_is_told_or_held_in(name: str, at: float) -> None:
    try:
        last = Before.model_validate({"at": at})
        begun(MODALITIES[name], card_of(name), Subject(phototype=2, first_visit=False, last=last))
    except (ValidationError, BadInput) as told:
        assert str(told)


def test_a_zone_brings_its_bone_its_thin_skin_and_its_treatable_area() -> None:
    brow, lid, cheek = (in_zone(Subject(), zone, "rf_bulk") for zone in ("forehead", "under the chin", "mid cheek"))
    assert (brow.bony, brow.thin, lid.bony, lid.thin, cheek.bony, cheek.thin) == (
        True,
        False,
        False,
        True,
        False,
        False,
    )
    assert in_zone(Subject(), "forehead", "").area_cm2 > brow.area_cm2 > 20, "less its margin"
    with pytest.raises(BadInput, match="margins and no-go"):
        in_zone(Subject(), "upper lid", "rf_bulk")
    with pytest.raises(BadInput, match="no zone"):
        in_zone(Subject(), "elsewhere", "rf_bulk")


def test_resurfacing_is_never_planned() -> None:
    module = MODALITIES["physician_resurfacing"]
    with pytest.raises(Refused):
        module.start(None, Subject())
    with pytest.raises(Refused):
        module.dose(module.Settings(), None, Subject())


def test_each_adjustment_is_a_line_of_the_working() -> None:
    card = machine("rf_bulk", calibration=(), scale="W", least=0, most=50, step=1)
    plain = MODALITIES["rf_bulk"].start(card, Subject(first_visit=False)).worked
    worked = MODALITIES["rf_bulk"].start(card, Subject(sensitive=True, bony=True)).worked
    assert (plain.value, worked.value) == (20, 17), "of the power that warms 100 cm² in two minutes"
    assert worked.formula == f"{plain.inputs[0].value:g} on the scale − 1 first visit − 1 sensitive skin − 1 bone"
    again = Subject(first_visit=False, sensitive=True, last=Before(at=12, endpoint_seen="not seen"))
    assert MODALITIES["rf_bulk"].start(card, again).worked.value == 13, (
        "what is known of the skin is in last time's value already"
    )
    late = Subject(first_visit=False, last=Before(at=12, endpoint_seen="not seen", settled_late=True))
    assert MODALITIES["rf_bulk"].start(card, late).worked.value == 11, "a late reaction goes down, never up"


@given(st.sampled_from(sorted(SCALES)), st.floats(-20, 80))
def test_a_card_reads_between_its_points_and_never_beyond(name: str, at: float) -> None:
    card = machine(name)
    found = card.physical(at)
    if card.calibration:
        xs, ys = zip(*card.calibration, strict=True)
        assert (found is None) == (not xs[0] <= at <= xs[-1])
        assert found is None or found == pytest.approx(float(np.interp(at, xs, ys)), rel=1e-12)
        assert found is None or card.at(found) == pytest.approx(at, abs=1e-9)
    else:
        assert found == (at if card.scale == card.unit and card.least <= at <= card.most else None)


@pytest.mark.parametrize(
    "wrong",
    [
        {"least": 10, "most": 1},
        {"step": 50},
        {"calibration": ((1, 5),)},
        {"calibration": ((1, 5), (3, 9), (2, 12))},
        {"calibration": ((1, 5), (3, 9), (5, 7))},
        {"calibration": ((1, 5), (3, float("nan")))},
    ],
)
def test_broken_cards_are_refused(wrong: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        machine("rf_bulk", **wrong)


@pytest.mark.parametrize(("limb", "pattern"), [("thigh", "crossed"), ("thigh", "parallel"), ("arm", "parallel")])
def test_pads_keep_to_one_limb_with_the_positive_low(limb: Any, pattern: Any) -> None:
    pads = layout(limb, pattern)
    for output in {pad.output for pad in pads}:
        low, high = sorted((pad for pad in pads if pad.output == output), key=lambda pad: -pad.down)
        assert (low.sign, high.sign) == ("+", "−") and low.aspect == high.aspect
        assert (low.across != high.across) == (pattern == "crossed" and low.across != 0.5)
    assert len({(pad.down, pad.across, pad.aspect) for pad in pads}) == len(pads), "no pad lies on another"


@pytest.mark.parametrize("name", sorted(name for name in MODALITIES if name != "physician_resurfacing"))
def test_what_hangs_on_how_it_was_done_is_named_beforehand(name: str) -> None:
    """Every tag that some settings could have is in the modality's list, and every tag of the list comes about."""
    module = MODALITIES[name]
    begun_with = begun(module, card_of(name), Subject(phototype=2)).settings
    changes: list[dict[str, Any]] = [{}]
    for field, info in type(begun_with).model_fields.items():
        words = [one for one in get_args(info.annotation) if isinstance(one, str)]
        words += [one for part in get_args(info.annotation) for one in get_args(part) if isinstance(one, str)]
        is_number = isinstance(getattr(begun_with, field), float | int)
        changes += [{field: value} for value in (*words, *((0.5, 90) if is_number else ()))]
    found = {tag for change in changes for tag in begun_with.model_copy(update=change).tags()}
    assert found == module.WAYS.tags


@pytest.mark.parametrize(
    ("scale", "points", "gentler"),
    [
        ("°C", (), 6),
        ("°C", ((-10, -9), (10, 11)), 6),
        ("level", ((1, 12), (10, -6)), 4),
        ("level", ((1, -6), (10, 12)), 6),
        ("level", (), 4),
    ],
)
def test_gentler_is_warmer_on_every_cold_head(scale: str, points: Any, gentler: float) -> None:
    """In degrees a step up, on levels that get colder a step down."""
    card = machine("cold", scale=scale, least=1 if scale == "level" else -10, most=10, step=1, calibration=points)
    cold = MODALITIES["cold"]
    settings = cold.Settings.model_validate({"at": 5})
    milder: Any = incremented(cold, settings, card, up=False)
    assert milder.at == gentler
    assert stronger(cold, 5, milder.at, card) and not stronger(cold, milder.at, 5, card)
    start: Any = cold.start(card, Subject()).settings
    assert (start.at - card.least) % card.step == 0, "in whole steps"
    missed: Any = cold.start(card, Subject(first_visit=False, last=Before(at=5, endpoint_seen="not seen"))).settings
    assert stronger(cold, missed.at, 5, card), "one step colder where it did not calm"
