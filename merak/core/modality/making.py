"""How a step becomes acts at the chair: what all of its acts share, and the usual ways of working."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Protocol

from merak.core.acts import Act, Cell, Part
from merak.core.body.plate import SIDES, where_words
from merak.core.body.sections import SectionOrder
from merak.core.client import Side
from merak.core.knowledge import Manner, about, number
from merak.core.knowledge.register import needs
from merak.core.modality.prints import Prints, looser
from merak.core.modality.ways import Ground, Inquiry, Ways
from merak.core.spots import SpotRule
from merak.core.working import Quantity

needs(
    __name__,
    """
    min: visit.half_face
    """,
)


class Places(Protocol):
    """Where a step lies on a client's plate, in working order; one part for all of it before it is laid."""

    @property
    def known(self) -> bool:
        """Whether it is laid, part by part."""

    def sections(self, order: SectionOrder) -> tuple[Part, ...]:
        """Its sections."""

    def zones(self) -> tuple[Part, ...]:
        """Its zones, each side by itself."""

    def grid(self, of: Prints, order: SectionOrder) -> tuple[tuple[Part, ...], tuple[Cell, ...]]:
        """Its sections and the footprints in them."""


NO_MANNER = Manner()


@dataclass(frozen=True)
class Making:
    """A step on its way to acts. `hands_s` are seconds with hands on, `wait_s` those until it works, `own_s` those of
    its own time after them, `off_s` those in which what was laid on comes off; `side` is worked first; `school` is what
    the schools in force say of it, `lower` where it is set lower; `spot` its test spot, `sides` those that it lies on;
    it is `capped` where it goes to marks that bear so many at most.
    """

    modality: str
    ways: Ways
    step: str
    stage: str
    settings: Any
    card: Any
    machine_id: str
    numbers: dict[str, Quantity]
    hands_s: int
    own_s: int
    side: Side
    zones: tuple[str, ...]
    beyond: tuple[str, ...]
    plate: str
    school: str
    lower: str
    laid: Places
    grounds: tuple[Ground, ...]
    spot: SpotRule | None
    how: Manner = NO_MANNER
    wait_s: int = 0
    off_s: int = 0
    sides: frozenset[str] = frozenset(SIDES)
    capped: bool = False

    @property
    def title(self) -> str:
        """What it is called."""
        return about()[self.modality].title

    @property
    def where(self) -> str:
        """The zones that were chosen, as a sentence."""
        there = [where_words(self.zones)] * bool(self.zones or self.beyond)
        words = ", ".join([*there, *self.beyond])
        return f"{words[0].upper()}{words[1:]}. " if there else ""

    @property
    def technique(self) -> str:
        """How it is done, in the rule book's first words."""
        return " ".join(about()[self.modality].technique[:2])

    @property
    def preparation(self) -> str:
        """What is said at making ready."""
        return f"{self.where}{self.technique} {self.lower}".strip()

    @property
    def instruction(self) -> str:
        """What is said at the work: what the schools say, or the technique; both where nothing was made ready."""
        technique = "" if self.manner else self.technique
        if self.hands_s:
            return f"{self.where}{self.school or technique}"
        return f"{self.where}{technique} {self.school} {self.lower}".strip()

    @property
    def manner(self) -> str:
        """How this stage is worked, in place of the usual technique, a sentence each: what is laid, by which strokes,
        the free hand, what is said, what ends it.
        """
        how = self.how
        most = f", at most {how.most_cm2:g} cm²" if how.most_cm2 else ""
        seen = f"where it is seen{most}" if how.where == "chair" else ""
        laid = " ".join(filter(None, (how.product, how.amount and f"({how.amount})", how.layer)))
        strokes = ": ".join(filter(None, (how.laying, how.often)))
        prints = looser(self.settings.prints(self.card), how.gap_mm)
        between = f"{prints.gap_mm:g} mm left between two" if prints and prints.gap_mm else ""
        hands = f"free hand {how.free_hand}" if how.free_hand else ""
        off = f"off by {how.off}{f', {how.warmth}' if how.warmth else ''}" if how.off not in ("", "stays on") else ""
        ends = how.ends and f"enough: {how.ends}"
        told = [how.gate and f"first: {how.gate}", seen, laid, strokes, between, hands, how.line.rstrip("."), ends, off]
        return "".join(f"{one[0].upper()}{one[1:]}. " for one in told if one)

    @property
    def enough(self) -> str:
        """What ends it."""
        if self.how.ends:  # told with how it is worked
            return ""
        endpoint = about()[self.modality].endpoint
        return f"Enough: {endpoint[0].lower()}{endpoint[1:]}"

    @property
    def licence(self) -> str:
        """The right that its acts need."""
        found = about()[self.modality].licence
        return "" if found == "micro depth" else found

    @property
    def other_side(self) -> Side:
        """The side that is worked second."""
        return "left" if self.side == "right" else "right"

    def act(
        self, kind: Any, title: str, seconds: float, instruction: str = "", asks: Inquiry | None = None, **more: Any
    ) -> Act:
        """An act of this step. While something works on the skin the client is asked, as for the modality unless `asks`
        says otherwise.
        """
        words = instruction or f"{self.instruction.strip()} {self.enough}"
        mine = {"modality": self.modality, "step": self.step, "stage": self.stage, "plate": self.plate} | more
        if self.how.where == "chair" or self.capped:
            mine["at_most"] = bool(more.get("parts"))
        works = mine["modality"] and (kind != "free" or mine.get("spot"))
        asking = (asks or self.ways.asks) if works else Inquiry()
        told = {"ask_s": asking.every_s, "asks": asking.words} if asking.rule else {}
        return Act(kind=kind, title=title, instruction=words, seconds=max(round(seconds), 1), **(mine | told))

    def ready(self, title: str = "", instruction: str = "", seconds: float | None = None) -> Act:
        """Getting it ready, with hands on: no energy yet, so it names no modality."""
        named, words = title or f"{self.title}: make ready", instruction or self.preparation
        took = self.hands_s if seconds is None else seconds
        return self.act("free", named, took, words, modality="", readies=True)

    @property
    def machine(self) -> dict[str, Any]:
        """The machine and what it is set to, in its own scale; a panel is placed, not set."""
        if not self.machine_id or not self.settings.dial:
            return {"licence": self.licence}
        return self.set_to(*self.settings.dial)

    def set_to(self, name: str, value: float) -> dict[str, Any]:
        """The machine with one dial set."""
        unit = getattr(self.card, "scale", "level")
        return {"licence": self.licence, "machine": self.machine_id, "dials": ((name, float(value), unit),)}

    @property
    def passes(self) -> int:
        """How often each section is gone over: as set, or as the rule book says."""
        named = (name for name in ("passes", "rounds", "strokes") if hasattr(self.settings, name))
        return next((int(getattr(self.settings, name)) for name in named), self.ways.passes_usual)

    def mirror(self) -> Act:
        """One half shown against the other, before the second begins."""
        return against_the_other(self.step, self.stage, self.plate)


