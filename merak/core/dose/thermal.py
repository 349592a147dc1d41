"""What heat does to skin: thermal dose, burn integral, dwell, and what an infrared reading is worth."""

from collections.abc import Sequence
from itertools import pairwise
from math import exp, inf

#: R below and from 43 °C up (Sapareto & Dewey 1984; from memory).
R_BELOW, R_ABOVE, BREAK_C = 0.25, 0.5, 43.0
#: Beyond this a dose is none any more, °C: it is told as if it were this, so that it stays a number.
CHARRED_C = 200.0
#: Henriques 1947, from memory: frequency factor 1/s, activation energy J/mol; the molar gas constant J/(mol·K).
HENRIQUES_A, HENRIQUES_E, GAS_R = 3.1e98, 6.28e5, 8.314
KELVIN = 273.15


def cem43_min(temperature_c: float, minutes: float) -> float:
    """Cumulative equivalent minutes at 43 °C of a steady temperature: t·R^(43 − T).

    Sapareto & Dewey 1984; from memory. For seconds to hours, not for pulses of milliseconds.
    """
    away = BREAK_C - min(temperature_c, CHARRED_C)
    return float(minutes * (R_ABOVE if temperature_c >= BREAK_C else R_BELOW) ** away)


def cem43_of(readings: Sequence[tuple[float, float]], steps: int = 50) -> float:
    """CEM43 in minutes of measured (second, °C) readings in the order of time, straight between them.

    Raises ValueError for readings out of order.
    """
    total = 0.0
    for (t0, c0), (t1, c1) in pairwise(readings):
        if t1 < t0:
            raise ValueError("readings must stand in the order of time")
        total += sum(cem43_min(c0 + (c1 - c0) * (n + 0.5) / steps, (t1 - t0) / 60 / steps) for n in range(steps))
    return total


def burn_integral(temperature_c: float, seconds: float) -> float:
    """Henriques' damage integral Ω of a steady temperature: A·e^(−E/RT)·t; 1 is a burn through the epidermis.

    Henriques 1947; from memory: 1 at 50 °C after 1056 s.
    """
    return HENRIQUES_A * exp(-HENRIQUES_E / (GAS_R * (temperature_c + KELVIN))) * seconds


def seconds_to_burn(temperature_c: float) -> float:
    """Seconds until Ω = 1 at a steady temperature (°C)."""
    return 1 / burn_integral(temperature_c, 1)


def dwell_left_s(temperature_c: float, rise_c_s: float, longest_s: float = 3.0, stop_c: float = 43.0) -> float:
    """Seconds that the tip may stay: the smaller of `longest_s` (common practice) and (stop − T) ÷
    rate, never below 0.
    """
    return max(0.0, min(longest_s, (stop_c - temperature_c) / rise_c_s if rise_c_s > 0 else inf))


def heating_rate_c_s(
    power_w: float, area_cm2: float, depth_mm: float, absorbed: float = 1.0, rho_c: float = 3.96e6
) -> float:
    """Heating rate in °C/s at the surface under a tip, without loss: η·P/(A·δ)/ρc, ρc in J/(m³·K) (dermis).

    Raises ValueError for a tip or a depth of zero.
    """
    if area_cm2 <= 0 or depth_mm <= 0:
        raise ValueError("the tip's area and the depth must be positive")
    return absorbed * power_w / (area_cm2 * 1e-4 * depth_mm * 1e-3) / rho_c


def pass_dose_j_cm2(power_w: float, speed_mm_s: float, width_mm: float) -> float:
    """Energy a pass lays down in J/cm²: P ÷ (speed × width): 30 W, 20 mm/s, 20 mm give 7.5. Raises ValueError without
    movement.
    """
    if speed_mm_s <= 0 or width_mm <= 0:
        raise ValueError("the tip must move")
    return power_w / (speed_mm_s * width_mm / 100)


def infrared_reads_c(skin_c: float, set_emissivity: float, emissivity: float = 0.98, room_c: float = 22.0) -> float:
    """What an infrared thermometer set to an emissivity shows over skin in a room, °C (Stefan–Boltzmann, all
    wavelengths).

    Raises ValueError for an emissivity that is none.
    """
    _emissive(set_emissivity, emissivity)
    seen = emissivity * (skin_c + KELVIN) ** 4 + (1 - emissivity) * (room_c + KELVIN) ** 4
    return float(((seen - (1 - set_emissivity) * (room_c + KELVIN) ** 4) / set_emissivity) ** 0.25 - KELVIN)


def skin_from_infrared_c(
    reading_c: float, set_emissivity: float, emissivity: float = 0.98, room_c: float = 22.0
) -> float:
    """The skin's temperature behind an infrared reading, °C: the same turned round.

    Raises ValueError for an emissivity that is none, and for a reading below what the room alone reflects.
    """
    _emissive(set_emissivity, emissivity)
    seen = set_emissivity * (reading_c + KELVIN) ** 4 + (1 - set_emissivity) * (room_c + KELVIN) ** 4
    own = (seen - (1 - emissivity) * (room_c + KELVIN) ** 4) / emissivity
    if own <= 0:
        raise ValueError("the room alone reflects more than this reading")
    return float(own**0.25 - KELVIN)


def _emissive(*values: float) -> None:
    if any(not 0 < value <= 1 for value in values):
        raise ValueError("emissivity lies above 0 and up to 1")


#: (material, seconds, °C): contact below these does not burn (ISO 13732-1; from memory), by the temperature of the
#: touched surface.
CONTACT_BURN = (
    ("any", 600.0, 48.0),
    ("any", 28800.0, 43.0),
    ("metal", 60.0, 51.0),
    ("glass", 60.0, 56.0),
    ("plastic", 60.0, 60.0),
)


def contact_limit_c(material: str, seconds: float) -> float:
    """The highest temperature of a touched surface that ISO 13732-1 (from memory) allows for a contact at least that
    long, °C.

    The next longer tabled time counts, never a shorter one; above 8 hours the last value. Raises ValueError for a
    material not tabled.
    """
    if material not in ("metal", "glass", "plastic"):
        raise ValueError("metal, glass or plastic")
    rows = sorted((time, limit) for name, time, limit in CONTACT_BURN if name in (material, "any"))
    return next((limit for time, limit in rows if seconds <= time), rows[-1][1])
