"""Focused lines: how many, how much energy, whether the focus keeps clear of bone."""

from math import floor


def line_count(width_mm: float, spacing_mm: float) -> int:
    """Parallel lines over a width: floor(width/spacing) + 1; none over no width. Raises ValueError for a spacing of
    zero.
    """
    if spacing_mm <= 0:
        raise ValueError("the spacing must be positive")
    return floor(width_mm / spacing_mm + 1e-9) + 1 if width_mm > 0 else 0


def too_deep(depth_mm: float, tissue_mm: float, clearance_mm: float) -> bool:
    """Whether a focus lies nearer to bone than the clearance: depth > soft tissue − clearance, mm."""
    return depth_mm > tissue_mm - clearance_mm
