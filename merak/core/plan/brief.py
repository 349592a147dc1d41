"""All that a plan follows from, besides what is chosen."""

from collections.abc import Callable, Iterable
from contextlib import suppress
from datetime import date
from functools import cached_property
from typing import Any, TypeVar, cast

from pydantic import Field, PrivateAttr

from merak.core.body.marks import Mark
from merak.core.body.plate import PLATES, area_cm2, zone_names
from merak.core.body.treatable import BESIDE, Narrowed, Treatable, treatable
from merak.core.client import Findings, LastTime
from merak.core.knowledge import about, all_of, book, number, quantity, traits
from merak.core.modality.before import Before
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import Card, fits
from merak.core.modality.shared import Subject
from merak.core.plan.screening import HOUSEKEEPING, Answers, Board, Letter, Override, board
from merak.core.plan.spots import SpotRead
from merak.core.working import Frozen, Quantity

T = TypeVar("T")
NOTHING = object()
#: Modalities whose test spot is read days later, on a visit of its own.
SPOT_FIRST = frozenset({"peel", "pulsed_light"})
#: More than this is not kept for one client.
MOST_KEPT = 150


class Machine(Frozen):
    """One of the studio's machines: its id and card."""

    id: str
    card: Card


class Wish(Frozen):
    """What the client wants most (conditions), which event is coming, how much time and money there is; None: not said."""

    goals: tuple[str, ...] = ()
    event: date | None = None
    minutes: float | None = Field(None, ge=5, le=480)
    money: float | None = Field(None, ge=0, le=100_000)


class Brief(Frozen):
    """All that a plan follows from. `finger_mm` is the therapist's finger breadth; `narrowed` are margins that a senior narrowed for this
    visit, `marks` what stands on the client's plates; `spots` the test spots that were read, by modality; `licences` and `senior` are the
    treating person's; `methods` the studio's schools;
    `prices` its prices by modality, which are the house's where it has none; `slot` the booked minutes.
    """

    today: date
    born: date
    returning: bool
    answers: Answers
    findings: Findings
    last: LastTime | None = None
    history: dict[str, Before] = Field(default_factory=dict)
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

    _kept: dict[Any, Any] = PrivateAttr(default_factory=dict)

    def but(self, **changes: Any) -> "Brief":
        """The same with some of it changed; nothing that was worked out before goes along."""
        return Brief.model_construct(**{name: getattr(self, name) for name in Brief.model_fields} | changes)

    def once(self, key: Any, work: Callable[[], T]) -> T:
        """What follows from this brief and `key` alone, worked out once: at a change of a plan most of it stays as it was."""
        kept = self._kept
        found = kept.pop(key, NOTHING)  # two at once may both work it out, and neither minds
        if found is NOTHING:
            found = work()
        kept[key] = found  # the last used last
        if len(kept) > MOST_KEPT:
            with suppress(RuntimeError, StopIteration):
                kept.pop(next(iter(kept)), None)
        return cast(T, found)

    @cached_property
    def board(self) -> Board:
        """Where each modality stands today."""
        return board(
            self.answers, self.born, self.today, self.returning, self.findings, self.letters, self.overrides, self.offered,
            {name: (last.mark, on) for name, last in self.history.items() if last.mark and (on := last.marked_on or last.on)},
        )  # fmt: skip

    @cached_property
    def offered(self) -> frozenset[str]:
        """What this studio can do."""
        return offered_by(tuple(one.card for one in self.machines))

    def machine(self, modality: str, wanted: str = "") -> Machine | None:
        """The machine for a modality: the wanted one, or the first that does it."""
        fitting = sorted((one for one in self.machines if fits(one.card, modality)), key=lambda one: one.card.modality != modality)
        return next((one for one in fitting if one.id == wanted), None if wanted else next(iter(fitting), None))

    def card(self, modality: str) -> Any:
        """The card of the first machine for a modality; None without one."""
        found = self.machine(modality)
        return found.card if found else None

    @property
    def newcomer(self) -> bool:
        """Whether this client is new here."""
        return not self.returning

    def area(self, work: str, plate: str = "face") -> Treatable:
        """Where a modality may go on one of this client's plates, by this therapist's hand."""
        return treatable(self.findings.measures, work, self.finger_mm, plate, self.narrowed, self.marks)

    def subject(self, modality: str, area: float) -> Subject:
        """The client as a modality's rules see one."""
        dry = self.answers.get("dry_air")
        sun = self.answers.get("sun")
        low = self.findings.hydration is not None and self.findings.hydration < number("look.hydration.low")
        return Subject(
            phototype=self.findings.phototype,
            sensitive=bool(self.findings.sensitive),
            first_visit=modality not in self.history,
            tanned=sun is not None and sun.option in ("tanned", "burnt"),
            dehydrated=(dry is not None and dry.option == "yes") or low,
            area_cm2=max(area, 0.01),
            verdict=self.board[modality].verdict if modality in self.board else "go",
            last=self.history.get(modality),
        )

    @cached_property
    def budget(self) -> Quantity:
        """How much load this skin bears in one visit, with its working."""
        subject = self.subject("peel", 300)
        lines = [quantity("budget.base", "load in one visit")]
        for rule_id, holds, words in (
            ("budget.newcomer", self.newcomer, "new client"),
            ("budget.sensitive", subject.sensitive, "sensitive skin"),
            ("budget.dry", subject.dehydrated, "dehydrated, or winter"),
            ("budget.dark", (subject.phototype or 0) >= 5, "phototype V or VI"),
        ):
            if holds:
                lines.append(quantity(rule_id, words))
        return Quantity(
            name="load that this skin bears", value=sum(line.value or 0 for line in lines), unit="points", formula="what applies, added up",
            inputs=tuple(lines), rules=tuple(rule for line in lines for rule in line.rules),
        )  # fmt: skip

    def spot_first(self, modality: str) -> bool:
        """Whether only a test spot is done today: it was never done here, or there was an incident, and none that was read since speaks
        for it.
        """
        before, read = self.history.get(modality), self.spots.get(modality)
        if modality not in SPOT_FIRST or (before is not None and not before.incident):
            return False
        old = before is not None and read is not None and before.on is not None and read.on <= before.on
        return read is None or old or not read.speaks(self.today)

    def price(self, modality: str) -> float:
        """What the studio asks for a modality, in its currency."""
        return self.prices.get(modality, traits()[modality].price)


