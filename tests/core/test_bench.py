"""The bench by hand: each calculation's figures worked out a second time, on paper; what it refuses and beside which
field; and whatever is asked of it, numbers that are numbers.
"""

import math
from datetime import datetime
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from builders.inputs import values
from merak.core.bench.answer import POINTS, Result, span, thread
from merak.core.bench.catalogue import CALCULATIONS
from merak.core.knowledge import all_ids

SPOT_SET = datetime(2026, 1, 5, 10)


def asked(name: str, /, **given: Any) -> Result:
    what = CALCULATIONS[name]
    return what.work(what.inputs(**given))


BY_HAND: tuple[tuple[str, dict[str, Any], dict[str, float]], ...] = (
    ("density", {"current_ua": 180, "contact_cm2": 1.3, "minutes": 10}, {"density": 0.13846, "charge": 108}),
    # 0.5 mA × 6 min = 3 mA·min; 180 mC ÷ 96 485 = 1.8656 µmol; in 2 mL 9.328e-4 M, 14 − 3.0302.
    (
        "galvanic",
        {"current_ma": 0.5, "electrode_cm2": 5, "minutes": 6, "water_ml": 2},
        {"density": 0.1, "dose": 3, "dose_density": 0.6, "hydroxide": 1.8656, "ph": 10.970},
    ),
    # 2 × 300 µs × 50 Hz = 3 % of the time; √0.03 × 20; (0.02)² × 500 × 300e-6.
    (
        "pulses",
        {"current_ma": 20, "width_us": 300, "rate_hz": 50, "pad_cm2": 25},
        {"rms": 3.4641, "density": 0.13856, "pulse": 0.06, "limit": 50},
    ),
    ("pulses", {"rate_hz": 401}, {"limit": 80}),
    ("pulses", {"rate_hz": 1501, "width_us": 20}, {"limit": 100}),
    # 10^(−0.07 × 3 × 1); 30 ÷ 5 ÷ 0.5.
    (
        "sound",
        {"intensity_w_cm2": 0.3, "duty_percent": 50, "frequency_mhz": 3, "depth_mm": 10, "area_cm2": 30, "head_cm2": 5},
        {"mean": 0.15, "share": 0.6166, "at_depth": 0.09249, "minutes": 12},
    ),
    (
        "fluence",
        {"irradiance_mw_cm2": 40, "minutes": 20, "wavelength_nm": 633},
        {"fluence": 48, "minutes_most": 40, "photon": 1.9587},
    ),
    ("fluence", {"irradiance_mw_cm2": 40, "minutes": 20, "duty_percent": 25}, {"fluence": 12, "minutes_most": 160}),
    # Between 10 cm, 62 and 15 cm, 41 the slope is −1.0199; a tilt of 60° halves it.
    ("distance", {"distance_cm": 12}, {"irradiance": 51.48}),
    ("distance", {"distance_cm": 12, "angle_deg": 60}, {"irradiance": 25.74}),
    ("distance", {"distance_cm": 10}, {"irradiance": 62}),
    # A disc of 15 cm, 15 cm away: R² ÷ (R² + d²) is a half.
    ("distance", {"points": (), "face_mw_cm2": 100, "radius_cm": 15, "distance_cm": 15}, {"irradiance": 50}),
    ("programme", {}, {"red": 24, "blue": 6, "fluence": 30, "minutes": 15}),
    ("programme", {"together": True}, {"fluence": 30, "minutes": 10}),
    ("programme", {"red_minutes": 0, "blue_mw_cm2": 0}, {"fluence": 0, "minutes": 0}),
    # 0.01² ÷ (16 × 1.3e-3); two pulses of 9 J/cm² by the sums of the lumped model.
    ("pulse-train", {}, {"relaxation": 4.8077, "epidermis": 46.250, "vessel": 56.972, "ratio": 1.2318}),
    ("test-spot", {"set_at": SPOT_SET, "phototype": 3}, {"hours": 48}),
    ("test-spot", {"set_at": SPOT_SET, "phototype": 4}, {"hours": 168}),
    ("test-spot", {"set_at": SPOT_SET, "method": "fractional radiofrequency"}, {"hours": 5 / 60}),
    ("test-spot", {"set_at": SPOT_SET, "method": "acid"}, {"hours": 24}),
    # 46 × 1.266^−1.421; 10 ÷ √(3 × 0.30546 × 33.206).
    ("depth", {"wavelength_nm": 633}, {"absorption": 0.30546, "scattering": 32.900, "depth": 1.8128}),
    ("depth", {"wavelength_nm": 500, "absorption_cm": 2}, {"absorption": 2, "scattering": 46, "depth": 0.58926}),
    (
        "thermal-dose",
        {"celsius": 42, "minutes": 5, "material": "metal"},
        {"cem43": 1.25, "burn": 7.528e-4, "contact": 48},
    ),
    ("thermal-dose", {"celsius": 44, "minutes": 1, "material": "glass"}, {"cem43": 2, "contact": 56}),
    ("infrared", {"reading_c": 42}, {"skin": 41.442, "off": 0.5579}),
    ("infrared", {"reading_c": 42, "set_emissivity": 0.98}, {"skin": 42, "off": 0}),
    # 100 mJ among 49 pins; 100 mJ on 1 cm²; 120 ÷ 100 mJ.
    ("fractional", {}, {"pin": 2.0408, "fluence": 0.1, "step": 1.2}),
    ("fractional", {"power_w": 1, "per": "pin", "passes": 2, "next_w": 1}, {"pin": 20, "fluence": 1.96, "step": 1}),
    ("focused", {"place": "cheek"}, {"deepest": 5.5, "lines": 63, "joules": 31.5}),
    (
        "focused",
        {"place": "forehead", "depth_mm": 3, "width_mm": 10, "passes": 1},
        {"deepest": 4, "lines": 4, "joules": 2},
    ),
    # 12 W ÷ (20 mm/s × 2 cm); 8.4 W ÷ (3.1416 cm² × 4 mm) ÷ 3.96e6.
    ("heat", {"minutes": 0.5}, {"pass": 3, "rate": 1.6880}),
    # 12 × 100 × 60 ÷ 100; e^(−720 × π × 0.005²).
    ("needles", {}, {"density": 720, "untouched": 94.50}),
    ("needles", {"overlap_percent": 50, "seconds": 30}, {"density": 720}),
    ("needles", {"tool": "roller", "needles": 192, "passes": 4}, {"density": 61.12}),
    # 1 ÷ (1 + 10^−0.33); 0.45 g ÷ 76.05 × 84.01; three protons for citric.
    ("acid", {}, {"share": 0.68132, "rank": 20.44, "bicarbonate": 0.4971}),
    ("acid", {"acid": "citric"}, {"bicarbonate": 0.59033}),
    ("acid", {"acid": "salicylic", "percent": 2, "ph": 2.97, "minutes": 1}, {"share": 0.5, "rank": 1}),
    ("abrasion", {}, {"path": 3.75, "minutes": 2.0833, "dwell": 0.26667, "liquid": 96, "share": 50}),
    ("abrasion", {"overlap_percent": 50, "passes": 2, "flow_ml_min": 0}, {"path": 15, "dwell": 0.53333}),
    ("amounts", {}, {"gel": 18.3, "units": 1.42412, "grams": 0.61237, "sun": 0.732}),
    ("amounts", {"unit_of": "man"}, {"units": 1.17308, "grams": 0.57481}),
    # 100 J/m² ÷ (0.025 × 6 W/m²) = 667 s; a third of factor 30 counts.
    ("sun", {}, {"bare": 11.11, "protected": 110.0}),
    ("sun", {"factor": 1}, {"bare": 11.11, "protected": 11.11}),
    ("scale", {"at": 5.5, "wanted": 26}, {"physical": 26, "at": 5.5}),
    ("numbing", {"grams": 5, "lidocaine_percent": 4, "area_cm2": 100, "minutes": 30}, {"share": 0.5}),
    ("numbing", {"grams": 5, "skin": "open", "weight_kg": 50}, {"share": 200 / 225}),
)


