"""Pulsed light on a target, as a lumped body: relaxation, pulse trains, relative heating. Relative
only: never "safe".
"""

from collections.abc import Sequence
from math import exp, expm1, sqrt

#: Thermal diffusivity of tissue, cm²/s (Anderson & Parrish 1983; from memory).
DIFFUSIVITY_CM2_S = 1.3e-3
#: Volumetric heat capacity, J/(cm³·K) (house default after handbook tables).
HEAT_CAPACITY_J_CM3_K = 4.3


def relaxation_ms(diameter_um: float, sphere: bool = False) -> float:
    """Thermal relaxation time in ms: d²/16κ of a cylinder, d²/24κ of a sphere (`diameter_um` in µm).

    Anderson & Parrish 1983; from memory: a vessel of 100 µm takes 4.8 ms.
    """
    d_cm = diameter_um * 1e-4
    return d_cm**2 / ((24 if sphere else 16) * DIFFUSIVITY_CM2_S) * 1000


def pulse_rise(adiabatic_k: float, width_ms: float, tau_ms: float) -> float:
    """Rise in K at the end of one pulse of a body that cools with τ meanwhile: ΔT·(τ/tp)·(1 − e^(−tp/τ))."""
    share = width_ms / tau_ms
    return adiabatic_k * (-expm1(-share) / share if share > 1e-9 else 1.0)


def train(adiabatic_k: float, width_ms: float, period_ms: float, pulses: int, tau_ms: float) -> tuple[float, ...]:
    """Rise in K at the end of each pulse of a train; what is left of earlier ones decays with e^(−period/τ). Lumped
    model.

    `period_ms` is from start to start. Raises ValueError for pulses that overlap.
    """
    if period_ms < width_ms:
        raise ValueError("the pulses overlap: the delay is negative")
    one, left, rises = pulse_rise(adiabatic_k, width_ms, tau_ms), 0.0, []
    for _ in range(pulses):
        left = left * exp(-period_ms / tau_ms) + one
        rises.append(left)
    return tuple(rises)


def adiabatic_rise(mu_a_cm: float, fluence_j_cm2: float, backscatter: float = 2.0) -> float:
    """Rise in K without loss: µa·F·β/(ρc), µa in 1/cm, F in J/cm²; β is the build-up of light by
    scattering, 1.5 to 3.
    """
    return mu_a_cm * fluence_j_cm2 * backscatter / HEAT_CAPACITY_J_CM3_K


def melanosome_mu_a(wavelength_nm: float) -> float:
    """Absorption of a melanosome in 1/cm: 6.6e11·λ^−3.33 (Jacques 2013; from memory): 227.9 at 694 nm."""
    return float(6.6e11 * wavelength_nm**-3.33)


def baseline_mu_a(wavelength_nm: float) -> float:
    """Absorption of skin without melanin and blood in 1/cm: 0.244 + 85.3·e^(−(λ−154)/66.2) (Jacques
    1998; from memory).
    """
    return 0.244 + 85.3 * exp(-(wavelength_nm - 154) / 66.2)


def epidermis_mu_a(wavelength_nm: float, melanin_share: float) -> float:
    """Absorption of epidermis in 1/cm: f·µmel + (1 − f)·µbase (Jacques 1998, 2013; from memory).

    The melanin share f is 0.01 to 0.06 in light, 0.11 to 0.16 in moderate, 0.18 to 0.43 in dark skin.
    """
    return melanin_share * melanosome_mu_a(wavelength_nm) + (1 - melanin_share) * baseline_mu_a(wavelength_nm)


def reduced_scattering(wavelength_nm: float) -> float:
    """Reduced scattering of skin in 1/cm: 46·(λ/500)^−1.421 (Jacques 2013; from memory): 32.90 at 633 nm."""
    return float(46 * (wavelength_nm / 500) ** -1.421)


def penetration_mm(mu_a_cm: float, mu_s_reduced_cm: float) -> float:
    """Depth in mm at which diffuse light falls to 1/e: 1/√(3µa(µa + µs′)) (diffusion theory). Raises ValueError without
    absorption.
    """
    if mu_a_cm <= 0:
        raise ValueError("nothing absorbs")
    return 10 / sqrt(3 * mu_a_cm * (mu_a_cm + mu_s_reduced_cm))


def cooling_curve(
    rises: Sequence[float], width_ms: float, period_ms: float, tau_ms: float, until_ms: float
) -> list[tuple[float, float]]:
    """(ms, K) of a train for drawing: straight up while the pulse is on, e^(−t/τ) after."""
    points: list[tuple[float, float]] = [(0.0, 0.0)]
    for n, rise in enumerate(rises):
        begin, end = n * period_ms, n * period_ms + width_ms
        if n:
            points.append((begin, rises[n - 1] * exp(-(period_ms - width_ms) / tau_ms)))
        points.append((end, rise))
        stop = (n + 1) * period_ms if n + 1 < len(rises) else until_ms
        points += [
            (t, rise * exp(-(t - end) / tau_ms))
            for k in range(1, 21)
            if (t := end + (stop - end) * (k / 20) ** 2) <= until_ms
        ]
    return points
