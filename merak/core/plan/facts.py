"""What is known when a plan is made, besides what is chosen: of the client, the studio, and whoever treats."""

from datetime import date

from pydantic import Field

from merak.core.body.marks import Mark
from merak.core.body.treatable import Narrowed
from merak.core.client import Findings
from merak.core.modality.before import Before
from merak.core.modality.device import Card
from merak.core.modality.exposed import Exposed
from merak.core.plan.screening import Answers, Letter, Override, Report
from merak.core.spots import SpotRead
from merak.core.working import Frozen


class Machine(Frozen):
    """One of the studio's machines: its id and card."""

    id: str
    card: Card

    def __hash__(self) -> int:
        """By its id: a card is written once and never changed."""
        return hash(self.id)


class Wish(Frozen):
    """What the client wants most (conditions), which event is coming, how much time and money there
    is; None: not said.
    """

    goals: tuple[str, ...] = ()
    event: date | None = None
    minutes: float | None = Field(None, ge=5, le=480)
    money: float | None = Field(None, ge=0, le=100_000)


class Facts(Frozen):
    """All that a plan follows from. `finger_mm` is the therapist's finger breadth; `narrowed` are margins that a senior
    narrowed for this visit, `marks` what stands on the client's plates; `spots` the test spots that were read, by
    modality; `exposed` what the skin was given before, as far as its record is kept; `reports`
    incidents that nobody has closed; `licences` and `senior` are the
    treating person's; `methods` the studio's schools; `prices` its prices by modality, which are the house's where it
    has none; `slot` the booked minutes.
    """

    today: date
    born: date
    returning: bool
    answers: Answers
    findings: Findings
    history: dict[str, Before] = Field(default_factory=dict)
    exposed: tuple[Exposed, ...] = ()
    reports: tuple[Report, ...] = ()
    finger_mm: float = 16
    narrowed: tuple[Narrowed, ...] = ()
    marks: tuple[Mark, ...] = ()
    machines: tuple[Machine, ...] = ()
    letters: tuple[Letter, ...] = ()
    overrides: tuple[Override, ...] = ()
    spots: dict[str, SpotRead] = Field(default_factory=dict)
    wish: Wish = Wish()
    licences: frozenset[str] = frozenset()
    senior: bool = False
    careful_hands: bool = False
    methods: dict[str, str] = Field(default_factory=dict)
    prices: dict[str, float] = Field(default_factory=dict)
    slot: float = 60
