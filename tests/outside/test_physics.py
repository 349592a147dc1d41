"""Doses against published figures, SI definitions and general libraries. Figures are quoted from memory unless a
library gives them.
"""

import numpy as np
import pint
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import constants
from scipy.interpolate import interp1d

from builders.briefs import LIFT
from merak.core.dose.current import FARADAY_C_MOL, amount_umol, charge_mc, density_ma_cm2
from merak.core.dose.light import fluence_j_cm2, irradiance_at, minutes_for
from merak.core.dose.product import film_ml

UNITS = pint.UnitRegistry()


@pytest.mark.outside(
    "Goldberg & Russell 2006: 415 nm at 40 mW/cm² for 20 min; 633 nm at 80",
    values="48 J/cm²; 96 J/cm²",
    tolerance="1e-12",
    memory=True,
)
@pytest.mark.parametrize(("irradiance", "fluence"), [(40, 48), (80, 96)])
def test_published_fluences(irradiance: float, fluence: float) -> None:
    assert fluence_j_cm2(irradiance, 20) == pytest.approx(fluence, rel=1e-12)
    assert minutes_for(fluence, irradiance) == pytest.approx(20, rel=1e-12)


@pytest.mark.outside("Pint: mW/cm² × min → J/cm²", values="any", tolerance="1e-9")
@given(st.floats(0.1, 500), st.floats(0.1, 120), st.floats(0.01, 1))
def test_fluence_in_a_units_library(irradiance: float, minutes: float, duty: float) -> None:
    expected = (irradiance * UNITS.mW / UNITS.cm**2 * duty * minutes * UNITS.minute).to("J/cm**2").magnitude
    assert fluence_j_cm2(irradiance, minutes, duty) == pytest.approx(expected, rel=1e-9)


@pytest.mark.outside(
    "inverse-square law of a point source; SciPy's linear interpolation in log–log",
    values="4 distances; 12 cm",
    tolerance="1e-9",
)
def test_irradiance_between_measured_points() -> None:
    point_source = [(d, 5000 / d**2) for d in (5.0, 10.0, 20.0, 40.0)]
    for distance in (5.0, 7.3, 14.9, 40.0):
        assert irradiance_at(distance, point_source) == pytest.approx(5000 / distance**2, rel=1e-9)
    panel = [(5.0, 96.0), (10.0, 62.0), (15.0, 41.0), (25.0, 20.0)]
    log_log = interp1d(np.log([d for d, _ in panel]), np.log([e for _, e in panel]))
    assert irradiance_at(12, panel) == pytest.approx(float(np.exp(log_log(np.log(12)))), rel=1e-9)
    assert irradiance_at(4.9, panel) is None and irradiance_at(25.1, panel) is None


@pytest.mark.outside(
    "CODATA by scipy.constants: 1 mA·min, ten minutes of it",
    values="0.06 C; 0.6219, 6.219 µmol",
    tolerance="5e-5; 5e-4",
)
def test_charge_and_faraday() -> None:
    assert charge_mc(1000, 60) == pytest.approx(60)
    assert amount_umol(charge_mc(1000, 60)) == pytest.approx(0.6219, abs=5e-5)
    assert amount_umol(charge_mc(1000, 600)) == pytest.approx(6.219, abs=5e-4)
    assert pytest.approx(constants.value("Faraday constant"), rel=1e-9) == FARADAY_C_MOL


@pytest.mark.outside(
    "definition J = I/A by Pint; 1 mA on a 0.2 cm² probe", values="any; 5 mA/cm²", tolerance="1e-9; 1e-6"
)
@given(st.floats(1, 1000), st.floats(0.05, 50))
def test_density_in_a_units_library(current: float, area: float) -> None:
    expected = (current * UNITS.microampere / (area * UNITS.cm**2)).to("mA/cm**2").magnitude
    assert density_ma_cm2(current, area) == pytest.approx(expected, rel=1e-9)
    assert density_ma_cm2(1000, 0.2) == pytest.approx(5)


@pytest.mark.outside(
    "Pint: cm² × mm → mL; ISO 24444's 2 mg/cm² at 1 g/mL is a film of 0.02 mm", values="any", tolerance="1e-9; 1e-6"
)
@given(st.floats(1, 600), st.floats(0.01, 3))
def test_film_in_a_units_library(area: float, film: float) -> None:
    expected = (area * UNITS.cm**2 * film * UNITS.mm).to("mL").magnitude
    assert film_ml(area, film) == pytest.approx(expected, rel=1e-9)
    assert film_ml(area, 0.02) * 1000 == pytest.approx(2 * area)


@pytest.mark.outside("numpy.interp, beside the card's own straight lines", values="any level", tolerance="1e-12")
@given(st.floats(0, 11))
def test_calibration_is_linear_interpolation(level: float) -> None:
    at, ua = zip(*LIFT.calibration, strict=True)
    current = LIFT.current_ua(level)
    assert (current is None) == (not 1 <= level <= 10), "never extrapolated"
    if current is not None:
        assert current == pytest.approx(float(np.interp(level, at, ua)), rel=1e-12)
        assert LIFT.level_for(current) == pytest.approx(level, abs=0.006)
