"""The bioheat solver against analytic solutions, and against SciPy's stiff integrator on the same cells."""

from math import pi, sqrt

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.special import erfc

from merak.core.dose.bioheat import BLOOD_C, BLOOD_RHO, CORE_C, Body, Layer, Surface, absorbed_share, under_tip
from merak.core.modality import rf_bulk

K, ALPHA = 0.4, 1.1e-7
DEEP = (Layer("half space", 60, K, 1000, K / ALPHA / 1000),)


@pytest.mark.outside(
    "Carslaw & Jaeger: a step at the surface is erfc(x ÷ 2√αt)",
    values="0.5002 at 1 mm after 10 s",
    tolerance="0.05 °C in 10",
    memory=True,
)
def test_step_at_the_surface() -> None:
    body = Body(DEEP, Surface(CORE_C - 10, 1e9))
    run = body.run(np.zeros(100), 0.1, 1e-3, np.full(len(body.dz), CORE_C))
    exact = CORE_C - 10 * erfc(run.depth_mm / 1000 / (2 * sqrt(ALPHA * 10)))
    assert float(np.abs(run.inside_c[:, -1] - exact).max()) < 0.05
    assert erfc(1e-3 / (2 * sqrt(ALPHA * 10))) == pytest.approx(0.5002, abs=1e-4)


@pytest.mark.outside(
    "Carslaw & Jaeger: a source q·e^(−z/δ) under an insulated surface",
    values="whole profile, 60 s",
    tolerance="0.05 °C",
    memory=True,
)
@pytest.mark.parametrize("delta", [1e-3, 4e-3])
def test_a_source_that_falls_off(delta: float) -> None:
    flux, t, mu = 2000.0, 60.0, 1 / delta
    run = Body(DEEP, Surface(CORE_C, 1e-6)).run(np.full(600, flux), 0.1, delta)
    z, s = run.depth_mm / 1000, sqrt(ALPHA * t)

    def ierfc(x: np.ndarray) -> np.ndarray:
        return np.exp(-x * x) / sqrt(pi) - x * erfc(x)

    growth = np.exp(ALPHA * mu * mu * t) / (2 * mu)
    tail = growth * (np.exp(-mu * z) * erfc(mu * s - z / (2 * s)) + np.exp(mu * z) * erfc(mu * s + z / (2 * s)))
    exact = flux / K * (2 * s * ierfc(z / (2 * s)) - np.exp(-mu * z) / mu + tail)
    assert float(np.abs(run.inside_c[:, -1] - CORE_C - exact).max()) < 0.05


@pytest.mark.outside(
    "Pennes 1948: steady profile e^(−z/m), m = √(k ÷ ω·ρb·cb)",
    values="m 9.44 mm",
    tolerance="0.05 °C; 0.01 mm",
    memory=True,
)
def test_steady_state_with_blood() -> None:
    depth = sqrt(0.445 / (0.00125 * BLOOD_RHO * BLOOD_C))
    assert depth * 1000 == pytest.approx(9.44, abs=0.01)
    body = Body((Layer("dermis", 90, 0.445, 1200, 3300, 0.00125),), Surface(27, 1e9))
    assert float(np.abs(body.steady - (CORE_C - 10 * np.exp(-body.depth_m / depth))).max()) < 0.05


@pytest.mark.outside(
    "SciPy's LSODA on the same cells, a moving tip for a minute", values="surface and 1.5 mm", tolerance="0.01 °C"
)
def test_time_is_exact() -> None:
    """An integrator that is asked for tight steps comes to the same, power on and off as the tip passes, gel on top."""
    body = Body(rf_bulk.layers(), Surface(23, 10), Layer("gel", 1, 0.6, 1000, 4180))
    power = under_tip(60_000.0, 1.0, 10.0, 600, 0.1)
    run = body.run(power, 0.1, 4e-3)
    coupling = (body.mode * body.rate) @ body.mode.T * body.root[:, None] * body.root[None, :]
    capacity, source = body.root**2, body.absorbed(4e-3)
    now = body.steady
    for second in range(60):
        pushed = source * power[second * 10 : second * 10 + 10].mean()
        found = solve_ivp(
            lambda _, c, pushed=pushed: (coupling @ (c - body.steady) + pushed) / capacity,
            (0, 1),
            now,
            method="LSODA",
            rtol=1e-8,
            atol=1e-8,
        )
        now = found.y[:, -1]
    assert float(np.abs(now[body.first :][: len(run.depth_mm)] - run.inside_c[:, -1]).max()) < 0.01


def test_cem43_and_the_fit_follow_the_run() -> None:
    body = Body(rf_bulk.layers(), Surface(23, 10))
    unheated, full = body.run(np.zeros(1200), 0.1, 4e-3), body.run(np.full(1200, 1500.0), 0.1, 4e-3)
    true = body.run(np.full(1200, 0.62 * 1500.0), 0.1, 4e-3)
    readings = [(t, float(np.interp(t, true.seconds, true.surface_c))) for t in (20.0, 55.0, 90.0)]
    assert absorbed_share(readings, unheated, full) == pytest.approx(0.62, abs=1e-6)
    steady = body.run(np.zeros(600), 0.1, 4e-3, np.full(len(body.dz), 43.0))
    assert 0.5 < float(steady.cem43_min.max()) <= 1.0, "a minute that begins at 43 °C is less than a minute's worth"
    with pytest.raises(ValueError, match="no reading"):
        absorbed_share([(0.0, 34.0)], unheated, full)
