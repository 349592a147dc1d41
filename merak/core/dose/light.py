"""Light as a dose: irradiance, fluence, distance."""

from collections.abc import Sequence
from itertools import pairwise
from math import exp, log


def fluence_j_cm2(irradiance_mw_cm2: float, minutes: float, duty: float = 1.0) -> float:
    """Fluence in J/cm² of `irradiance_mw_cm2` (mW/cm²) for `minutes` at `duty` (0 to 1). Definition H = E·t·duty."""
    return irradiance_mw_cm2 / 1000 * minutes * 60 * duty


def minutes_for(fluence_in_j_cm2: float, irradiance_mw_cm2: float, duty: float = 1.0) -> float:
    """Minutes to reach a fluence (J/cm²). Raises ValueError where there is no light."""
    if irradiance_mw_cm2 <= 0 or duty <= 0:
        raise ValueError("no light reaches the skin")
    return fluence_in_j_cm2 * 1000 / (irradiance_mw_cm2 * duty) / 60


def irradiance_at(distance_cm: float, points: Sequence[tuple[float, float]]) -> float | None:
    """Irradiance in mW/cm² at a distance (cm), straight in log–log between measured (cm, mW/cm²) points; None outside them.

    Exact for any power law, the inverse square among them; never extrapolated (rule led.distance).
    """
    ordered = sorted(points)
    for (near, bright), (far, dim) in pairwise(ordered):
        if near <= distance_cm <= far:
            share = log(distance_cm / near) / log(far / near)
            return exp(log(bright) + share * log(dim / bright))
    return ordered[0][1] if len(ordered) == 1 and ordered[0][0] == distance_cm else None
