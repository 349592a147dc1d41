"""What is kept of a client and of the studio beside visits."""

from datetime import date
from typing import Literal

from pydantic import Field

from merak.records.bodies.visit import KeptBody


class Habits(KeptBody):
    """What of a client's ways changes an aftercare sheet, as it was last told; `family` None where it never was."""

    family: str | None = None
    shaves: bool = True
    make_up: bool = True
    large: bool = False


class LetterBody(KeptBody):
    """A doctor's letter: what it is about, when it was asked for and received, to when it holds, what it says, who took
    it in.
    """

    rule: str
    #: The answer that it is about; "" in letters from before they named one.
    answer: str = ""
    asked: date | None = None
    received: date | None = None
    until: date | None = None
    says: Literal["yes", "no", ""] = ""
    note: str = ""
    by: str = ""


class ReactionBody(KeptBody):
    """A line of the reactions register. An incident stands in the way of its modality until it was `closed_on` a day by
    a senior; None was written before that was asked, where a line that settled is over.
    """

    grade: int = 0
    what: str = ""
    where: str = ""
    done: str = ""
    told: str = ""
    modality: str = ""
    source: str
    did: tuple[str, ...] = ()
    devices: tuple[str, ...] = ()
    lots: tuple[str, ...] = ()
    settled: str = ""
    tell: str = ""
    closed_on: str | None = None
    closed_by: str = ""

    @property
    def stands(self) -> bool:
        """Whether it is an incident that nobody has closed."""
        over = self.settled if self.closed_on is None else self.closed_on
        return self.source.startswith("incident") and not over


class RuleChange(KeptBody):
    """One change of the studio's own rule book: of which rule, or which answer ("question=option:subject"), from what
    to what, why. "" stands for what was published.
    """

    of: str
    was: str = ""
    now: str = ""
    reason: str


class House(KeptBody):
    """The studio's own choices: schools, prices by modality and their currency, the emergency number."""

    methods: dict[str, str] = Field(default_factory=dict)
    prices: dict[str, float] = Field(default_factory=dict)
    currency: str = "EUR"
    emergency: str = ""
