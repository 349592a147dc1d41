"""The rule book as it is read: every entry with reason, source, mark and where it is used; found by words, modality,
zone, condition.
"""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cache
from itertools import groupby

from merak.core.body.plate import PLATES, zone_names
from merak.core.knowledge import Cited, Rule, Ruling, about, all_of, aspects, book, topics
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import registered
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.footing import worst_left
from merak.core.plan.screening import acted_on
from merak.services.context import Context, NotFound

#: What skin and clients are like, as the rules name it: the word that is chosen and what it is found by.
CONDITIONS = {
    "acne": "acne|pustul|lesion",
    "bone": "bone|bony",
    "congestion, oil": "congest|oily|plug|pores",
    "dehydrated": "dehydrat|dries|dry skin",
    "dilated vessels, rosacea": "vessel|rosacea",
    "fine lines, laxity": "fine line|laxity|fold",
    "first visit": "first visit|newcomer|first-timer|new client",
    "numbed": "numb",
    "open or broken skin": "open skin|broken|abraded|channel",
    "phototype, tan": "phototype|tan\\b|tanned|darker|melanin",
    "pigment, melasma": "pigment|melasma|dark mark",
    "pregnancy": "pregnan|breastfeed",
    "implants, metal": "implant|pacemaker|metal|pin",
    "scars": "scar|keloid",
    "sensitive": "sensitive|reacted|reaction",
    "thin skin": "thin skin|thin tissue",
}
#: Rooms of the core → what they are called on screen. Modality and bench files name themselves.
ROOMS = {
    "body": "Plate",
    "plan.survey": "Plate",
    "plan.screening": "Ask",
    "plan": "Plan",
    "treatment": "Treat",
    "after": "Close",
    "client": "Look",
}


#: Headings for families of rules, and for entries that are no plain rules.
SUBJECTS = {
    "acid": "Acids",
    "current": "Current",
    "galvanic": "Galvanic work",
    "grid": "Grids",
    "needles": "Needles",
    "oxygen": "Oxygen",
    "path": "Strokes",
    "travel": "Strokes",
    "product": "Product amounts",
    "start": "Start values",
    "device": "Machines",
    "work": "Strokes",
    "dose": "Dose",
    "mark": "Marks",
    "side": "Which side first",
    "after": "Aftercare",
    "physician": "A physician’s",
    "body": "Areas",
    "arm": "Tapes",
    "hand": "Tapes",
    "neck": "Tapes",
    "thigh": "Tapes",
    "face": "The face",
    "course": "Courses",
    "visit": "The visit",
    "screening": "Ask",
    "budget": "Load on the skin",
    "event": "Before an event",
    "plan": "The plan",
    "propose": "Proposals",
    "chair": "At the chair",
    "thermometer": "Instruments",
    "meter": "Instruments",
    "emergency": "Emergencies",
    "halting": "Emergencies",
    "look": "Looking",
    "suction": "Suction",
}
KINDS = {
    "margin": "Margins",
    "no-go area": "No-go areas",
    "question": "Ask",
    "aftercare": "Aftercare",
    "mark on the plate": "Marks",
    "tissue": "Tissue",
    "modality": "Modalities",
    "way of working": "Ways of working",
    "finding": "Findings",
    "group": "Groups",
    "aspect": "Aspects",
    "condition": "Conditions",
    "trait": "In a plan",
    "pairing": "What fits with what",
    "state of skin": "The skin along the clock",
    "on the skin": "The skin along the clock",
    "product": "The shelf",
    "method": "Methods",
    "emergency card": "Emergencies",
    "when it is stopped": "Emergencies",
    "for home": "Aftercare",
    "question afterwards": "Afterwards",
    "remedy": "Afterwards",
}


