"""Oxygen jet: rounds, water, minutes."""

from collections.abc import Iterable

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.abrasion import liquid_ml
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making, by_the_clock
from merak.core.modality.shared import Amount, Dose, Increment, Judge, Start, Subject, as_set, on_card, physical, worked
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    passes: chair.pass.oxygen_jet
    %: oxygen_jet.start
    mL/min: oxygen_jet.flow
    min: oxygen.longest oxygen_jet.minutes
    step: oxygen_jet.adjust.sensitive oxygen_jet.adjust.thin
    words: oxygen.rosacea
    """,
)

NAME = "oxygen_jet"
CARD = scaled(NAME, "bar")
INCREMENT = Increment("at")
AMOUNT = Amount("pressure")
WAYS = Ways(passes="chair.pass.oxygen_jet")


class Settings(Base):
    """What is set: pressure on the card's scale, minutes, the nozzle's flow."""

    at: float = Field(ge=0, le=100, title="Set to")
    minutes: float = Field(6, ge=0.5, le=60, title="Minutes", json_schema_extra={"unit": "min"})
    flow_ml_min: float = Field(8, ge=0.01, le=100, title="Flow", json_schema_extra={"unit": "mL/min"})


def start(card: MachineCard, subject: Subject) -> Start:
    """Two fifths of the scale."""
    found = on_card(NAME, card, subject)
    return Start(
        Settings(at=found.value or card.least, minutes=number(f"{NAME}.minutes"), flow_ml_min=number(f"{NAME}.flow")),
        found,
    )


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Pressure, water, minutes."""
    judge = Judge()
    physical(judge, "pressure", card, settings.at)
    time, flow = (
        as_set("minutes", settings.minutes, "min", 1, f"{NAME}.minutes"),
        as_set("flow", settings.flow_ml_min, "mL/min", 1, f"{NAME}.flow"),
    )
    judge.tell("minutes", time)
    judge.gives("oxygen jet", time, "oxygen.longest", "minutes")
    judge.tell(
        "water",
        worked(
            "purified water",
            liquid_ml(settings.flow_ml_min, settings.minutes),
            "mL",
            "flow × minutes",
            (flow, time),
            digits=0,
        ),
    )
    judge.know("oxygen.rosacea")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Section by section, against the clock."""
    return by_the_clock(make, "Air off.")
