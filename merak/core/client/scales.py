"""Standard scales: their entry, score and band, each with its working. They grade what was seen;
they diagnose nothing.
"""

from collections.abc import Callable
from typing import Any, NamedTuple

from pydantic import Field

from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen, Quantity

needs(
    __name__,
    """
    g/m²h: scale.water_loss.critical scale.water_loss.good scale.water_loss.normal scale.water_loss.strained
    of 4: scale.scars.refer
    of 9: scale.wrinkles.three scale.wrinkles.two
    points: scale.acne.mild scale.acne.moderate scale.acne.severe scale.acne.very_severe scale.life.extreme
    points: scale.life.large scale.life.moderate scale.life.small
    times: scale.acne.chest_back scale.acne.chin scale.acne.forehead scale.acne.left_cheek scale.acne.nose
    times: scale.acne.right_cheek scale.pigment.chin scale.pigment.forehead scale.pigment.left scale.pigment.right
    words: scale.ageing
    """,
)


class Scored(NamedTuple):
    """A score with its working, the band that it falls into, and what to know about it."""

    score: Quantity
    band: str
    note: str = ""


class Acne(Frozen):
    """Acne by region, 0 none · 1 comedones · 2 papules · 3 pustules · 4 nodules; chest and upper back None where not
    looked at.
    """

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
    note = (
        "" if asked.chest_back is not None else "Chest and upper back were not graded: the face alone tops out at 32."
    )
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
    """Pigment area and severity: Σ weight × area × (darkness + evenness), 0 to 48 (Kimbrough-Green 1994); beside it the
    modified one, Σ weight × area × darkness, 0 to 24 (Pandya 2011). There are no agreed bands.
    """
    parts, simple = [], 0.0
    for region in REGIONS:
        area, dark, even = (getattr(asked, f"{region}_{part}") for part in ("area", "dark", "even"))
        weight = number(f"scale.pigment.{region}")
        parts.append(
            Quantity(
                name=f"{region}, × {weight:g}",
                value=weight * area * (dark + even),
                digits=1,
                rules=(f"scale.pigment.{region}",),
            )
        )
        simple += weight * area * dark
    total = sum(part.value or 0 for part in parts)
    told = _score(
        "pigment area and severity", total, "of 48", "weights × area × (darkness + evenness)", tuple(parts), 1
    )
    return Scored(
        told, f"modified: {simple:.1f} of 24", "Compare with earlier scores of this client; there are no agreed bands."
    )


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
    note = (
        "A large effect on life: the senior talks first, and a doctor may help."
        if total >= number("scale.life.large")
        else ""
    )
    return Scored(_score("quality of life index", total, "of 30", "all answers", parts), band, note)


class Ageing(Frozen):
    """Photo-ageing type: 1 no wrinkles · 2 wrinkles in motion · 3 wrinkles at rest · 4 only wrinkles."""

    type: int = Field(1, ge=1, le=4, title="Type")


def ageing(asked: Ageing) -> Scored:
    """The photo-ageing type (Glogau 1996)."""
    words = (
        "mild: no wrinkles",
        "moderate: wrinkles in motion",
        "advanced: wrinkles at rest",
        "severe: only wrinkles",
    )[asked.type - 1]
    return Scored(_score("photo-ageing type", asked.type, "of 4", "as it was seen", (_seen("scale.ageing"),)), words)


class Wrinkles(Frozen):
    """Wrinkles and elastosis around mouth and eyes, 1 to 9."""

    score: int = Field(1, ge=1, le=9, title="Score")


def wrinkles(asked: Wrinkles) -> Scored:
    """The wrinkle score and its class: I from 1, II from 4, III from 7 (Fitzpatrick 1996)."""
    degrees = (("class III, deep", "scale.wrinkles.three"), ("class II, fine to moderate", "scale.wrinkles.two"))
    band = next((words for words, rule_id in degrees if asked.score >= number(rule_id)), "class I, fine")
    return Scored(_score("wrinkle score", asked.score, "of 9", "as it was seen", (_seen("scale.wrinkles.two"),)), band)


class Scars(Frozen):
    """Scars after acne: 0 none · 1 flat, coloured · 2 seen close by · 3 seen at a distance · 4 seen at a distance, not
    flattened by stretching.
    """

    grade: int = Field(0, ge=0, le=4, title="Grade")


def scars(asked: Scars) -> Scored:
    """The qualitative scar grade (Goodman & Baron 2006)."""
    words = (
        "none",
        "flat, coloured only",
        "mild: hidden by make-up",
        "moderate: seen at a distance",
        "severe: not flattened by stretching",
    )
    note = "Deep scars are for a doctor." if asked.grade >= number("scale.scars.refer") else ""
    return Scored(
        _score("scar grade", asked.grade, "of 4", "as it was seen", (_seen("scale.scars.refer"),)),
        words[asked.grade],
        note,
    )


class ScaleReadings(Frozen):
    """Instruments: water that the skin loses, g/(m²·h), and its sebum, µg/cm²; None where there was none to read."""

    water_loss: float | None = Field(
        None, ge=0, le=150, title="Water loss", json_schema_extra={"unit": "g/m²h"}, allow_inf_nan=False
    )
    sebum: float | None = Field(
        None, ge=0, le=500, title="Sebum", json_schema_extra={"unit": "µg/cm²"}, allow_inf_nan=False
    )


def readings(asked: ScaleReadings) -> Scored:
    """Water loss and its customary bands: up to 10 very good, 15 good, 25 normal, 30 strained, beyond it critical."""
    parts = (Quantity(name="sebum", value=asked.sebum, unit="µg/cm²", digits=0),)
    degrees = (("critical", "critical"), ("strained", "strained"), ("normal", "normal"), ("good", "good"))
    loss = asked.water_loss
    if loss is None:
        band = "water loss was not measured"
    else:
        band = "barrier " + next(
            (words for words, key in degrees if loss > number(f"scale.water_loss.{key}")), "very good"
        )
    told = Quantity(
        name="water loss",
        value=loss,
        unit="g/m²h",
        digits=1,
        formula="" if loss is not None else "not measured",
        inputs=parts,
        rules=("scale.water_loss.normal",),
    )
    return Scored(told, band)


def _seen(rule_id: str) -> Quantity:
    return Quantity(name="seen", value=None, formula="by eye", rules=(rule_id,))


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
        Scale(
            "acne",
            "Acne, global score",
            "0 none, 1 comedones, 2 papules, 3 pustules, 4 nodules, the worst in the region.",
            Acne,
            acne,
        ),
        Scale(
            "pigment",
            "Pigment area and severity",
            "Area 0 to 6, darkness and evenness 0 to 4, region by region.",
            Pigment,
            pigment,
        ),
        Scale("ageing", "Photo-ageing type", "1 no wrinkles, 2 in motion, 3 at rest, 4 only wrinkles.", Ageing, ageing),
        Scale(
            "wrinkles",
            "Wrinkles",
            "Around mouth and eyes, 1 to 9: fine, moderate, deep, three steps each.",
            Wrinkles,
            wrinkles,
        ),
        Scale("scars", "Scars after acne", "0 none, 1 flat and coloured, 2 mild, 3 moderate, 4 severe.", Scars, scars),
        Scale(
            "readings",
            "Instruments",
            "Water loss and sebum; hydration and tone stand under Look.",
            ScaleReadings,
            readings,
        ),
        Scale(
            "life",
            "Quality of life",
            "Ten answers from the client’s own sheet, 0 not at all to 3 very much.",
            Life,
            life,
        ),
    )
}
