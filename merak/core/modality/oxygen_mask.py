"""Oxygen mask made on the skin: a clock for each stage that cannot be overrun in silence, and the pH to return to."""

from collections.abc import Iterable

from pydantic import Field

from merak.core.acts import Act, Part
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.making import Making
from merak.core.modality.shared import (
    Amount,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    whole,
    worked,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.titration import titrate
from merak.core.modality.ways import ASKED_ACID, Ways

needs(
    __name__,
    """
    min: oxygen_mask.dehydrated oxygen_mask.foam oxygen_mask.longest oxygen_mask.newcomer
    pH: oxygen_mask.ph.least oxygen_mask.ph.most
    times: oxygen_mask.neutralise
    words: oxygen.rosacea
    """,
)

NAME = "oxygen_mask"
CARD = None
INCREMENT = Increment("activator_min", 0.5)
AMOUNT = Amount("activator", adds_up=True)
WAYS = Ways(asks=ASKED_ACID)


class Settings(Base):
    """What is set: minutes of foam and of activator, how often it is neutralised, the skin's pH after."""

    foam_min: float = Field(2, ge=0.5, le=15, title="Foam", json_schema_extra={"unit": "min"})
    activator_min: float = Field(2, ge=0.5, le=15, title="Activator", json_schema_extra={"unit": "min"})
    neutralised: int = Field(2, ge=0, le=6, title="Neutralised, times")
    ph_after: float = Field(5, ge=0, le=14, title="Skin after", json_schema_extra={"unit": "pH"})


def start(card: None, subject: Subject) -> Start:
    """Two minutes of activator for a newcomer, or as long as last time; two in winter or on dehydrated skin."""
    newcomer = as_set("newcomer", number(f"{NAME}.newcomer"), "min", 1, f"{NAME}.newcomer")
    value = newcomer.value or 2
    if subject.last and subject.last.at is not None:
        known = titrate(subject.last).turn in ("same", "up")
        value = max(0.5, min(subject.last.at, number(f"{NAME}.longest") if known else value))
    if subject.dehydrated:
        value = min(value, number(f"{NAME}.dehydrated"))
    found = worked(
        "activator",
        value,
        "min",
        "newcomer, or as last time; shorter on dehydrated skin",
        (newcomer,),
        f"{NAME}.newcomer",
        f"{NAME}.dehydrated",
    )
    return Start(
        Settings(foam_min=number(f"{NAME}.foam"), activator_min=value, neutralised=whole(f"{NAME}.neutralise")), found
    )


def dose(settings: Settings, card: None, subject: Subject) -> Dose:
    """The stages' clocks and the pH to return to."""
    judge = Judge()
    foam, activator = (
        as_set("foam", settings.foam_min, "min", 1, f"{NAME}.foam"),
        as_set("activator", settings.activator_min, "min", 1, f"{NAME}.newcomer"),
    )
    judge.tell("foam", foam)
    judge.tell("activator", activator)
    judge.most(f"{NAME}.foam", foam, "foam_min")
    judge.gives("oxygen foam", activator, f"{NAME}.longest", "activator_min")
    if subject.first_visit:
        longer = "Longer next time, if it was borne well."
        judge.gives("oxygen foam", activator, f"{NAME}.newcomer", "activator_min", longer)
    if subject.dehydrated:
        judge.gives("oxygen foam", activator, f"{NAME}.dehydrated", "activator_min")
    judge.least(f"{NAME}.neutralise", as_set("neutralised", settings.neutralised, "times", 0), "neutralised")
    after = as_set("skin after", settings.ph_after, "pH", 1)
    judge.tell("ph", after)
    if not number(f"{NAME}.ph.least") <= settings.ph_after <= number(f"{NAME}.ph.most"):
        judge.change(
            f"{NAME}.ph.most", f"pH {settings.ph_after:g} after.", "Acid mist until it reads 4.5 to 5.5.", "ph_after"
        )
    judge.tell(
        "minutes",
        worked(
            "minutes on the clock",
            settings.foam_min + settings.activator_min,
            "min",
            "foam + activator",
            (foam, activator),
        ),
    )
    judge.know("oxygen.rosacea")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """Foam, activator, neutraliser, and back to the skin's pH: each with its clock, count or reading."""
    hands, settings = make.hands_s, make.settings
    mixing = "Powder first, gel, slow then hard whisk to foam, on fast; massage it in."
    yield make.ready("Powder, gel, foam", mixing, 0.4 * hands)
    yield make.act(
        "timed",
        "Foam",
        settings.foam_min * 60,
        "Warm and bubbly. Lips tingle and numb: normal here.",
        keeps=True,
        over="Activator on now.",
        portion="oxygen.foam",
    )
    yield make.act(
        "timed",
        "Activator",
        settings.activator_min * 60,
        "Ask: warmth and tingling, not burning.",
        keeps=True,
        over="Neutralise now.",
        portion="oxygen.activator",
    )
    outlines = tuple(ring for part in make.laid.sections("cheeks first") for ring in part.outlines)
    yield make.act(
        "sections",
        "Neutralise",
        0.4 * hands,
        "Neutraliser all over, wiped off; cool damp towel; jaw and hairline looked at.",
        parts=(Part(name="whole face", outlines=outlines),),
        passes=max(1, settings.neutralised),
        portion="oxygen.neutralise",
    )
    least, most = number(f"{NAME}.ph.least"), number(f"{NAME}.ph.most")
    yield make.act(
        "free",
        "Back to its pH",
        hands - 2 * round(0.4 * hands),
        f"Acid mist: spray, hands, damp gauze, until the skin reads pH {least:g} to {most:g}.",
        portion="oxygen.ph",
    )
