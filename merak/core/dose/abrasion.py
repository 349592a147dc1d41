"""Abrasion: liquid through a wet tip, how often a point is passed over."""


def liquid_ml(flow_ml_min: float, minutes: float) -> float:
    """Liquid used in mL: flow × time. Definition."""
    return flow_ml_min * minutes


def path_mm(area_cm2: float, tip_mm: float, overlap: float = 0.0) -> float:
    """Length in mm of a path that covers an area once at a tip width: area ÷ (width × (1 − overlap)).

    Raises ValueError for a tip of zero or an overlap of the whole tip.
    """
    if tip_mm <= 0 or not 0 <= overlap < 1:
        raise ValueError("the tip has a width, and rows overlap by less than that")
    return area_cm2 * 100 / (tip_mm * (1 - overlap))


def point_dwell_s(tip_mm: float, speed_mm_s: float, passes: float) -> float:
    """Seconds that a point lies under the moving tip, all passes: width ÷ speed × passes. Raises ValueError without
    movement.
    """
    if speed_mm_s <= 0:
        raise ValueError("the tip must move")
    return tip_mm / speed_mm_s * passes
