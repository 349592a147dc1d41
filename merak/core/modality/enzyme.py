"""Enzymes and granular masks: minutes by place and kind."""

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.acid_limits import spares_abraded
from merak.core.modality.making import Making, left_to_work
from merak.core.modality.shared import Amount, Circumstances, Dose, Increment, Judge, Start, Subject, as_set, carried
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import ASKED_ACID, Ways

needs(
    __name__,
    """
    min: enzyme.body enzyme.granular enzyme.longest enzyme.minutes
    """,
)

NAME = "enzyme"
CARD = None
INCREMENT = Increment("minutes", 1)
AMOUNT = Amount("minutes", adds_up=True)
WAYS = Ways(asks=ASKED_ACID)


class Settings(Base):
    """What is set: kind, place, minutes."""

    kind: Literal["enzyme", "granular"] = Field("enzyme", title="Kind")
    place: Literal["face", "body"] = Field("face", title="Place")
    minutes: float = Field(6, ge=0.5, le=60, title="Minutes", json_schema_extra={"unit": "min"})

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Whether it lies on the face."""
        return {"place": "face" if around.plate in ("face", "neck") else "body"}


def start(card: None, subject: Subject) -> Start:
    """The usual minutes; a granular mask's on sensitive skin."""
    rule_id = f"{NAME}.granular" if subject.sensitive or subject.dehydrated else f"{NAME}.minutes"
    found = as_set("minutes", number(rule_id), "min", 0, rule_id)
    return Start(carried(INCREMENT, Settings(minutes=number(rule_id)), card, subject), found)


def dose(settings: Settings, card: None, subject: Subject) -> Dose:
    """Minutes, under the clock of the place."""
    judge = Judge()
    rule_id = (
        f"{NAME}.body"
        if settings.place == "body"
        else f"{NAME}.granular"
        if settings.kind == "granular" and subject.sensitive
        else f"{NAME}.longest"
    )
    time = as_set("minutes", settings.minutes, "min", 1, f"{NAME}.minutes")
    judge.tell("minutes", time)
    judge.gives("enzyme", time, rule_id, "minutes")
    spares_abraded(judge)
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """On, and left to work; then off."""
    return left_to_work(make, "Enzyme works", "Off now, with cool water.")
