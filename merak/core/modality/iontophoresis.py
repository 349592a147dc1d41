"""Iontophoresis: the pole follows the product's charge."""

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import Field

from merak.core.acts import Act
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
    min: iontophoresis.longest iontophoresis.minutes
    words: galvanic.polarity
    """,
)

NAME = "iontophoresis"
CARD = scaled(NAME, "mA", "galvanic_softening")
INCREMENT = Increment("at")
AMOUNT = Amount("dose", adds_up=True)
WAYS = Ways(adjusts="galvanic")
Charge = Literal["positive", "negative", "neutral or large"]


class Settings(Base):
    """What is set: the current on the card's scale, minutes, the electrode, its pole, and the ingredient's charge."""

    at: float = Field(ge=0, le=100, title="Set to")
    minutes: float = Field(6, ge=0.5, le=60, title="Minutes", json_schema_extra={"unit": "min"})
    electrode_cm2: float = Field(5, ge=0.2, le=100, title="Electrode", json_schema_extra={"unit": "cm²"})
    charge: Charge = Field("negative", title="Ingredient’s charge")
    polarity: ElectrodeSign = Field("negative", title="Working electrode")
    skin: Skin = Field("whole", title="Skin")

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Whether the skin is numbed."""
        return {"skin": "numbed" if around.has("numbing") else "whole"}


def pole_for(charge: Charge) -> ElectrodeSign:
    """The working electrode's sign for an ingredient: its own; from the anode when it is neutral or large
    (electro-osmosis).
    """
    return "negative" if charge == "negative" else "positive"


def start(card: MachineCard, subject: Subject) -> Start:
    """Half of the usual density, for the usual minutes, a negative ingredient."""
    return begin(NAME, card, subject, Settings)


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Density, dose and hydroxide; refuses a pole that does not suit the product."""
    judge = Judge()
    flow(judge, card, settings.at, settings.electrode_cm2, settings.minutes)
    judge.most(f"{NAME}.longest", as_set("minutes", settings.minutes, "min", 1), "minutes")
    wanted = pole_for(settings.charge)
    if settings.polarity != wanted:
        words = f"A {settings.charge} ingredient goes from the {wanted} electrode."
        judge.refuse("galvanic.polarity", words, "polarity", "Turn the polarity round, or change the product.")
    on_skin(judge, settings.skin)
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """The current up, left, down."""
    return current_on(make)