def against_the_other(step: str, stage: str, plate: str) -> Act:
    """One half shown against the other, after a stage, before the second begins."""
    words = "Everything off the skin first. Show one half against the other, or photograph it; ask how it felt."
    return Act(
        kind="free",
        title="Mirror",
        instruction=words,
        seconds=round(number("visit.half_face") * 60),
        mirror=True,
        step=step,
        stage=stage,
        plate=plate,
    )


def in_manner(make: Making, acts: Iterable[Act]) -> tuple[Act, ...]:
    """The acts of a stage, first saying how it is worked: those in which it is counted, else those on a clock; of what
    is left to work the one that lays it on.
    """
    made = tuple(acts)
    if not make.manner:
        return made
    clocks = [act for act in made if act.kind == "timed" and act.modality and not act.keeps]
    named = [act for act in made if act.wanted] or clocks or [act for act in made if act.readies] or [*made]
    return tuple(
        act.model_copy(update={"instruction": f"{make.manner}{act.instruction}".strip()}) if act in named else act
        for act in made
    )


def waited_for(make: Making, acts: tuple[Act, ...]) -> tuple[Act, ...]:
    """The acts of a stage with what it waits for before its work: a serum that is left on, a look that is taken."""
    if not make.wait_s:
        return acts
    n = next((n for n, act in enumerate(acts) if not act.readies), 0)
    words = f"{make.how.gate[:1].upper()}{make.how.gate[1:]}?" if make.how.gate else "By the clock, not by feeling."
    wait = make.act("timed", f"{make.title}: wait", make.wait_s, words, modality="", over="Go on.", keeps=True)
    return (*acts[:n], wait, *acts[n:])


