"""Energy of fractional radiofrequency."""

from typing import Literal

#: What the machine's watts mean.
Per = Literal["tip", "pin"]


def pulse_energy_j(power_w: float, pulse_ms: float) -> float:
    """Energy of a pulse in J: W × ms ÷ 1000. Definition."""
    return power_w * pulse_ms / 1000


def pin_energy_mj(power_w: float, pulse_ms: float, pins: int, per: Per) -> float:
    """Energy a pin gives in mJ: W × ms, shared among the pins where the watts are the tip's. Raises ValueError without
    pins.
    """
    if pins < 1:
        raise ValueError("a tip has pins")
    return power_w * pulse_ms / (pins if per == "tip" else 1)


def fluence_j_cm2(power_w: float, pulse_ms: float, pins: int, per: Per, tip_cm2: float, passes: int = 1) -> float:
    """Energy over the tip's area in J/cm², all passes. Raises ValueError for a tip of no area."""
    if tip_cm2 <= 0:
        raise ValueError("the tip's area must be positive")
    return pin_energy_mj(power_w, pulse_ms, pins, per) * pins / 1000 / tip_cm2 * passes


def step_ratio(power_w: float, pulse_ms: float, next_power_w: float, next_pulse_ms: float) -> float:
    """Energy of the next setting ÷ this one: 6 W × 30 ms after 5 W × 20 ms is 1.8."""
    return next_power_w * next_pulse_ms / (power_w * pulse_ms)
