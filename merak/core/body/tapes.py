"""The soft tapes that scale each plate: which they are, their defaults by build, and what no body measures."""

from typing import NamedTuple

from merak.core.client import Measures
from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.knowledge.register import needs

needs(
    __name__,
    """
    mm: arm.length arm.length.men arm.round arm.round.men face.ear_chin_ear face.ear_chin_ear.men face.ear_to_ear
    mm: face.ear_to_ear.men face.hairline_chin face.hairline_chin.men hand.breadth hand.breadth.men hand.length
    mm: hand.length.men neck.chin_notch neck.chin_notch.men neck.round neck.round.men thigh.length thigh.length.men
    mm: thigh.round thigh.round.men
    of default: face.tape.least face.tape.most
    """,
)


class Tape(NamedTuple):
    """One tape: its field in Measures, how it is laid, and the rule of its default (a second one, ".men", for the
    larger build).
    """

    field: str
    words: str
    laid: str
    rule: str


FACE = (
    Tape(
        "ear_to_ear_mm",
        "ear to ear",
        "under the nose, from the flap before one ear canal to the other",
        "face.ear_to_ear",
    ),
    Tape("hairline_chin_mm", "hairline to chin", "along the midline, over the nose", "face.hairline_chin"),
    Tape("ear_chin_ear_mm", "ear, chin, ear", "from one ear canal around the chin to the other", "face.ear_chin_ear"),
)
NECK = (
    Tape("neck_round_mm", "neck, all round", "below the larynx", "neck.round"),
    Tape("chin_notch_mm", "chin to throat notch", "along the skin, head straight", "neck.chin_notch"),
)
HANDS = (
    Tape("hand_breadth_mm", "hand breadth", "across the knuckles, without the thumb", "hand.breadth"),
    Tape("hand_length_mm", "hand length", "from the wrist crease to the middle fingertip", "hand.length"),
)
ARM = (
    Tape("arm_round_mm", "upper arm, all round", "at its middle", "arm.round"),
    Tape("arm_length_mm", "upper arm, length", "from the armpit fold to the elbow crease", "arm.length"),
)
THIGH = (
    Tape("thigh_round_mm", "thigh, all round", "at its middle", "thigh.round"),
    Tape("thigh_length_mm", "thigh, length", "from the groin fold to the top of the kneecap", "thigh.length"),
)
ALL = (*FACE, *NECK, *HANDS, *ARM, *THIGH)


def default_mm(tape: Tape, measures: Measures) -> float:
    """The tape's default for the client's build, in mm."""
    return number(f"{tape.rule}.men" if measures.build == "men's mean" else tape.rule)


def ratios(tapes: tuple[Tape, ...], measures: Measures) -> tuple[float, ...]:
    """Each tape beside the drawing's own default, which is the women's mean.

    Raises BadInput, by field, for a tape that no body has (rules face.tape.least and face.tape.most, against the
    build's default).
    """
    wrong: dict[str, str] = {}
    found: list[float] = []
    least, most = number("face.tape.least"), number("face.tape.most")
    for tape in tapes:
        default, measured = default_mm(tape, measures), getattr(measures, tape.field)
        if measured is not None and not least * default <= measured <= most * default:
            between = f"between {default * least:.0f} and {default * most:.0f} mm"
            wrong[tape.field] = f"{measured:g} mm cannot be {tape.words}: measure again, {between}."
        found.append((default if measured is None else measured) / number(tape.rule))
    if wrong:
        raise BadInput(wrong)
    return tuple(found)
