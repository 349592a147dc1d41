"""Where a treatment stands. A state that was given out is not changed any more: the fold works on a copy."""

from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Literal, NamedTuple
from uuid import UUID

from merak.core.spots import SpotAnswer, SpotLook
from merak.core.treatment.warmth import Warmth

Phase = Literal["ready", "running", "paused", "halted", "stopped", "finished"]
NEVER = timedelta(0)


@dataclass(slots=True)
class Spot:
    """A test spot that was placed in this run: when, at which setting, where, when it may be read; what was seen, and
    the answer.
    """

    id: str
    placed: datetime
    at: float
    zone: str
    due: datetime
    look: SpotLook | None = None
    answer: SpotAnswer | None = None


class Sighting(NamedTuple):
    """What was marked where it was seen: the how-manieth count of its act, the plate, where on it (mm)."""

    nth: int
    plate: str
    x: float
    y: float


@dataclass(slots=True)
class Incident:
    """Something that went wrong: the card that was opened, where, grade 0 to 4, what was done, who was told.

    `struck` is who struck it out as written by mistake, and why; it stays on the record.
    """

    id: str
    at: datetime
    by: str
    act: int
    card: str
    zone: str
    grade: int
    done: str
    told: str
    struck: str = ""


@dataclass(slots=True)
class Ending:
    """A moment at which the treatment was ended, by whom and why; when it was taken back, if it was."""

    at: datetime
    by: str
    reason: str
    back: datetime | None = None


@dataclass(slots=True)
class ActRun:
    """What happened in one act. `walk` is the places as they were counted in the pass under way, `tally` how often each
    was in it, `passes` the walks of closed passes, `seen` where what is marked when it is seen lay.

    `worked_s` are the seconds of its clock up to `since`, from which it runs on (None: it stands). `left` is why it was
    left before its end. `level_most` is the highest level that something was counted at, `level_changes` how often the
    level was moved.
    """

    walk: list[int] = field(default_factory=list)
    tally: list[int] = field(default_factory=list)
    passes: list[list[int]] = field(default_factory=list)
    worked_s: float = 0.0
    since: datetime | None = None
    begun: datetime | None = None
    ended: datetime | None = None
    counted: datetime | None = None
    level_shift: float = 0.0
    said: list[str] = field(default_factory=list)
    heat: float | None = None
    pain: float | None = None
    pain_most: float | None = None
    asked: datetime | None = None
    since_clean: int = 0
    cleans: int = 0
    warmth: dict[str, Warmth] = field(default_factory=dict)
    spots: list[Spot] = field(default_factory=list)
    unlocked: str = ""
    over: str = ""
    left: str = ""
    set_to: float | None = None
    level_most: float | None = None
    level_changes: int = 0
    hands: list[str] = field(default_factory=list)
    seen: list[Sighting] = field(default_factory=list)

    @property
    def strokes(self) -> int:
        """Everything that was counted."""
        return len(self.walk) + sum(len(one) for one in self.passes)

    def seconds(self, now: datetime) -> float:
        """Seconds of its clock up to `now`."""
        return self.worked_s + (max(NEVER, now - self.since).total_seconds() if self.since else 0.0)

    def copy(self) -> "ActRun":
        """One that may be changed."""
        other = object.__new__(ActRun)  # at every tap, for every act: several times as quick as `replace`
        for name in ActRun.__slots__:
            setattr(other, name, getattr(self, name))
        other.walk, other.tally, other.said, other.hands = self.walk[:], self.tally[:], self.said[:], self.hands[:]
        other.seen = self.seen[:]
        other.passes, other.spots = [one[:] for one in self.passes], [replace(one) for one in self.spots]
        other.warmth = {zone: replace(one) for zone, one in self.warmth.items()}
        return other


@dataclass(slots=True)
class RunState:
    """Where a treatment stands. `why` is why it stands while it is paused or halted; `owed` the incident that is to be
    written first.

    `holder` has it in hand, with these licences. `stood_at` is the moment since which it stands. `machine` is ""
    without one, else "plugged", "lost" or "hand". `ran` are the acts whose clocks were running when it was last ended.
    `unheard` is why the last tap did nothing that its giver should know of.
    """

    status: Phase = "ready"
    act: int = 0
    runs: list[ActRun] = field(default_factory=list)
    reason: str = ""
    why: str = ""
    owed: str = ""
    stood_at: datetime | None = None
    holder: str = ""
    licences: frozenset[str] = frozenset()
    holders: list[tuple[datetime, str]] = field(default_factory=list)
    machine: str = ""
    started: datetime | None = None
    incidents: list[Incident] = field(default_factory=list)
    endings: list[Ending] = field(default_factory=list)
    ran: tuple[int, ...] = ()
    unheard: str = ""
    photos: list[tuple[str, str, str]] = field(default_factory=list)
    seen: set[UUID] = field(default_factory=set)

    @property
    def over(self) -> bool:
        """Whether nothing more happens in it."""
        return self.status in ("stopped", "finished")

    def worked_s(self, act: int, now: datetime) -> float:
        """Seconds worked in an act up to `now`, pauses left out."""
        return self.runs[act].seconds(now)

    def copy(self) -> "RunState":
        """One that may be changed."""
        return replace(
            self,
            runs=[run.copy() for run in self.runs],
            holders=self.holders[:],
            photos=self.photos[:],
            seen=set(self.seen),
            incidents=[replace(one) for one in self.incidents],
            endings=[replace(one) for one in self.endings],
        )
