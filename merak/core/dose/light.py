"""Light as a dose: irradiance, fluence, distance."""

from collections.abc import Sequence
from itertools import pairwise
from math import cos, exp, log, radians


def fluence_j_cm2(irradiance_mw_cm2: float, minutes: float, duty: float = 1.0) -> float:
    """Fluence in J/cm² of `irradiance_mw_cm2` (mW/cm²) for `minutes` at `duty` (0 to 1). Definition H = E·t·duty."""
    return irradiance_mw_cm2 / 1000 * minutes * 60 * duty


def minutes_for(fluence_in_j_cm2: float, irradiance_mw_cm2: float, duty: float = 1.0) -> float:
    """Minutes to reach a fluence (J/cm²). Raises ValueError where there is no light."""
    if irradiance_mw_cm2 <= 0 or duty <= 0:
        raise ValueError("no light reaches the skin")
    return fluence_in_j_cm2 * 1000 / (irradiance_mw_cm2 * duty) / 60


def irradiance_at(distance_cm: float, points: Sequence[tuple[float, float]]) -> float | None:
    """Irradiance in mW/cm² at a distance (cm), straight in log–log between measured (cm, mW/cm²) points; None outside
    them.

    Exact for any power law, the inverse square among them; never extrapolated (rule led.distance).
    """
    ordered = sorted(points)
    for (near, bright), (far, dim) in pairwise(ordered):
        if near <= distance_cm <= far:
            share = log(distance_cm / near) / log(far / near)
            return exp(log(bright) + share * log(dim / bright))
    return ordered[0][1] if len(ordered) == 1 and ordered[0][0] == distance_cm else None


#: h·c/e in eV·nm, CODATA 2018 (exact constants).
PHOTON_EV_NM = 1239.841984


def photon_ev(wavelength_nm: float) -> float:
    """Energy of a photon in eV: h·c/λ (λ in nm, positive)."""
    return PHOTON_EV_NM / wavelength_nm


def disc_share(distance_cm: float, radius_cm: float, angle_deg: float = 0) -> float:
    """Irradiance on the axis of an evenly bright disc, as a share of that at its face: R²/(R² + d²), × cos of the tilt.

    A model for want of measured points, and only relative.
    """
    return radius_cm**2 / (radius_cm**2 + distance_cm**2) * max(0.0, cos(radians(angle_deg)))


def duty_of(rate_hz: float, width_ms: float) -> float:
    """Share of the time that pulsed light is on, 0 to 1: rate × width. Raises ValueError when the pulses run into each
    other.
    """
    duty = rate_hz * width_ms / 1000
    if not 0 < duty <= 1:
        raise ValueError("the pulses are longer than their period")
    return duty


def programme_fluence(parts: Sequence[tuple[float, float, float]]) -> float:
    """Fluence in J/cm² of several parts (irradiance mW/cm², minutes, duty), one after the other or heads together: they
    add.
    """
    return sum(fluence_j_cm2(*part) for part in parts)
