"""Resurfacing by a physician: recorded and referred, never planned."""

from collections.abc import Iterable

from pydantic import Field

from merak.core.acts import Act
from merak.core.errors import Refused
from merak.core.knowledge.register import needs
from merak.core.modality.making import Making
from merak.core.modality.shared import Dose, Increment, Start, Subject
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import NEVER_ASKED, Ways

needs(
    __name__,
    """
    words: physician.never
    """,
)

NAME = "physician_resurfacing"
CARD = None
INCREMENT = Increment("what")
AMOUNT = None
WAYS = Ways(asks=NEVER_ASKED)


class Settings(Base):
    """What is recorded: what was done elsewhere."""

    what: str = Field("", max_length=500, title="What was done, by whom, when")


def start(card: None, subject: Subject) -> Start:
    """Raises Refused, always."""
    raise Refused("Recorded and referred, never planned here.", "physician.never")


def dose(settings: Settings, card: None, subject: Subject) -> Dose:
    """Raises Refused, always."""
    raise Refused("Recorded and referred, never planned here.", "physician.never")


def acts(make: Making) -> Iterable[Act]:
    """Raises Refused, always."""
    raise Refused("Recorded and referred, never planned here.", "physician.never")
