"""What stands on each phase of a visit. Phases whose body is a value of the core (findings, draft, order, answer) have
no other here.
"""

from datetime import datetime
from typing import Any
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, RootModel, SerializeAsAny, model_validator

from merak.core.after.aftercare import Personal, SheetLine
from merak.core.after.differences import Difference
from merak.core.after.energy import Delivered
from merak.core.after.home import Take
from merak.core.after.incidents import PastIncident
from merak.core.body.treatable import Narrowed
from merak.core.client.scales import SCALES
from merak.core.modality.exposed import Exposed
from merak.core.plan.facts import Wish
from merak.core.plan.screening import Answers, Override
from merak.core.treatment.facts import ActFacts
from merak.core.treatment.state import Ending


class KeptBody(BaseModel):
    """Base of what is kept: immutable, and whatever an older program wrote more stays in it."""

    model_config = ConfigDict(frozen=True, extra="allow")


class AskBody(KeptBody):
    """The safety talk: answers by question, and what the client wants."""

    answers: Answers = Field(default_factory=dict)
    wish: Wish = Wish()


class MarginsBody(KeptBody):
    """The margins that a senior narrowed for this visit."""

    narrowed: tuple[Narrowed, ...] = ()


class OverridesBody(KeptBody):
    """What seniors wrote for this visit."""

    overrides: tuple[Override, ...] = ()


class Stood(KeptBody):
    """The versions that a plan follows from, 0 where nothing was written; margins, overrides and marks only where they
    change it.
    """

    ask: int = 0
    look: int = 0
    plan: int = 0
    margins: int = 0
    overrides: int = 0
    marks: tuple[str, ...] = ()


class ConsentBody(KeptBody):
    """Whether the client agreed, to which version of the general words, to what as it stood; the words of each
    treatment; how it was signed, by a guardian where there was one, in whose presence.
    """

    agreed: bool = False
    words: str = ""
    to: Stood = Stood()
    texts: dict[str, str] = Field(default_factory=dict)
    signed: str = ""
    guardian: str = ""
    by: str = ""
    signature: UUID | None = None


class Given(KeptBody):
    """How a modality was really given: where it was set at the last, whether that was a step up, on which machine, how
    much of it.
    """

    at: float | str | None = None
    stepped_up: bool = False
    device: str = ""
    machine: str = ""
    given: Delivered | None = None

    @property
    def figure(self) -> float | None:
        """Where it was set, where that is a number."""
        return None if isinstance(self.at, str | bool) else self.at


class UsedProduct(KeptBody):
    """A product that was used, its lot, and whether it was left on."""

    product: str
    lot: str = ""
    left: bool = False


class Addition(KeptBody):
    """What was added to a sealed record: by whom, when and why."""

    what: str
    why: str
    by: str
    at: datetime


class CloseBody(KeptBody):
    """What was done, and how the skin answered it. Grades are None where nothing was treated; `mark` is what stops the
    course, in words; `cleaned` says of each machine that touched skin whether it was, by its id; `exposures` what skin
    was given (None: closed before that was kept).
    """

    ended: datetime | None = None
    note: str = ""
    words: str = ""
    redness: int | None = None
    swelling: int | None = None
    pain: int | None = None
    comfort: int | None = None
    endpoints: dict[str, str] = Field(default_factory=dict)
    marked: str = ""
    mark: str = ""
    senior: str = ""
    why: dict[str, str] = Field(default_factory=dict)
    differences: tuple[Difference, ...] = ()
    products: tuple[UsedProduct, ...] = ()
    cleaned: dict[str, bool] = Field(default_factory=dict)
    explained: str = ""
    initials: str = ""
    signature: UUID | None = None
    facts: tuple[ActFacts, ...] = ()
    stopped: str = ""
    endings: tuple[Ending, ...] = ()
    incidents: tuple[PastIncident, ...] = ()
    routine: str = ""
    did: dict[str, Given] = Field(default_factory=dict)
    exposures: tuple[Exposed, ...] | None = None
    added: tuple[Addition, ...] = ()

    @property
    def worst(self) -> int:
        """The higher of redness and swelling."""
        return max(self.redness or 0, self.swelling or 0)


class SheetBody(KeptBody):
    """An aftercare sheet as it was sealed."""

    lines: tuple[SheetLine, ...] = ()
    kit: tuple[Take, ...] = ()
    words: str = ""
    incidents: tuple[str, ...] = ()
    personal: Personal = Personal()


class ShotBody(KeptBody):
    """A photograph: its file, its size in pixels, and its landmarks as far as they were clicked."""

    file: UUID
    width: int
    height: int
    landmarks: tuple[tuple[float, float], ...] = ()


class PhotosBody(RootModel[dict[str, ShotBody]]):
    """View → its photograph, before the treatment."""

    root: dict[str, ShotBody] = Field(default_factory=dict)


class PhotosAfterBody(PhotosBody):
    """View → its photograph, after the treatment."""


class ScaleBody(KeptBody):
    """A scale as it was entered (by its own model), its score, by whom and when."""

    entry: SerializeAsAny[BaseModel]
    score: float | None
    band: str
    by: str = ""
    at: datetime


class ScalesBody(RootModel[dict[str, ScaleBody]]):
    """Scale → how it was entered."""

    root: dict[str, ScaleBody] = Field(default_factory=dict)

    @model_validator(mode="before")
    @classmethod
    def _entries(cls, kept: Any) -> Any:
        """Each entry by the model of its scale."""
        if not isinstance(kept, dict):
            return kept
        read = {name: SCALES[name].entry.model_validate for name, one in kept.items() if isinstance(one, dict)}
        return {name: {**one, "entry": read[name](one["entry"])} if name in read else one for name, one in kept.items()}
