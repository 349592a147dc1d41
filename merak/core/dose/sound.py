"""Ultrasound: time for an area, mean intensity, intensity at depth."""


def minutes_over(area_cm2: float, radiating_cm2: float, duty: float = 1.0, minutes_each: float = 1.0) -> float:
    """Minutes for an area: area ÷ effective radiating area ÷ duty, a minute each (common practice).

    Raises ValueError for a head or a duty of zero.
    """
    if radiating_cm2 <= 0 or not 0 < duty <= 1:
        raise ValueError("the head's area and the duty must be positive")
    return area_cm2 / radiating_cm2 / duty * minutes_each


def mean_intensity(peak_w_cm2: float, duty: float) -> float:
    """Intensity averaged over the pulses in W/cm²: peak × duty. Definition."""
    return peak_w_cm2 * duty


def share_at_depth(frequency_mhz: float, depth_cm: float, db_cm_mhz: float = 0.7) -> float:
    """Share of the intensity left at a depth: 10^(−α·f·z/10), α in dB/(cm·MHz). 3 MHz at 1 cm: 0.617."""
    return float(10 ** (-db_cm_mhz * frequency_mhz * depth_cm / 10))