@pytest.mark.parametrize(
    ("name", "given_", "expected"), BY_HAND, ids=[f"{n} {list(g.values())}" for n, g, _ in BY_HAND]
)
def test_figures_by_hand(name: str, given_: dict[str, Any], expected: dict[str, float]) -> None:
    found = asked(name, **given_).numbers
    for key, value in expected.items():
        assert found[key].value == pytest.approx(value, rel=4e-4, abs=1e-9), key


REFUSED: tuple[tuple[str, dict[str, Any], str, str], ...] = (
    ("density", {"current_ua": 1001, "contact_cm2": 10}, "current_ua", "microcurrent.ceiling.current"),
    ("density", {"current_ua": 650, "steady": True}, "contact_cm2", "microcurrent.density.warn"),
    ("galvanic", {"current_ma": 2.6}, "current_ma", "galvanic.ceiling.density"),
    ("galvanic", {"current_ma": 4.1, "electrode_cm2": 100}, "current_ma", "galvanic.ceiling.current"),
    ("galvanic", {"current_ma": 4, "electrode_cm2": 100, "minutes": 20.1}, "minutes", "galvanic.ceiling.dose"),
    ("galvanic", {"current_ma": 2, "minutes": 20.1}, "minutes", "galvanic.ceiling.dose_density"),
    ("galvanic", {"charge": "positive"}, "polarity", "galvanic.polarity"),
    ("pulses", {"width_us": 2000, "rate_hz": 251}, "width_us", "current.rms"),
    ("pulses", {"current_ma": 113, "width_us": 2000}, "current_ma", "muscle_stimulation.output"),
    ("sound", {"intensity_w_cm2": 1.1}, "intensity_w_cm2", "ultrasound.ceiling"),
    ("sound", {"intensity_w_cm2": 3.1}, "intensity_w_cm2", "ultrasound.equipment"),
    ("fluence", {"colour": "blue", "minutes": 20.1}, "minutes", "led.ceiling.blue_fluence"),
    ("fluence", {"irradiance_mw_cm2": 80, "minutes": 20.1}, "minutes", "led.ceiling.red_fluence"),
    ("distance", {"distance_cm": 4.9}, "distance_cm", "led.distance"),
    ("distance", {"distance_cm": 25.1}, "distance_cm", "led.distance"),
    ("programme", {"blue_mw_cm2": 40, "blue_minutes": 20.1}, "blue_minutes", "led.ceiling.blue_fluence"),
    ("programme", {"red_minutes": 36}, "red_minutes", "led.ceiling.minutes"),
    ("pulse-train", {"width_ms": 2.9}, "width_ms", "pulsed_light.width.least"),
    ("pulse-train", {"delay_ms": 9.9}, "delay_ms", "pulsed_light.delay.least"),
    ("pulse-train", {"phototype": 4, "delay_ms": 19.9}, "delay_ms", "pulsed_light.delay.dark"),
    ("pulse-train", {"phototype": 6, "delay_ms": 50}, "phototype", "pulsed_light.never"),
    ("thermal-dose", {"celsius": 43, "minutes": 10.1}, "minutes", "rf_bulk.dose.stop"),
    ("fractional", {"power_w": 4, "pulse_ms": 31, "per": "pin"}, "pulse_ms", "rf_fractional.pin.most"),
    ("fractional", {"next_w": 6, "next_ms": 30}, "next_ms", "rf_fractional.step.most"),
    ("focused", {"place": "cheek", "depth_mm": 5.6}, "depth_mm", "focused_lifting.clear"),
    ("focused", {"place": "forehead"}, "depth_mm", "focused_lifting.clear"),
    ("focused", {"line_j": 1.3}, "line_j", "focused_lifting.line.most"),
    ("needles", {"passes": 4}, "passes", "micro_needling.density.most"),
    ("abrasion", {"passes": 4}, "passes", "diamond.passes"),
    ("abrasion", {"clean_min": 6.1}, "infuse_min", "wet_abrasion.share"),
    ("scale", {"at": 10.1}, "at", "device.calibration"),
    ("scale", {"at": 0.9}, "at", "device.calibration"),
    ("heat", {"power_w": 100, "zone_cm2": 50}, "power_w", "rf_bulk.stop"),
)


