"""Needles: how many channels, how deep beside the skin's layers."""

from math import exp, pi


def pen_density_cm2(needles: int, rate_hz: float, seconds: float, area_cm2: float, overlap: float = 0.0) -> float:
    """Punctures a cm² of a stamping pen: N·f·t/A, where strokes overlap by a share of the tip, ÷ (1 − overlap).

    Geometry: 12 needles at 100 Hz for 60 s over 100 cm² make 720. Raises ValueError for no area or an overlap that is
    none.
    """
    if area_cm2 <= 0 or not 0 <= overlap < 1:
        raise ValueError("the area must be positive, the overlap below the whole tip")
    return needles * rate_hz * seconds / area_cm2 / (1 - overlap)


def roller_density_cm2(needles: int, diameter_cm: float, width_cm: float, passes: float = 1) -> float:
    """Punctures a cm² of a roller: N/(π·D·w) a pass. Geometry: 192 on 2 cm × 2 cm make 15.28. Raises ValueError for no
    roller.
    """
    if diameter_cm <= 0 or width_cm <= 0:
        raise ValueError("the roller has a diameter and a width")
    return needles / (pi * diameter_cm * width_cm) * passes


def untouched_share(density_cm2: float, channel_mm: float) -> float:
    """Share of the skin that no channel touches when they fall at random: e^(−density × channel
    area), diameter in mm.
    """
    return exp(-density_cm2 * pi * (channel_mm / 20) ** 2)


def layer_reached(depth_mm: float, epidermis_mm: float, dermis_mm: float) -> str:
    """The deepest layer that a set depth reaches; real depth is often less."""
    if depth_mm <= epidermis_mm:
        return "epidermis"
    return "dermis" if depth_mm <= epidermis_mm + dermis_mm else "below the dermis"
