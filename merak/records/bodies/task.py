"""What a task is about, and what came of it, by kind."""

from datetime import datetime
from typing import Annotated

from pydantic import BaseModel, BeforeValidator

from merak.core.after.following import FollowKind, FollowUp
from merak.core.spots import SpotAnswer, SpotLook, SpotRule
from merak.core.working import Caution
from merak.records.bodies.upgrades import with_actions
from merak.records.bodies.visit import KeptBody


class SpotTask(KeptBody):
    """A test spot to be read: of what, where, at which setting, by the rule of the day on which it was placed."""

    modality: str
    zone: str
    at: float
    spot: SpotRule


class AskTask(KeptBody):
    """A client to be asked."""

    follow: FollowKind


class OrderTask(KeptBody):
    """A remedy that waits for a senior's order."""

    remedy: str


class RaiseTask(KeptBody):
    """What a client's answer asks for: a senior, where it is bad, else a call."""

    words: tuple[str, ...]
    grade: int
    said: FollowUp
    senior: bool = False
    follow: FollowKind


class CallTask(KeptBody):
    """A client to be called after an incident."""

    card: str = ""
    zone: str = ""
    grade: int = 0


TaskBody = SpotTask | AskTask | OrderTask | RaiseTask | CallTask


class SpotFound(KeptBody):
    """What was seen at a spot, and what its rule says to it."""

    look: SpotLook
    answer: SpotAnswer
    note: str = ""


class SaidAfter(KeptBody):
    """What a client said, and what of it raises a senior; nothing where the question was `dropped`. `told` is when it
    was said.
    """

    said: FollowUp | None = None
    alarms: Annotated[tuple[Caution, ...], BeforeValidator(with_actions)] = ()
    dropped: bool = False
    told: datetime | None = None


class Called(KeptBody):
    """What came of a call; for a remedy that was ordered, the note alone."""

    note: str
    doctor: bool = False


TaskAnswer = SpotFound | SaidAfter | Called

#: Kind → (what it is about, what comes of it).
TASKS: dict[str, tuple[type[TaskBody], type[TaskAnswer]]] = {
    "spot": (SpotTask, SpotFound),
    "ask": (AskTask, SaidAfter),
    "order": (OrderTask, Called),
    "raise": (RaiseTask, Called),
    "follow-up": (CallTask, Called),
}
KINDS: dict[type[BaseModel], str] = {about: kind for kind, (about, _) in TASKS.items()}
