"""Formulas at their edges: what they are not defined for is told, what they are proportional to stays proportional."""

from collections.abc import Callable
from math import exp, pi

import pytest
from hypothesis import given
from hypothesis import strategies as st

from merak.core.dose import (
    abrasion,
    acids,
    bioheat,
    current,
    focused,
    light,
    needles,
    numbing,
    product,
    pulses,
    radio,
    sound,
    sun,
    thermal,
)

SKIN = (bioheat.Layer("skin", 2, 0.4, 1100, 3400), bioheat.Layer("fat", 10, 0.2, 900, 2300))

#: A formula outside the values that it is made for, and what is said.
NOT_DEFINED: tuple[tuple[str, Callable[[], object], str], ...] = (
    ("a tip of zero", lambda: abrasion.path_mm(300, 0), "has a width"),
    ("an overlap of the whole tip", lambda: abrasion.path_mm(300, 8, 1), "overlap by less"),
    ("a tip that stands", lambda: abrasion.point_dwell_s(8, 0, 1), "must move"),
    ("an acid that is not tabled", lambda: acids.bicarbonate_g(1, "muriatic"), "no acid"),
    ("no contact", lambda: current.density_ma_cm2(100, 0), "contact area"),
    ("phases longer than their period", lambda: current.rms_ma(20, 2000, 251), "longer than the period"),
    ("no water", lambda: current.unbuffered_ph(1, 0), "some water"),
    ("lines on one another", lambda: focused.line_count(60, 0), "spacing"),
    ("no light", lambda: light.minutes_for(48, 0), "no light"),
    ("light that is never on", lambda: light.minutes_for(48, 40, 0), "no light"),
    ("pulses that run into each other", lambda: light.duty_of(200, 6), "longer than their period"),
    ("no area under a pen", lambda: needles.pen_density_cm2(12, 100, 60, 0), "area must be positive"),
    ("no roller", lambda: needles.roller_density_cm2(192, 0, 2), "a diameter"),
    ("no weight", lambda: numbing.injection_share(100, 0), "weight"),
    ("a label without limits", lambda: numbing.label_share(1, 10, 1, 0, 200, 4), "positive limits"),
    ("overlapping pulses", lambda: pulses.train(1, 5, 4, 2, 5), "delay is negative"),
    ("nothing that absorbs", lambda: pulses.penetration_mm(0, 30), "nothing absorbs"),
    ("a tip without pins", lambda: radio.pin_energy_mj(5, 20, 0, "tip"), "has pins"),
    ("a tip of no area", lambda: radio.fluence_j_cm2(5, 20, 49, "tip", 0), "area must be positive"),
    ("no head", lambda: sound.minutes_over(30, 0), "head"),
    ("no duty", lambda: sound.minutes_over(30, 5, 0), "duty"),
    ("no sun", lambda: sun.seconds_to_sed(0), "UV index"),
    ("readings out of order", lambda: thermal.cem43_of([(60, 41), (30, 42)]), "order of time"),
    ("no tip", lambda: thermal.heating_rate_c_s(10, 0, 4), "area and the depth"),
    ("a tip without movement", lambda: thermal.pass_dose_j_cm2(10, 0, 20), "must move"),
    ("an emissivity of zero", lambda: thermal.infrared_reads_c(34, 0), "emissivity"),
    ("a reading below the room's own", lambda: thermal.skin_from_infrared_c(-200, 0.9, 0.5, 40), "room alone"),
    ("wood", lambda: thermal.contact_limit_c("wood", 60), "metal, glass or plastic"),
    ("a layer without thickness", lambda: bioheat.Body([bioheat.Layer("x", 0, 1, 1, 1)], bioheat.Surface()), "thick"),
    ("a stay longer than a round", lambda: bioheat.under_tip(1, 2, 1, 5, 0.1), "a part of each round"),
    ("no step", lambda: bioheat.body(SKIN, bioheat.Surface()).run(bioheat.np.ones(3), 0, 1e-3), "must be positive"),
    (
        "another skin's profile",
        lambda: bioheat.body(SKIN, bioheat.Surface()).run(bioheat.np.ones(3), 0.1, 1e-3, bioheat.np.zeros(2)),
        "other layers",
    ),
)


