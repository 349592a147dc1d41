"""Standard scales: their entry, score and band, each with its working. They grade what was seen; they diagnose nothing."""

from collections.abc import Callable
from typing import Any, NamedTuple

from pydantic import Field

from merak.core.knowledge import number
from merak.core.working import Frozen, Quantity


class Scored(NamedTuple):
    """A score with its working, the band that it falls into, and what to know about it."""

    score: Quantity
    band: str
    note: str = ""


class Acne(Frozen):
    """Acne by region, 0 none · 1 comedones · 2 papules · 3 pustules · 4 nodules; chest and upper back None where not looked at."""

    forehead: int = Field(0, ge=0, le=4, title="Forehead")
    right_cheek: int = Field(0, ge=0, le=4, title="Right cheek")
    left_cheek: int = Field(0, ge=0, le=4, title="Left cheek")
    nose: int = Field(0, ge=0, le=4, title="Nose")
    chin: int = Field(0, ge=0, le=4, title="Chin")
    chest_back: int | None = Field(None, ge=0, le=4, title="Chest and upper back")


def acne(asked: Acne) -> Scored:
    """The global acne score: each region's grade times its factor, added up; bands at 1, 19, 31 and 39 (Doshi 1997)."""
    parts = []
    for name in Acne.model_fields:
        grade = getattr(asked, name)
        if grade is not None:
            factor = number(f"scale.acne.{name}")
            words = (Acne.model_fields[name].title or name).lower()
            parts.append(Quantity(name=f"{words}, × {factor:g}", value=factor * grade, rules=(f"scale.acne.{name}",)))
    total = sum(part.value or 0 for part in parts)
    bands = (("very severe", "very_severe"), ("severe", "severe"), ("moderate", "moderate"), ("mild", "mild"))
    band = next((words for words, key in bands if total >= number(f"scale.acne.{key}")), "none")
    note = "" if asked.chest_back is not None else "Chest and upper back were not graded: the face alone tops out at 32."
    return Scored(_score("global acne score", total, "of 44", "grades × factors", tuple(parts)), band, note)


class Pigment(Frozen):
    """Pigment by region: area 0 to 6 (none, under 10, to 29, 49, 69, 89, 100 %), darkness and evenness 0 to 4."""

    forehead_area: int = Field(0, ge=0, le=6, title="Forehead, area")
    forehead_dark: int = Field(0, ge=0, le=4, title="darkness")
    forehead_even: int = Field(0, ge=0, le=4, title="evenness")
    right_area: int = Field(0, ge=0, le=6, title="Right cheek, area")
    right_dark: int = Field(0, ge=0, le=4, title="darkness")
    right_even: int = Field(0, ge=0, le=4, title="evenness")
    left_area: int = Field(0, ge=0, le=6, title="Left cheek, area")
    left_dark: int = Field(0, ge=0, le=4, title="darkness")
    left_even: int = Field(0, ge=0, le=4, title="evenness")
    chin_area: int = Field(0, ge=0, le=6, title="Chin, area")
    chin_dark: int = Field(0, ge=0, le=4, title="darkness")
    chin_even: int = Field(0, ge=0, le=4, title="evenness")


REGIONS = ("forehead", "right", "left", "chin")


def pigment(asked: Pigment) -> Scored:
    """Pigment area and severity: Σ weight × area × (darkness + evenness), 0 to 48 (Kimbrough-Green 1994); beside it the modified one,
    Σ weight × area × darkness, 0 to 24 (Pandya 2011). There are no agreed bands.
    """
    parts, simple = [], 0.0
    for region in REGIONS:
        area, dark, even = (getattr(asked, f"{region}_{part}") for part in ("area", "dark", "even"))
        weight = number(f"scale.pigment.{region}")
        parts.append(
            Quantity(name=f"{region}, × {weight:g}", value=weight * area * (dark + even), digits=1, rules=(f"scale.pigment.{region}",))
        )
        simple += weight * area * dark
    total = sum(part.value or 0 for part in parts)
    told = _score("pigment area and severity", total, "of 48", "weights × area × (darkness + evenness)", tuple(parts), 1)
    return Scored(told, f"modified: {simple:.1f} of 24", "Compare with earlier scores of this client; there are no agreed bands.")


class Life(Frozen):
    """A dermatology quality-of-life form of ten answers, 0 to 3, as its own licensed sheet asks them."""

    q1: int = Field(0, ge=0, le=3, title="Answer 1")
    q2: int = Field(0, ge=0, le=3, title="Answer 2")
    q3: int = Field(0, ge=0, le=3, title="Answer 3")
    q4: int = Field(0, ge=0, le=3, title="Answer 4")
    q5: int = Field(0, ge=0, le=3, title="Answer 5")
    q6: int = Field(0, ge=0, le=3, title="Answer 6")
    q7: int = Field(0, ge=0, le=3, title="Answer 7")
    q8: int = Field(0, ge=0, le=3, title="Answer 8")
    q9: int = Field(0, ge=0, le=3, title="Answer 9")
    q10: int = Field(0, ge=0, le=3, title="Answer 10")


def life(asked: Life) -> Scored:
    """The sum of ten answers, 0 to 30, and its band of effect on life (Hongbo 2005)."""
    parts = tuple(Quantity(name=f"answer {n}", value=getattr(asked, f"q{n}")) for n in range(1, 11))
    total = sum(part.value or 0 for part in parts)
    bands = (
        ("extremely large effect", "extreme"),
        ("very large effect", "large"),
        ("moderate effect", "moderate"),
        ("small effect", "small"),
    )
    band = next((words for words, key in bands if total >= number(f"scale.life.{key}")), "no effect")
    note = "A large effect on life: the senior talks first, and a doctor may help." if total >= number("scale.life.large") else ""
    return Scored(_score("quality of life index", total, "of 30", "all answers", parts), band, note)


def _score(name: str, total: float, unit: str, formula: str, parts: tuple[Quantity, ...], digits: int = 0) -> Quantity:
    rules = tuple(rule for part in parts for rule in part.rules)
    return Quantity(name=name, value=total, unit=unit, digits=digits, formula=formula, inputs=parts, rules=rules)


class Scale(NamedTuple):
    """A scale: its title, what it is for, its entry and its score."""

    id: str
    title: str
    words: str
    entry: type[Frozen]
    score: Callable[[Any], Scored]


SCALES = {
    one.id: one
    for one in (
        Scale("acne", "Acne, global score", "0 none, 1 comedones, 2 papules, 3 pustules, 4 nodules, the worst in the region.", Acne, acne),
        Scale("pigment", "Pigment area and severity", "Area 0 to 6, darkness and evenness 0 to 4, region by region.", Pigment, pigment),
        Scale("life", "Quality of life", "Ten answers from the client’s own sheet, 0 not at all to 3 very much.", Life, life),
    )
}
