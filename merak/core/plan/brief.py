"""What follows from the facts of a visit, besides what is chosen."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from uuid import UUID

from merak.core.body.plate import PLATES, SPECK_CM2, all_zones, area_cm2, bare, keys_of, keys_on, plate_with
from merak.core.body.treatable import BESIDE, Treatable, treatable
from merak.core.knowledge import about, free_work, number, quantity, skin_states, traits
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import needs
from merak.core.modality.before import Before
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import Card, fits
from merak.core.modality.shared import Subject
from merak.core.modality.titration import titrate
from merak.core.plan.facts import Facts, Machine
from merak.core.plan.footing import asking
from merak.core.plan.past import Past, given_before
from merak.core.plan.screening import Board, board, housekeeping
from merak.core.remembered import remembered
from merak.core.working import Quantity

needs(
    __name__,
    """
    points of load: budget.base budget.dark budget.dry budget.newcomer budget.sensitive
    units of the meter: look.hydration.low
    phototype: phototype.dark phototype.very_dark
    days: titration.pause
    words: titration.tan
    """,
    option=("dry_air=yes", "sun=tanned", "sun=burnt", "sun=burnt_healed"),
    question=("dry_air", "sun"),
)

#: So many are kept of what was worked out lately, for all clients together: of whole plans, and of what is small.
FEW, MANY = 80, 500


@dataclass(frozen=True)
class Brief:
    """What follows from the facts. Two of the same facts are the same."""

    facts: Facts

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash(self.facts)

    def but(self, **changes: object) -> "Brief":
        """The brief of the same facts with some of them changed."""
        return Brief(self.facts.model_copy(update=changes))

    @cached_property
    def board(self) -> Board:
        """Where each modality stands today."""
        return board(
            self.facts.answers,
            self.facts.born,
            self.facts.today,
            self.facts.returning,
            self.facts.findings,
            self.facts.letters,
            self.facts.overrides,
            self.offered,
            {
                name: (last.mark, on)
                for name, last in self.facts.history.items()
                if last.mark and (on := last.marked_on or last.on)
            },
            self.facts.reports,
        )

    @cached_property
    def past(self) -> tuple[Past, ...]:
        """What the client's skin was given before, as far as it may still matter."""
        return given_before(self.facts)

    @cached_property
    def offered(self) -> frozenset[str]:
        """What this studio can do."""
        return offered_by(tuple(one.card for one in self.facts.machines))

    def machine(self, modality: str, wanted: str = "") -> Machine | None:
        """The machine for a modality: the wanted one, or the first that does it."""
        fitting = sorted(
            (one for one in self.facts.machines if fits(one.card, modality)),
            key=lambda one: one.card.modality != modality,
        )
        return next((one for one in fitting if one.id == wanted), None if wanted else next(iter(fitting), None))

    def card(self, modality: str, wanted: str = "") -> Card | None:
        """The card of the wanted machine for a modality, or of the first; None without one."""
        found = self.machine(modality, wanted)
        return found.card if found else None

    @property
    def dark(self) -> bool:
        """Whether the skin is dark: phototype IV or darker."""
        return (self.facts.findings.phototype or 0) >= number("phototype.dark")

    @property
    def newcomer(self) -> bool:
        """Whether this client is new here."""
        return not self.facts.returning

    def area(self, work: str, plate: str = "face", parts: tuple[UUID, ...] = ()) -> Treatable:
        """Where a modality may go on one of this client's plates, by this therapist's hand; within the parts that are
        drawn there, where any of these are.
        """
        facts = self.facts
        within = tuple(one for one in facts.marks if one.id in parts and one.plate == plate)
        measures = facts.findings.measures
        return treatable(measures, work, facts.finger_mm, plate, facts.narrowed, facts.marks, within)

    def own_area(self, modality: str, plate: str = "face", parts: tuple[UUID, ...] = ()) -> Treatable:
        """Where a modality goes on one of this client's plates: with its own margins, free of them where it keeps
        none.
        """
        work = "" if modality in housekeeping() else about()[modality].work
        return self.area(work or free_work(), plate, parts)

    def whole(self, plate: str = "face") -> Treatable:
        """One of the plates, where nothing keeps its distance."""
        return self.area(free_work(), plate)

    @cached_property
    def skin(self) -> Subject:
        """The client's skin, whatever is done to it."""
        dry = self.facts.answers.get("dry_air")
        sun = self.facts.answers.get("sun")
        low = self.facts.findings.hydration is not None and self.facts.findings.hydration < number("look.hydration.low")
        return Subject(
            phototype=self.facts.findings.phototype,
            sensitive=bool(self.facts.findings.sensitive),
            tanned=sun is not None and sun.option in ("tanned", "burnt", "burnt_healed"),
            dehydrated=(dry is not None and dry.option == "yes") or low,
        )

    @cached_property
    def known(self) -> dict[str, Before]:
        """How each modality ended last time, where that still speaks for as much today: not after a long pause, nor on
        tanned skin. What asks for less than a first start is never forgotten.
        """
        return {
            name: last
            for name, last in self.facts.history.items()
            if not self.forgotten(last) or last.incident or last.mark or titrate(last).turn in ("down", "stop")
        }

    def forgotten(self, last: Before) -> str:
        """The rule by which last time says nothing for today; "" where it does."""
        if last.on and (self.facts.today - last.on).days >= number("titration.pause"):
            return "titration.pause"
        return "titration.tan" if self.skin.tanned else ""

    def subject(self, modality: str, area: float) -> Subject:
        """The client as a modality's rules see one."""
        own = {
            "first_visit": modality not in self.known,
            "area_cm2": max(area, 0.01),
            "verdict": self.board[modality].verdict if modality in self.board else "go",
            "last": self.known.get(modality),
        }
        return self.skin.model_copy(update=own)

    @cached_property
    def budget(self) -> Quantity:
        """How much load this skin bears in one visit, with its working."""
        lines = [quantity("budget.base", "load in one visit")]
        for rule_id, holds, words in (
            ("budget.newcomer", self.newcomer, "new client"),
            ("budget.sensitive", self.skin.sensitive, "sensitive skin"),
            ("budget.dry", self.skin.dehydrated, "dehydrated, or winter"),
            ("budget.dark", (self.skin.phototype or 0) >= number("phototype.very_dark"), "phototype V or VI"),
        ):
            if holds:
                lines.append(quantity(rule_id, words))
        return Quantity(
            name="load that this skin bears",
            value=sum(line.known for line in lines),
            unit="points",
            formula="what applies, added up",
            inputs=tuple(lines),
            rules=tuple(rule for line in lines for rule in line.rules),
        )

    def spot_first(self, modality: str) -> bool:
        """Whether only a test spot is done today: it was never done here, long ago or on other skin than today's, or
        there was an incident, and none that was read since speaks for it.
        """
        known, before = self.known.get(modality), self.facts.history.get(modality)
        spot, read = MODALITIES[modality].WAYS.spot, self.facts.spots.get(modality)
        if spot is None or spot.same_visit or (known is not None and not known.incident):
            return False
        old = before is not None and read is not None and before.on is not None and read.on <= before.on
        return read is None or old or not read.speaks(self.facts.today)

    def price(self, modality: str) -> float:
        """What the studio asks for a modality, in its currency."""
        return self.facts.prices.get(modality, traits()[modality].price)