@pytest.mark.parametrize(
    ("name", "given_", "field", "rule_id"), REFUSED, ids=[f"{r[0]} {list(r[1].values())}" for r in REFUSED]
)
def test_what_is_refused_and_beside_which_field(name: str, given_: dict[str, Any], field: str, rule_id: str) -> None:
    refused = asked(name, **given_).refused
    assert refused[field].rule == rule_id, {key: one.rule for key, one in refused.items()}
    assert refused[field].words


@pytest.mark.parametrize("name", sorted(set(CALCULATIONS) - {"heat"}))
def test_what_a_page_opens_with_is_refused_by_nothing(name: str) -> None:
    assert asked(name).refused == {}


BAD: tuple[tuple[str, dict[str, Any], str], ...] = (
    ("distance", {"points": ((5, 96), (10, -1))}, "must be positive"),
    ("distance", {"points": ((5, 96), (5, 60))}, "measured once"),
    ("scale", {"points": ((1, 5),)}, "at least two points"),
    ("scale", {"points": ((1, 5), (1, 6))}, "rise along the scale"),
    ("scale", {"points": ((1, 5), (3, 9), (5, 7))}, "rise"),
    ("heat", {"readings": ((60, 38), (30, 36))}, "order of time"),
    ("heat", {"readings": ((10, 81),)}, "seconds from the start"),
    ("density", {"current_ua": 0}, "greater than or equal"),
    ("needles", {"overlap_percent": 61}, "less than or equal"),
    ("acid", {"acid": "muriatic"}, "glycolic"),
    ("sun", {"colour": "red"}, "Extra inputs"),
    *(
        (name, {field: bad}, "finite")
        for name, field in (("fluence", "minutes"), ("heat", "power_w"))
        for bad in (math.nan, math.inf)
    ),
)