@dataclass(frozen=True)
class Entry:
    """One entry: its kind and value in words, the modalities and zones that it concerns, and where it is used."""

    cited: Cited
    kind: str
    value: str
    absolute: bool
    modalities: frozenset[str]
    zones: frozenset[str]
    used: tuple[str, ...]

    @property
    def changeable(self) -> bool:
        """Whether a studio may make something else of it: a number inside its bounds, a verdict stricter."""
        return self.kind == "question" or (isinstance(self.cited, Rule) and self.cited.changeable)

    @property
    def subject(self) -> str:
        """The heading that it stands under."""
        if self.kind != "rule":
            return KINDS[self.kind]
        head, _, rest = self.cited.id.partition(".")
        name = rest.partition(".")[0] if head == "support" else head
        return about()[name].title if name in about() else SUBJECTS.get(head, head.capitalize())

    @property
    def text(self) -> str:
        """All its words, for searching."""
        one = self.cited
        return f"{one.id} {one.words} {one.reason} {one.source} {self.value}".lower()


@dataclass(frozen=True)
class Search:
    """What is looked for; "" leaves a choice open."""

    words: str = ""
    of: str = ""
    zone: str = ""
    condition: str = ""
    mark: str = ""
    #: A heading of the book, and how many entries were read already.
    under: str = ""
    after: int = 0


#: So many entries a page: the whole book is too much to read, or to send.
PAGE = 60


@dataclass(frozen=True)
class Page:
    """A page of what was found, under its headings; the headings of the whole book where nothing was asked; what the
    next page comes after, None on the last.
    """

    many: int
    groups: list[tuple[str, list[Entry]]]
    contents: list[tuple[str, int]]
    more: int | None


def found(ctx: Context, asked: Search) -> tuple[Entry, ...]:
    """The entries that answer to all that is asked. Raises Denied."""
    ctx.demand("see the day")
    wanted = [word for word in asked.words.lower().split() if word]
    said = re.compile(CONDITIONS.get(asked.condition, ""), re.IGNORECASE)
    return tuple(
        entry
        for entry in entries()
        if all(word in entry.text for word in wanted)
        and (not asked.of or asked.of in entry.modalities)
        and (not asked.zone or asked.zone in entry.zones)
        and (not asked.mark or entry.cited.mark == asked.mark)
        and said.search(entry.text)
        and asked.under in ("", entry.subject)
    )


def page_of(ctx: Context, asked: Search) -> Page:
    """What was found under its headings, the modality that was asked for first; page by page. Raises Denied."""
    first = about()[asked.of].title if asked.of in about() else ""
    order = sorted(found(ctx, asked), key=lambda entry: (entry.subject != first, entry.subject))
    if asked == Search():
        counted = [(subject, len(list(group))) for subject, group in groupby(order, key=lambda entry: entry.subject)]
        return Page(len(order), [], counted, None)
    start = max(0, asked.after)
    shown, end = order[start : start + PAGE], start + PAGE
    groups = [(subject, list(group)) for subject, group in groupby(shown, key=lambda entry: entry.subject)]
    return Page(len(order), groups, [], end if end < len(order) else None)


def entry_of(ctx: Context, entry_id: str) -> Entry:
    """One entry. Raises NotFound, Denied."""
    ctx.demand("see the day")
    found = next((entry for entry in entries() if entry.cited.id == entry_id), None)
    if found is None:
        raise NotFound("There is no such rule.")
    return found


def all_zones() -> tuple[str, ...]:
    """Every zone of every plate."""
    return tuple(sorted({zone for name in PLATES for zone in zone_names(name)}))


@by_book()
def entries() -> tuple[Entry, ...]:
    """Everything in the rule book, by subject."""
    return tuple(sorted(_all(), key=lambda entry: entry.subject))


