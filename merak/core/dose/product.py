"""Amounts of product."""


def film_ml(area_cm2: float, film_mm: float) -> float:
    """Millilitres that lay a film (mm) over an area (cm²): 1 cm² at 1 mm is 0.1 mL."""
    return area_cm2 * film_mm / 10


def fingertip_units(area_cm2: float, unit_cm2: float) -> float:
    """Fingertip units of cream for an area: one does `unit_cm2` (Long & Finlay 1991: 312 cm² men, 257 cm² women; from
    memory).
    """
    return area_cm2 / unit_cm2


def layer_g(area_cm2: float, mg_cm2: float) -> float:
    """Grams that lay a density (mg/cm²) over an area (cm²): sun protection at 2 mg/cm² (ISO 24444; from memory)."""
    return area_cm2 * mg_cm2 / 1000