@pytest.mark.parametrize(("what", "formula", "words"), NOT_DEFINED, ids=[one[0] for one in NOT_DEFINED])
def test_what_a_formula_is_not_made_for_is_told(what: str, formula: Callable[[], object], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        formula()


SOME = st.floats(0.1, 50)


@given(SOME, SOME, st.floats(1.1, 9))
def test_twice_as_much_is_twice_as_much(a: float, b: float, times: float) -> None:
    """Each of these is linear in its first value."""
    linear: tuple[Callable[[float], float], ...] = (
        lambda x: current.density_ma_cm2(x, b),
        lambda x: current.charge_mc(x, b),
        lambda x: current.dose_ma_min(x, b),
        lambda x: current.hydroxide_umol(x, b),
        lambda x: current.rms_ma(x, 300, 50),
        lambda x: light.fluence_j_cm2(x, b, 0.5),
        lambda x: sound.mean_intensity(x, 0.5),
        lambda x: sound.minutes_over(x, b, 0.5),
        lambda x: needles.pen_density_cm2(12, 100, x, b),
        lambda x: needles.roller_density_cm2(192, 2, 2, x),
        lambda x: numbing.milligrams(x, b),
        lambda x: radio.pulse_energy_j(x, b),
        lambda x: radio.pin_energy_mj(x, b, 49, "tip"),
        lambda x: thermal.pass_dose_j_cm2(x, b, 20),
        lambda x: thermal.heating_rate_c_s(x, b, 4),
        lambda x: abrasion.liquid_ml(x, b),
        lambda x: abrasion.path_mm(x, b),
        lambda x: product.film_ml(x, b),
        lambda x: product.layer_g(x, b),
        lambda x: pulses.adiabatic_rise(x, b),
        lambda x: acids.bicarbonate_g(x, "glycolic"),
        lambda x: sun.seconds_to_sed(6, x),
        lambda x: thermal.cem43_min(41, x),
        lambda x: thermal.burn_integral(50, x),
    )
    for n, formula in enumerate(linear):
        assert formula(a * times) == pytest.approx(formula(a) * times, rel=1e-9), n


@given(SOME, st.floats(0.2, 5), st.floats(0.01, 0.9))
def test_what_undoes_what(value: float, other: float, share: float) -> None:
    minutes = light.minutes_for(value, other * 20, share)
    assert light.fluence_j_cm2(other * 20, minutes, share) == pytest.approx(value)
    read = thermal.infrared_reads_c(value, 0.95, 0.98)
    assert thermal.skin_from_infrared_c(read, 0.95, 0.98) == pytest.approx(value, abs=1e-6)
    assert thermal.seconds_to_burn(45 + other) * thermal.burn_integral(45 + other, 1) == pytest.approx(1)


@given(st.floats(30, 60), st.floats(0.1, 5))
def test_hotter_is_never_less(celsius: float, more: float) -> None:
    assert thermal.cem43_min(celsius + more, 1) > thermal.cem43_min(celsius, 1)
    assert thermal.seconds_to_burn(celsius + more) < thermal.seconds_to_burn(celsius)
    stay = [thermal.dwell_left_s(one, 2) for one in (celsius, celsius + more)]
    assert 0 <= stay[1] <= stay[0] <= 3
    assert thermal.dwell_left_s(celsius, 0) == (3 if celsius < 43 else thermal.dwell_left_s(celsius, 0))


def test_no_temperature_makes_a_number_that_is_none() -> None:
    assert thermal.cem43_min(1e6, 1) == thermal.cem43_min(200, 1) < float("inf")
    assert acids.free_share(400, 3.83) == pytest.approx(0, abs=1e-200)
    assert current.unbuffered_ph(0, 2) == current.unbuffered_ph(1e-9, 2) == 7, "never below neutral"


def test_the_solver_keeps_still_skin_still_and_a_quarter_of_the_time_is_a_quarter_of_the_power() -> None:
    skin = bioheat.body(SKIN, bioheat.Surface(22, 10))
    still = skin.run(bioheat.np.zeros(50), 0.1, 4e-3)
    assert still.surface_c == pytest.approx(still.surface_c[0]) and still.reaches(45) is None
    power = bioheat.under_tip(1000, 0.5, 2, 40, 0.1)
    assert power.mean() == pytest.approx(250) and power.max() == pytest.approx(1000)
    heated = skin.run(bioheat.np.full(600, 3000.0), 0.1, 4e-3)
    first = heated.reaches(40)
    assert first is not None and heated.reaches(40, inside=True) is not None
    assert (heated.reaches(40, inside=True) or 0) <= first, "it is warm below before it is warm above"
    again = bioheat.absorbed_share([(30.0, float(heated.surface_c[300]))], still_for(600), heated)
    assert again == pytest.approx(1, abs=1e-6)
    with pytest.raises(ValueError, match="under power"):
        bioheat.absorbed_share([(0.0, 34.0)], still_for(600), heated)


def still_for(samples: int) -> bioheat.HeatRun:
    return bioheat.body(SKIN, bioheat.Surface(22, 10)).run(bioheat.np.zeros(samples), 0.1, 4e-3)


def test_light_falls_off_and_reddens_by_its_table() -> None:
    assert [sun.erythema_weight(nm) for nm in (250, 298, 401)] == [1, 1, 0]
    assert sun.erythema_weight(328) == pytest.approx(10 ** (0.094 * -30)) and sun.erythema_weight(400) > 0
    assert light.irradiance_at(10, [(10, 62)]) == 62 and light.irradiance_at(11, [(10, 62)]) is None
    assert light.disc_share(0, 5) == 1 and light.disc_share(5, 5, 90) == pytest.approx(0, abs=1e-9)
    assert light.duty_of(100, 5) == 0.5
    assert light.programme_fluence([(40, 10, 1), (20, 5, 0.5)]) == pytest.approx(27)


def test_a_train_of_pulses_heats_and_cools() -> None:
    one = pulses.pulse_rise(10, 5, 5)
    assert one == pytest.approx(10 * (1 - exp(-1))) and pulses.pulse_rise(10, 1e-12, 5) == 10
    far = pulses.train(10, 5, 1e4, 3, 5)
    assert far == pytest.approx((one, one, one)), "what has cooled does not add"
    near = pulses.train(10, 5, 6, 3, 5)
    assert near[0] < near[1] < near[2] < one / (1 - exp(-6 / 5))
    drawn = pulses.cooling_curve(near, 5, 6, 5, 40)
    assert drawn[0] == (0, 0) and max(k for _, k in drawn) == near[2] and drawn[-1][0] == pytest.approx(40)
    assert pulses.relaxation_ms(100, sphere=True) == pytest.approx(pulses.relaxation_ms(100) * 16 / 24)
    assert pulses.penetration_mm(1, 32.9) == pytest.approx(10 / (3 * 33.9) ** 0.5)


def test_where_a_depth_ends_and_what_no_needle_touches() -> None:
    assert [needles.layer_reached(mm, 0.06, 1.97) for mm in (0.05, 0.06, 0.07, 2.03, 2.04)] == [
        "epidermis",
        "epidermis",
        "dermis",
        "dermis",
        "below the dermis",
    ]
    assert needles.untouched_share(0, 0.1) == 1
    assert needles.untouched_share(1000, 0.1) == pytest.approx(exp(-1000 * pi * 0.005**2))


def test_which_of_a_labels_limits_is_nearest() -> None:
    shares = [numbing.label_share(g, cm2, h, 20, 200, 4) for g, cm2, h in ((10, 50, 1), (5, 150, 1), (5, 50, 3))]
    assert shares == [0.5, 0.75, 0.75]
    assert numbing.injection_share(300, 100) == 1 == numbing.injection_share(225, 50), "300 mg, or 4.5 mg a kilogram"
    assert focused.line_count(0, 3) == 0 and focused.line_count(60, 3) == 21 and focused.line_count(59.9, 3) == 20
    assert focused.too_deep(5.6, 7, 1.5) and not focused.too_deep(5.5, 7, 1.5)