def _all() -> Iterator[Entry]:
    everything = book()
    for rule in everything.rule:
        value = "" if rule.value is None else f"{rule.value:g} {rule.unit}"
        yield _entry(rule, "rule", value, _concerned("rule", rule.id), absolute=rule.absolute)
    for margin in everything.margin:
        words = f"{margin.value:g} {margin.unit} from the {margin.keep_from}"
        yield _entry(margin, "margin", words, _works(margin.works), (margin.keep_from,), used=("Plate",))
    for never in everything.no_go:
        yield _entry(never, "no-go area", ", ".join(never.places), _works(never.works), never.places, True, ("Plate",))
    for question in everything.question:
        options = "; ".join(option.words for option in question.options)
        cited = Cited(
            id=f"screening.{question.id}",
            words=question.ask,
            reason=options,
            source=question.source,
            mark=question.mark,
        )
        concerned = {aspects()[name].of if name in aspects() else name for name in acted_on(question)}
        yield _entry(cited, "question", "", concerned, used=("Ask",))
    for advice in everything.advice:
        said = Cited(id=advice.id, words=advice.words, reason=advice.reason, source=advice.source, mark=advice.mark)
        after = {name for name, words in about().items() if set(words.tags) & set(advice.tags)}
        yield _entry(said, "aftercare", topics()[advice.topic].weight, after, used=("Close",))
    for take in everything.home:
        yield _entry(
            take,
            "for home",
            take.use,
            {name for name, words in about().items() if set(words.tags) & set(take.tags)},
            used=("Close",),
        )
    for asked in everything.ask_after:
        yield _entry(
            asked, "question afterwards", ", ".join(option.words for option in asked.options), (), used=("Close",)
        )
    for remedy in everything.remedy:
        yield _entry(remedy, "remedy", f"from {remedy.least} of 4, {remedy.minutes} min", (), used=("Close",))
    for kind in everything.mark_kind:
        yield _entry(kind, "mark on the plate", "", _works(kind.keeps_out), used=("Plate",))
    for tissue in everything.tissue:
        value = (
            f"{tissue.mm:g} mm, {tissue.k:g} W/mK, {tissue.rho:g} kg/m³, {tissue.c:g} J/kgK, {tissue.perfusion:g} /s"
        )
        heated = _concerned("tissue", tissue.id)
        used = (*sorted(about()[name].title for name in heated), "Bench: heat")
        yield _entry(tissue, "tissue", value, heated, used=used)
    for one in everything.modality:
        yield _entry(one, "modality", one.licence, {one.id}, used=("Bench",))
    for sign in everything.sign:
        yield _entry(
            sign, "finding", f"{sign.finding} from {sign.least} up", _ruled(sign.rulings), used=("Ask", "Look")
        )
    for group in everything.group:
        yield _entry(
            group, "group", ", ".join(group.members), all_of(group.members) & about().keys(), used=("Ask", "Plan")
        )
    for aspect in everything.aspect:
        yield _entry(aspect, "aspect", "", {aspect.of}, used=("Ask", "Plan"))
    for condition in everything.condition:
        value = "; ".join(f"{about()[one.modality].title} ({one.evidence})" for one in condition.consider)
        yield _entry(condition, "condition", value, {one.modality for one in condition.consider}, used=("Look", "Plan"))
    for trait in everything.trait:
        value = f"load {trait.load}, settled in {trait.settle_h:g} h" if trait.load or trait.settle_h else ""
        yield _entry(trait, "trait", value, {trait.modality}, used=("Plan",))
    for pairing in everything.pairing:
        yield _entry(
            pairing,
            "pairing",
            pairing.kind,
            all_of((*pairing.a, *pairing.b)),
            absolute=pairing.absolute,
            used=("Plan",),
        )
    for state in everything.skin_state:
        hours = [f" {h:g} h" for h in state.hours] or [""] * len(state.degrees)
        lasting = ", ".join(f"{words}{h}" for words, h in zip(state.degrees, hours, strict=True))
        yield _entry(state, "state of skin", lasting, _touching(state.state), used=("Plan",))
    for touch in everything.on_skin:
        value = ", ".join(f"leaves {name} {degree}" for name, degree in touch.leaves.items())
        yield _entry(touch, "on the skin", value, {touch.modality}, used=("Plan",))
    for product in everything.product:
        lets = f"lets {', '.join(product.lets)} through" if product.lets else "lets nothing through"
        film = f"{product.film:g} mg/cm²" if product.film else ""
        value = ", ".join(filter(None, (product.kind, "sterile" if product.sterile else "", lets, film)))
        by = {work.modality for work in everything.on_skin if product.name in work.coat}
        yield _entry(product, "product", value, by, used=("Plan", "Treat"))
    for method in everything.method:
        value = " · ".join(school.words for school in method.schools)
        yield _entry(
            method,
            "method",
            value,
            {name for school in method.schools for name in school.on},
            used=("Plan", "Practice"),
        )
    for card in everything.emergency:
        yield _entry(
            card,
            "emergency card",
            " ".join(card.action),
            all_of(card.modalities) & about().keys(),
            used=("Treat", "Emergencies"),
        )
    for first in everything.halting:
        yield _entry(first, "when it is stopped", "", all_of(first.modalities) & about().keys(), used=("Treat",))
    for work in everything.work:
        yield _entry(work, "way of working", work.manner, _works((work.id,)), used=("Plate",))


