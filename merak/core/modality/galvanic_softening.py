"""Galvanic softening: the cathode over an alkaline solution."""

from collections.abc import Iterable
from typing import Any

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.galvanic import ElectrodeSign, Skin, begin, flow, on_skin
from merak.core.modality.making import Making, current_on
from merak.core.modality.shared import Amount, Circumstances, Dose, Increment, Judge, Start, Subject, as_set
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    min: galvanic_softening.longest galvanic_softening.minutes
    pH: galvanic.alkaline
    words: galvanic.polarity
    """,
)

NAME = "galvanic_softening"
CARD = scaled(NAME, "mA", "iontophoresis")
INCREMENT = Increment("at")
AMOUNT = Amount("dose", adds_up=True)
WAYS = Ways(adjusts="galvanic")


class Settings(Base):
    """What is set: the current on the card's scale, minutes, the electrode, the pole that works and
    the solution's pH.
    """

    at: float = Field(ge=0, le=100, title="Set to")
    minutes: float = Field(4, ge=0.5, le=30, title="Minutes", json_schema_extra={"unit": "min"})
    electrode_cm2: float = Field(5, ge=0.2, le=100, title="Electrode", json_schema_extra={"unit": "cm²"})
    polarity: ElectrodeSign = Field("negative", title="Working electrode")
    solution_ph: float = Field(9, ge=0, le=14, title="Solution", json_schema_extra={"unit": "pH"})
    skin: Skin = Field("whole", title="Skin")

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Whether the skin is numbed."""
        return {"skin": "numbed" if around.has("numbing") else "whole"}


def start(card: MachineCard, subject: Subject) -> Start:
    """Half of the usual density, for the usual minutes."""
    return begin(NAME, card, subject, Settings)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Density, dose and hydroxide; refuses the wrong pole and what is not alkaline."""
    judge = Judge()
    flow(judge, card, settings.at, settings.electrode_cm2, settings.minutes)
    judge.most(f"{NAME}.longest", as_set("minutes", settings.minutes, "min", 1), "minutes")
    if settings.polarity != "negative":
        judge.refuse(
            "galvanic.polarity", "Softening works under the negative electrode.", "polarity", "Turn the polarity round."
        )
    if settings.solution_ph <= number("galvanic.alkaline"):
        judge.refuse(
            "galvanic.alkaline",
            f"pH {settings.solution_ph:g} is not alkaline: the hydroxide would be used up by it.",
            "solution_ph",
        )
    on_skin(judge, settings.skin)
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """The current up, left, down."""
    return current_on(make)
