"""What is done at the chair, act by act: its clock, what is counted where, what is asked, when it must not be overrun
in silence.
"""

from collections.abc import Iterable
from functools import cached_property
from typing import Literal

from pydantic import Field

from merak.core.body.curves import Pair
from merak.core.client import Side
from merak.core.spots import SpotRule
from merak.core.working import Frozen, Saying

ActKind = Literal["free", "timed", "strokes", "sections", "pulses"]
Ring = tuple[Pair, ...]


class StrokeLine(Frozen):
    """One line of a stroke act: where it runs on the plate (mm), how often, at which level."""

    path: str
    points: tuple[Pair, ...]
    repeats: int = Field(ge=1)
    level: float
    bony: bool = False


class Part(Frozen):
    """A section or a zone that is worked as one: its outlines on the plate (mm; those inside others are holes), what to
    mind there, the strokes that go over it. `plate` is the one that it lies on where that is not the act's.
    """

    name: str
    plate: str = ""
    outlines: tuple[Ring, ...] = ()
    cm2: float = 0
    mind: str = ""
    guides: tuple[Ring, ...] = ()


class Cell(Frozen):
    """One footprint of a grid: its outline (mm), the number of the part that it lies in, and what the machine is set to
    for it where that is not what the act is set to.
    """

    part: int
    ring: Ring
    set_to: str = ""


class HeatRule(Frozen):
    """How warm an act may make the skin: band and stop at the surface (°C), heating under the tip (°C/s), how much
    hotter it is below.
    """

    low_c: float
    high_c: float
    stop_c: float
    rate_c_s: float
    dwell_s: float
    deeper_c: float
    warn_min: float
    stop_min: float


class Share(Frozen):
    """What takes at least so much (%) of the time of its modality's work: what it is called, in the time of which
    work, beside what else, and what to do where it is short.
    """

    least: float
    name: str
    of: str
    beside: str
    make_up: str


class Act(Frozen):
    """One act at the chair. `seconds` is the plan for its clock; a strict one may not be overrun in silence, and `over`
    says what then.

    `keeps` where the skin goes on when the hands pause (cream, acid, mask), `not_before` where it needs all of its
    clock. `beside` is the number of the act in whose waiting time it is done. `level_most` is as far as a level may be
    raised at the chair: the highest that no ceiling refuses. `dials` is what the machine `machine` is set to, `plate`
    where it is done. `step` and `stage` are the plan's; `portion` is what it is of its modality's work ("work.part"),
    `share` what it takes of the time of that work; what `readies` is done once a step. What is marked when it is
    seen is counted `at_most` so often, and less is nothing missed.
    """

    kind: ActKind
    title: str
    instruction: str
    seconds: int
    modality: str = ""
    side: Side | None = None
    lines: tuple[StrokeLine, ...] = ()
    parts: tuple[Part, ...] = ()
    cells: tuple[Cell, ...] = ()
    passes: int = Field(1, ge=1)
    hold_s: float = 0
    level_most: float = 0
    sayings: tuple[Saying, ...] = ()
    step: str = ""
    stage: str = ""
    portion: str = ""
    share: Share | None = None
    readies: bool = False
    strict: bool = False
    over: str = ""
    keeps: bool = False
    not_before: bool = False
    beside: int | None = None
    spot: SpotRule | None = None
    heat: HeatRule | None = None
    asks: tuple[Literal["heat", "pain"], ...] = ()
    ask_s: int = 0
    clean_every: int = 0
    licence: str = ""
    mirror: bool = False
    machine: str = ""
    dials: tuple[tuple[str, float, str], ...] = ()
    plate: str = "face"
    at_most: bool = False

    @cached_property
    def wanted(self) -> tuple[int, ...]:
        """How often each place is to be counted in one pass: lines, footprints or sections, whichever the act has."""
        if self.kind == "strokes":
            return tuple(line.repeats for line in self.lines)
        return (1,) * len(self.cells if self.kind == "pulses" else self.parts if self.kind == "sections" else ())

    @cached_property
    def plates(self) -> tuple[str, ...]:
        """The plates that it is done on, its own first."""
        return tuple(dict.fromkeys((self.plate, *(part.plate or self.plate for part in self.parts))))

    @property
    def strokes(self) -> int:
        """Everything that is counted in the whole act."""
        return sum(self.wanted) * self.passes

    @property
    def only_spot(self) -> bool:
        """Whether it only places a test spot, which is read on a later day."""
        return self.spot is not None and not self.spot.same_visit

    @property
    def must_end(self) -> bool:
        """Whether its clock may not be overrun in silence."""
        return self.strict or self.kind == "timed"


class Span(Frozen):
    """A step in time: when it starts and how long it takes, in seconds, and each of its stages; on the second track
    where it runs beside another.
    """

    step: str
    title: str
    modality: str
    track: Literal[0, 1]
    start_s: int
    seconds: int
    hands_s: int = 0
    waits: bool = False
    stages_s: tuple[int, ...] = ()


def guests_of(acts: Iterable[Act], host: int) -> list[int]:
    """The acts that are done in an act's waiting time, in order."""
    return [n for n, act in enumerate(acts) if act.beside == host]