def _touching(state: str) -> set[str]:
    """The modalities that leave skin in a state, or give it."""
    return {one.modality for one in book().on_skin if state in worst_left(one.modality) | one.gives}


def _ruled(rulings: Iterable[Ruling]) -> set[str]:
    """The modalities that rulings act on."""
    return {name for ruling in rulings for name in all_of(ruling.on) & about().keys()}


def _entry(
    cited: Cited,
    kind: str,
    value: str,
    concerned: Iterable[str],
    places: Iterable[str] = (),
    absolute: bool = False,
    used: tuple[str, ...] = (),
) -> Entry:
    text = f"{cited.words} {cited.reason}".lower()
    zones = frozenset(zone for zone in all_zones() if zone in places or re.search(rf"\b{re.escape(zone)}\b", text))
    return Entry(cited, kind, value, absolute, frozenset(concerned), zones, used or uses().get(cited.id, ()))


def _concerned(kind: str, entry_id: str) -> set[str]:
    """The modalities that an entry concerns: the one that it is named for, else those whose files read it."""
    named = set(entry_id.split(".")[:2]) & about().keys()
    reading = (need.module for need in registered() if (need.kind, need.entry) == (kind, entry_id))
    return named or {name for module in reading for name in _working_with().get(module, ())}


@cache
def _working_with() -> dict[str, frozenset[str]]:
    """Module → the modalities that work with it: their own file, and what a few of them share."""
    found: dict[str, set[str]] = {}
    for name, module in MODALITIES.items():
        own = getattr(module, "__name__", type(module).__module__)
        for one in {own, *(getattr(value, "__module__", None) or "" for value in vars(module).values())}:
            found.setdefault(one, set()).add(name)
    return {module: frozenset(names) for module, names in found.items() if len(names) < len(MODALITIES) / 2}


def _works(works: Iterable[str]) -> set[str]:
    """The modalities behind the plate's names for them."""
    wanted = set(works)
    return {name for name, words in about().items() if "all" in wanted or words.work in wanted}


@cache
def uses() -> dict[str, tuple[str, ...]]:
    """Rule id → what reads it, as it is called on screen."""
    places: dict[str, set[str]] = {}
    for need in registered():
        if need.kind == "rule":
            # What all modalities share is used by the one that the rule is named for.
            named = about().get(need.entry.partition(".")[0])
            title = _title(need.module) or (named.title if named else "every modality")
            places.setdefault(need.entry, set()).add(title)
    for words in book().modality:
        if words.promise:
            places.setdefault(words.promise, set()).add("Consent")
    return {rule_id: tuple(sorted(titles)) for rule_id, titles in places.items()}


def _title(module: str) -> str:
    """What a module is called on screen; "" for what all modalities share."""
    place = module.removeprefix("merak.core.")
    if place == module:
        return "The visit"
    room, _, name = place.partition(".")
    if room == "modality":
        return about()[name].title if name in about() else ""
    if room == "bench":
        return f"Bench: {name}"
    return ROOMS.get(place) or ROOMS.get(room) or "Working"
