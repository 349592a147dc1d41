"""Phototype by questionnaire, and skin tone by its angle in L*a*b* space."""

from math import atan2, degrees

from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen, Quantity

needs(
    __name__,
    """
    points of 40: phototype.band.1 phototype.band.2 phototype.band.3 phototype.band.4 phototype.band.5
    °: tone.brown tone.intermediate tone.light tone.tan tone.very_light
    words: tone.angle tone.phototype
    """,
)

#: From the lightest: rule "tone.<class>" holds the angle, in degrees, above which the class lies; the last has none.
CLASSES = (("very light", 1), ("light", 2), ("intermediate", 3), ("tan", 4), ("brown", 5), ("dark", 6))


class Asking(Frozen):
    """One line of the phototype questionnaire: five answers worth 0 to 4 points."""

    id: str
    ask: str
    answers: tuple[str, str, str, str, str]


#: Ten lines in our own words; points and bands are those of the usual questionnaire (rule phototype.bands).
ASKED = (
    Asking(
        id="eyes",
        ask="Eyes",
        answers=("pale blue, grey or green", "blue, grey or green", "hazel", "dark brown", "nearly black"),
    ),
    Asking(
        id="hair",
        ask="Hair by nature",
        answers=("red or sandy", "blond", "dark blond or chestnut", "dark brown", "black"),
    ),
    Asking(
        id="skin",
        ask="Skin that sees no sun",
        answers=("reddish", "very pale", "pale with a beige tint", "light brown", "dark brown"),
    ),
    Asking(id="freckles", ask="Freckles on unexposed skin", answers=("many", "several", "few", "hardly any", "none")),
    Asking(
        id="long",
        ask="Too long in the sun",
        answers=(
            "painful redness, blisters, peeling",
            "blisters, then peeling",
            "burns at times, peels",
            "burns rarely",
            "never burns",
        ),
    ),
    Asking(
        id="degree",
        ask="Turns brown",
        answers=("hardly", "a light tan", "a fair tan", "tans easily", "dark brown quickly"),
    ),
    Asking(
        id="hours", ask="Brown after some hours of sun", answers=("never", "seldom", "sometimes", "often", "always")
    ),
    Asking(
        id="face",
        ask="The face in the sun",
        answers=("very sensitive", "sensitive", "normal", "very resistant", "never a problem"),
    ),
    Asking(
        id="last",
        ask="Last strong sun or sunbed",
        answers=(
            "more than 3 months ago",
            "2 to 3 months ago",
            "1 to 2 months ago",
            "less than a month ago",
            "less than 2 weeks ago",
        ),
    ),
    Asking(
        id="often", ask="The face is put into the sun", answers=("never", "hardly ever", "sometimes", "often", "always")
    ),
)
#: Points at most for phototypes I to V; more is VI.
BANDS = tuple(f"phototype.band.{kind}" for kind in range(1, 6))


def phototype_by(points: dict[str, int]) -> tuple[int, Quantity]:
    """The phototype (1 to 6) that a filled-in questionnaire gives, and its sum with the working (rules
    phototype.band.…).

    Raises BadInput, by line, for lines that are not answered or not 0 to 4.
    """
    wrong = {one.id: "Which of the five?" for one in ASKED if points.get(one.id) not in range(5)}
    if wrong:
        raise BadInput(wrong)
    lines = tuple(Quantity(name=one.ask.lower(), value=points[one.id], unit="points") for one in ASKED)
    total = sum(points[one.id] for one in ASKED)
    kind = next((n for n, rule_id in enumerate(BANDS, 1) if total <= number(rule_id)), 6)
    return kind, Quantity(name="points", value=total, unit="of 40", formula="all lines", inputs=lines, rules=BANDS)


def tone_angle(lightness: float, b: float) -> float:
    """The individual typology angle in degrees, ITA° = atan((L* − 50) ÷ b*) · 180 ÷ π (Chardin 1991), for b* above 0.

    L* from 0 to 100. Raises BadInput on "tone" for a b* at or below 0, where the angle says nothing of skin.
    """
    if b <= 0:
        raise BadInput({"tone": "b* lies above 0 on skin: measure again, or check the white tile."})
    return degrees(atan2(lightness - 50, b))


def tone_of(tone: tuple[float, float, float]) -> tuple[str, int, Quantity]:
    """(class, likely phototype, angle with its working) of skin measured in L*, a*, b*. Raises BadInput on "tone".

    The class is Del Bino & Bernerd's (2013); that it stands for a phototype is a house default (rule tone.phototype).
    """
    if not 0 <= tone[0] <= 100:
        raise BadInput({"tone": "L* lies between 0 and 100."})
    angle = tone_angle(tone[0], tone[2])
    name, kind = next(
        ((name, kind) for name, kind in CLASSES[:-1] if angle > number(f"tone.{name.replace(' ', '_')}")), CLASSES[-1]
    )
    measured = tuple(
        Quantity(name=words, value=value, digits=1) for words, value in zip(("L*", "a*", "b*"), tone, strict=True)
    )
    told = Quantity(
        name="skin tone angle",
        value=angle,
        unit="°",
        digits=1,
        formula="atan((L* − 50) ÷ b*)",
        inputs=measured,
        rules=("tone.angle", "tone.phototype"),
    )
    return name, kind, told