def taken_off(make: Making, acts: tuple[Act, ...]) -> tuple[Act, ...]:
    """The acts of a stage with what takes off what it laid on: an act of its own after a clock, else part of the last
    one.
    """
    if not make.off_s or not acts:
        return acts
    *rest, last = acts
    if not last.must_end:
        return (*rest, last.model_copy(update={"seconds": last.seconds + make.off_s}))
    how = ", ".join(filter(None, (make.how.off, make.how.warmth)))
    words = f"By {how}. Nothing is left at jaw and hairline."
    return (*acts, make.act("free", f"{make.title}: off", make.off_s, words, modality=""))


def plain(make: Making) -> Iterable[Act]:
    """Hands only, or a machine that is counted by nothing."""
    yield make.act("free", make.title, make.hands_s + make.own_s)


def left_to_work(make: Making, title: str, over: str, **more: Any) -> Iterable[Act]:
    """Put on, then left to work until the clock says so."""
    yield make.ready(f"{make.title} on")
    words = f"{make.school} {make.enough}".strip()
    yield make.act("timed", title, make.own_s, words, over=over, keeps=True, **more)


def by_the_clock(make: Making, over: str, order: SectionOrder = "cheeks first") -> Iterable[Act]:
    """A machine against the clock, section by section, in as many passes as it takes."""
    yield make.ready()
    yield make.act(
        "sections",
        make.title,
        make.own_s,
        parts=make.laid.sections(order),
        passes=make.passes,
        strict=True,
        over=over,
        **make.machine,
    )


def counted(make: Making) -> Iterable[Act]:
    """Section by section, pass by pass; the clock is only told."""
    if make.hands_s:
        yield make.ready()
    parts = make.laid.sections("cheeks first")
    yield make.act("sections", make.title, make.own_s, parts=parts, passes=make.passes, **make.machine)


def current_on(make: Making) -> Iterable[Act]:
    """A current that is turned up, left, turned down."""
    yield make.ready()
    over = "Current down to zero, then off the skin."
    yield make.act("timed", make.title, make.own_s, over=over, **make.machine)


def gridded(make: Making, order: SectionOrder = "cheeks first") -> Iterable[Act]:
    """Footprint by footprint, section by section: the next one lit, the tip wiped when it is due."""
    of = looser(make.settings.prints(make.card), make.how.gap_mm)
    parts: tuple[Part, ...] = (Part(name="everywhere"),)
    cells: tuple[Cell, ...] = (Cell(part=0, ring=()),)
    if make.laid.known and of:
        parts, cells = make.laid.grid(of, order)
    hand = about()[make.modality].technique[3].partition(". ")[0].rstrip(".") + "."
    yield make.ready(instruction=f"{make.preparation} {make.school}".strip())
    yield make.act(
        "pulses",
        make.title,
        make.own_s,
        f"{hand} {make.enough}",
        parts=parts,
        cells=cells,
        passes=make.passes,
        clean_every=make.ways.wiped_after,
        spot=make.spot,
        **make.machine,
    )
