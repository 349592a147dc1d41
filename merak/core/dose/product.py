"""Amounts of product."""


def film_ml(area_cm2: float, film_mm: float) -> float:
    """Millilitres that lay a film (mm) over an area (cm²): 1 cm² at 1 mm is 0.1 mL."""
    return area_cm2 * film_mm / 10
