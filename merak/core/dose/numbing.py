"""Numbing cream: milligrams, shares of limits. Which limit holds is the rule book's to say."""


def milligrams(grams: float, percent: float) -> float:
    """Milligrams of the drug in a cream: 1 % is 10 mg a gram. Definition."""
    return grams * 10 * percent


def injection_share(mg: float, weight_kg: float, mg_kg: float = 4.5, most_mg: float = 300) -> float:
    """Share of the injection limit that all applied milligrams would be on open skin: mg ÷ min(4.5·kg, 300).

    Lidocaine labelling; from memory. Raises ValueError for no weight.
    """
    if weight_kg <= 0:
        raise ValueError("the weight must be positive")
    return mg / min(mg_kg * weight_kg, most_mg)


def label_share(
    grams: float, area_cm2: float, hours: float, most_g: float, most_cm2: float, most_hours: float
) -> float:
    """The largest of the three shares of a label's limits for intact skin: amount, area, time.

    Raises ValueError for a label without limits.
    """
    if min(most_g, most_cm2, most_hours) <= 0:
        raise ValueError("a label has positive limits")
    return max(grams / most_g, area_cm2 / most_cm2, hours / most_hours)