@pytest.mark.parametrize(("name", "given_", "words"), BAD, ids=[f"{b[0]} {b[1]}" for b in BAD])
def test_what_cannot_be_is_told(name: str, given_: dict[str, Any], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        CALCULATIONS[name].inputs(**given_)


@pytest.mark.parametrize("name", sorted(set(CALCULATIONS) - {"heat"}))
@settings(max_examples=20)
@given(data=st.data())
def test_whatever_is_asked_is_answered_with_numbers(name: str, data: st.DataObject) -> None:
    what = CALCULATIONS[name]
    given_ = data.draw(values(what.inputs))
    for by_itself in ("points", "set_at", "readings"):
        given_.pop(by_itself, None)
    try:
        found = what.work(what.inputs(**given_))
    except ValidationError as told:
        assert told.errors()
        return
    for key, quantity in found.numbers.items():
        assert quantity.value is None or math.isfinite(quantity.value), key
    for curve in found.curves:
        assert all(len(line.points) <= POINTS for line in curve.threads)
        assert all(math.isfinite(x) and math.isfinite(y) for line in curve.threads for x, y in line.points)
    told_by = [*found.cautions, *found.refused.values(), *(limit for curve in found.curves for limit in curve.limits)]
    assert {one.rule for one in told_by if one.rule} <= set(all_ids())
    assert set(found.refused) <= set(what.inputs.model_fields), "a refusal stands beside a field"


def test_a_warmed_zone_follows_its_power_its_readings_and_its_cold_head() -> None:
    plain, strong = asked("heat", minutes=1), asked("heat", minutes=1, power_w=18)
    rise = [one.numbers["surface"].value or 0 for one in (plain, strong)]
    assert rise[1] > rise[0] and (strong.numbers["peak"].value or 0) > rise[1], (
        "the hottest point lies below the surface"
    )
    # Readings along the model's own line with η = 0.5 give 0.5 back.
    half = asked("heat", minutes=1, absorbed=0.5)
    line = dict(next(one for one in half.curves[0].threads if one.name == "surface").points)
    seen = tuple((round(minute * 60, 3), celsius) for minute, celsius in sorted(line.items()) if 0 < minute <= 1)[::20]
    fitted = asked("heat", minutes=1, readings=seen)
    assert fitted.numbers["absorbed"].value == pytest.approx(0.5, abs=0.01)
    assert any(one.dots for one in fitted.curves[0].threads)
    cold = asked("heat", minutes=1, cold_c=0, cold_min=1)
    surface = next(one for one in cold.curves[0].threads if one.name == "surface").points
    assert surface[-1][0] == pytest.approx(2, abs=0.01) and surface[-1][1] < 20, "a minute of heat, a minute of cold"
    early = asked("heat", minutes=0.5, readings=((0, 34),))
    assert early.refused["readings"].rule == "rf_bulk.reading", "nothing can be fitted to a reading without power"


def test_a_curve_is_thinned_to_what_can_be_seen_and_keeps_its_ends() -> None:
    x = span(0, 10, 5000)
    drawn = thread("line", x, [value**2 for value in x])
    assert len(drawn.points) == 240 and drawn.points[0] == (0, 0) and drawn.points[-1] == (10, 100)
    assert thread("dots", [1, 2], [3, 4]).points == ((1, 3), (2, 4))


def test_a_plan_takes_what_the_bench_found_by_fields_that_are_there() -> None:
    for what in CALCULATIONS.values():
        for key, to in what.fills:
            assert "." in to and (key in asked(what.id).numbers or key in what.inputs.model_fields), (what.id, key)
    assert len({what.title for what in CALCULATIONS.values()}) == len(CALCULATIONS)