def offered_by(cards: Iterable[Any]) -> frozenset[str]:
    """What a studio with these machines can do: what it has one for, and what needs none. Numbing only where something is numbed for."""
    own = tuple(cards)
    able = {
        name
        for name, module in MODALITIES.items()
        if about()[name].licence != "physician" and (not module.CARD or any(fits(card, name) for card in own))
    }
    numbed_for = {name for one in book().pairing if one.kind == "needs" and "numbing" in one.b for name in all_of(one.a)}
    return frozenset(able if able & numbed_for else able - {"numbing"})


def plate_of(zones: tuple[str, ...], modality: str) -> str:
    """The plate that zones lie on; the face where none are named, for body stimulation the thighs."""
    if not zones:
        return "thigh-front" if modality == "muscle_stimulation" else "face"
    return next((name for name in PLATES if zones[0] in zone_names(name)), "face")


def workable(brief: Brief, modality: str, zones: tuple[str, ...] = ()) -> dict[str, float]:
    """Zone → treatable cm² (both sides) for a modality: what was asked for, less what an answer, a finding, a margin or a mark closes."""
    return brief.once(("zones", modality, zones), lambda: _workable(brief, modality, zones))


def _workable(brief: Brief, modality: str, zones: tuple[str, ...]) -> dict[str, float]:
    if modality in HOUSEKEEPING or not about()[modality].work:
        whole = brief.area("mask", plate_of(zones, modality)).plate.zones
        areas = {key: area_cm2(shape) for key, shape in whole.items()}
    else:
        areas = {key: area_cm2(shape) for key, shape in brief.area(about()[modality].work, plate_of(zones, modality)).zones.items()}
    closed = brief.board[modality].closed if modality in brief.board else {}
    found: dict[str, float] = {}
    for (_, zone), area in areas.items():
        if zone not in closed and zone not in BESIDE and (not zones or zone in zones):
            found[zone] = found.get(zone, 0) + area
    return {zone: area for zone, area in found.items() if area > 0.05}
