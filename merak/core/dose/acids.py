"""Acids: how much is free, how long it may lie, what neutralises it."""

#: pKa and molar mass (g/mol) by acid; textbook values, from memory.
ACIDS: dict[str, tuple[float, float]] = {
    "glycolic": (3.83, 76.05),
    "lactic": (3.86, 90.08),
    "salicylic": (2.97, 138.12),
    "mandelic": (3.41, 152.15),
    "citric": (3.13, 192.12),
}
BICARBONATE_G_MOL = 84.01


def free_share(ph: float, pka: float) -> float:
    """Share of an acid that is free (not dissociated): 1/(1 + 10^(pH − pKa)) (Henderson–Hasselbalch)."""
    return 1 / (1 + 10 ** min(ph - pka, 300.0))


def free_percent(percent: float, ph: float, pka: float) -> float:
    """Free acid in per cent of the product."""
    return percent * free_share(ph, pka)


def bicarbonate_g(acid_g: float, acid: str, protons: int = 1) -> float:
    """Grams of sodium bicarbonate that neutralise an acid (g) by stoichiometry: 84.01/76.05 a gram of glycolic acid.

    Raises ValueError for an acid not tabled.
    """
    if acid not in ACIDS:
        raise ValueError(f"no acid “{acid}”")
    return acid_g / ACIDS[acid][1] * BICARBONATE_G_MOL * protons
