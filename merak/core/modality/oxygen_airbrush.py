"""Oxygen airbrush over gel: gel, activator, passes, cleaning, minutes."""

from collections.abc import Iterable
from typing import ClassVar

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.device import MachineCard, scaled
from merak.core.modality.making import Making
from merak.core.modality.shared import Amount, Dose, Increment, Judge, Start, Subject, as_set, on_card, physical, worked
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import Ways

needs(
    __name__,
    """
    %: oxygen_airbrush.start
    cup: oxygen_airbrush.activator
    mL: oxygen_airbrush.gel
    min: oxygen_airbrush.massage oxygen_airbrush.pass_min
    mm: oxygen_airbrush.film
    passes: oxygen_airbrush.passes
    s: oxygen_airbrush.clean
    step: oxygen_airbrush.adjust.sensitive
    words: oxygen.rosacea
    """,
)

NAME = "oxygen_airbrush"
CARD = scaled(NAME, "bar")
INCREMENT = Increment("at")
AMOUNT = Amount("pressure")
WAYS = Ways(amounts={"gel": ""})


class Settings(Base):
    """What is set: pressure on the card's scale, gel, passes, massage before and after."""

    BY_AREA: ClassVar[frozenset[str]] = frozenset({"gel_ml"})
    at: float = Field(ge=0, le=100, title="Set to")
    gel_ml: float = Field(7, ge=0, le=60, title="Gel", json_schema_extra={"unit": "mL"})
    passes: int = Field(3, ge=1, le=10, title="Passes")
    massage_min: float = Field(2, ge=0, le=10, title="Massage, each", json_schema_extra={"unit": "min"})


def start(card: MachineCard, subject: Subject) -> Start:
    """Half of the scale; gel for a medium film, at least the usual amount."""
    found = on_card(NAME, card, subject)
    gel = max(number(f"{NAME}.gel"), round(subject.area_cm2 * number(f"{NAME}.film") / 10, 1))
    return Start(
        Settings(at=found.value or card.least, gel_ml=min(gel, 60.0), massage_min=number(f"{NAME}.massage")), found
    )


def dose(settings: Settings, card: MachineCard, subject: Subject) -> Dose:
    """Film, activator, minutes with massage and cleaning."""
    judge = Judge()
    physical(judge, "pressure", card, settings.at)
    gel = as_set("gel", settings.gel_ml, "mL", 1)
    judge.tell("gel", gel)
    judge.least(f"{NAME}.gel", gel, "gel_ml", "Less dries on the skin.")
    judge.tell(
        "film",
        worked(
            "film",
            settings.gel_ml * 10 / subject.area_cm2,
            "mm",
            "gel × 10 ÷ area",
            (gel, subject.area),
            f"{NAME}.film",
            digits=2,
        ),
    )
    passes = as_set("passes", settings.passes, "", 0, f"{NAME}.passes")
    judge.gives("oxygen airbrush", passes, f"{NAME}.passes", "passes")
    judge.tell(
        "activator", worked("activator", number(f"{NAME}.activator"), "cup", "by custom", (), f"{NAME}.activator")
    )
    each, massage = (
        as_set("a pass", number(f"{NAME}.pass_min"), "min", 1, f"{NAME}.pass_min"),
        as_set("massage, each", settings.massage_min, "min", 1, f"{NAME}.massage"),
    )
    judge.most(f"{NAME}.massage", massage, "massage_min")
    clean = as_set("cleaning", number(f"{NAME}.clean"), "s", 0, f"{NAME}.clean")
    minutes = settings.passes * (each.value or 0) + 2 * settings.massage_min + (clean.value or 0) / 60
    judge.tell(
        "minutes",
        worked(
            "minutes", minutes, "min", "passes + massage before and after + cleaning", (passes, each, massage, clean)
        ),
    )
    judge.know(f"{NAME}.clean", "oxygen.rosacea")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Gel on, massaged, the activator in passes over it, massaged again and off."""
    massage = make.settings.massage_min * 60
    yield make.ready("Gel", f"Dry skin. {make.settings.gel_ml:g} mL of gel as a shiny film.")
    first = "Lively, upward; never over active acne."
    yield make.act("timed", "Massage, first", massage, first, over="On to the airbrush.")
    spray, parts = max(1, make.own_s - 2 * massage), make.laid.sections("cheeks first")
    yield make.act("sections", "Airbrush", spray, parts=parts, passes=make.passes, **make.machine)
    last = "Then off with it. After: ¼ cup cleaner to empty, turn over, ¼ cup water to empty."
    yield make.act("timed", "Massage, last", massage, last, over="Remove the gel.")