@by_book(64)
def brief_of(facts: Facts) -> Brief:
    """The brief of these facts, with all that was worked out from the same ones lately."""
    return Brief(facts)


def offered_by(cards: Iterable[Card]) -> frozenset[str]:
    """What a studio with these machines can do: what it has one for, and what needs none; what only makes ready, as
    numbing does, where there is something that waits for it.
    """
    own = tuple(cards)
    able = {
        name
        for name, module in MODALITIES.items()
        if about()[name].licence != "physician" and (not module.CARD or any(fits(card, name) for card in own))
    }
    asked = {state for name in able for case in asking(name) for state in case}
    for one in skin_states().values():
        if one.merit and one.state not in asked:
            able -= {name for name in one.mends if traits()[name].waits}
    return frozenset(able)


def plates_of(zones: tuple[str, ...], modality: str) -> tuple[str, ...]:
    """The plates of a modality that zones lie on, in their order; its first where none are named."""
    own = about()[modality].plates
    if not zones:
        return own[:1]
    on = {plate_with(zone) for zone in map(bare, zones) if zone in all_zones()}
    return tuple(name for name in PLATES if name in on and name in own)


@remembered(MANY)
def workable(
    brief: Brief, modality: str, zones: tuple[str, ...] = (), parts: tuple[UUID, ...] = ()
) -> dict[str, float]:
    """Zone → treatable cm² for a modality, of both sides or of the one that is named: what was asked for, less what an
    answer, a finding, a margin or a mark closes. Where parts are drawn on a plate, what of its zones lies in them.
    """
    closed = brief.board[modality].closed if modality in brief.board else {}
    asked = keys_on(frozenset(zones))
    drawn = {mark.plate for mark in brief.facts.marks if mark.id in parts}
    own, also = about()[modality].plates, about()[modality].also
    named_on = plates_of(zones, modality) if zones or not drawn else ()
    found: dict[str, float] = {}
    for plate in (name for name in PLATES if name in named_on or (name in drawn and name in own)):
        cm2 = {
            key: area
            for key, shape in brief.own_area(modality, plate, parts).zones.items()
            if key[1] not in closed
            and (key[1] not in BESIDE or (key[1] in also and key in asked))
            and (plate in drawn or not zones or key in asked)
            and (area := area_cm2(shape)) > SPECK_CM2
        }
        for (side, zone), area in cm2.items():
            both = asked.issuperset(keys_of(zone)) if zones and plate not in drawn else True
            whole = both and (plate not in drawn or all(key in cm2 for key in keys_of(zone)))
            name = zone if whole else f"{side} {zone}"
            found[name] = found.get(name, 0) + area
    return found
