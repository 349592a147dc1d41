"""Whether the rule book is closed: every name in it means something here, nothing is missing, nothing lies idle.

`knowledge.book()` reads the files and refuses what is no entry, or a number that cannot be. Here the book is held
against the code that reads it, once, before anything is served.
"""

from collections import Counter
from collections.abc import Container, Iterable, Iterator
from functools import cache
from typing import Annotated, Any, NamedTuple

from pydantic import BaseModel, TypeAdapter, ValidationError

from merak.core.after.aftercare import DERIVED, FAMILIES, HOLDS, REDDENING
from merak.core.after.answer import SEEN, STANDING
from merak.core.after.following import KINDS, FollowUp
from merak.core.body.plate import GROUPS, PLATES, all_zones, zone_names
from merak.core.body.strokes import ON_PLATE
from merak.core.body.treatable import BESIDE
from merak.core.errors import KnowledgeError
from merak.core.knowledge import Book, Option, Rule, Ruling, book, place_of
from merak.core.knowledge.register import WORDS, registered
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.shelf import on_the_shelf

#: Units that the code reckons in; one that is misspelt, or another scale's, is none.
UNITS = frozenset(
    unit.strip()
    for listed in (
        "% · share · × · times · of 4 · of 9 · of 10 · of 255",
        "of tip · of a footprint · of length · of default · of what it was",
        "°C · °C/s · W/m²K · ° · rad · mm · cm² · mm/s · mm/s² · tip · nm · 1/cm",
        "s · ms · min · h · days · years · Hz · MHz",
        "µA · mA · mA/cm² · mA·min · mA·min/cm² · mJ · J a line · J/cm² · J/m² · W/cm² · dB/cm/MHz",
        "mL · mL/min · cup · g · mg · mg/kg · mg/cm² · g/m²h · pH · kPa",
        "level · step · steps · passes · pulses · rounds · strokes · lines · sessions · spots · footprints · /cm²",
        "points · points of 40 · points of load · points of score a load · units of the meter · things · characters",
        "clients · reactions · phototype · ΔE00",
    )
    for unit in listed.split(" · ")
)


class Fault(NamedTuple):
    """What is wrong with an entry, and where it stands."""

    kind: str
    entry: str
    words: str

    def __str__(self) -> str:
        place = place_of(self.kind, self.entry)
        return f"{place}: {self.kind} “{self.entry}”: {self.words}"


def demand_closed() -> None:
    """Raises KnowledgeError, with file, line and id, for the first faults of the rule book."""
    found = tuple(faults(book()))
    if found:
        more = f" … and {len(found) - 5} more" if len(found) > 5 else ""
        raise KnowledgeError("The rule book is not closed. " + " · ".join(map(str, found[:5])) + more)


def faults(of: Book) -> Iterator[Fault]:
    """Everything that does not hold."""
    names = Names(of)
    for check in (_numbers, _modalities, _plate, _screening, _aftercare, _planning, _read):
        yield from check(of, names)


class Names:
    """What a name may be, by what it names."""

    def __init__(self, of: Book) -> None:
        self.modalities = frozenset(MODALITIES)
        self.planned = frozenset(one.id for one in of.modality if one.licence != "physician")
        self.aspects = frozenset(one.id for one in of.aspect)
        self.groups = frozenset(one.id for one in of.group)
        self.subjects = self.modalities | self.aspects | self.groups
        self.works = frozenset(one.id for one in of.work)
        self.tags = frozenset(tag for one in of.modality for tag in one.tags or ()) | DERIVED
        self.topics = frozenset(one.id for one in of.topic)
        self.conditions = frozenset(one.id for one in of.condition)
        self.rules = frozenset(one.id for one in of.rule)
        self.schools = frozenset(f"{one.id}={school.id}" for one in of.method for school in one.schools)
        self.options = frozenset(f"{one.id}={option.id}" for one in of.question for option in one.options)


@cache
def places() -> frozenset[str]:
    """Zones, and the spots that are none."""
    return all_zones() | {spot for kind in PLATES.values() for spot in kind.sketch().spots}


def _known(kind: str, entry: str, what: str, said: Iterable[str], names: Container[str]) -> Iterator[Fault]:
    """A fault for each name that is none."""
    yield from (Fault(kind, entry, f"there is no {what} “{name}”") for name in said if name not in names)


def _same(kind: str, what: str, written: Iterable[str], wanted: Iterable[str]) -> Iterator[Fault]:
    """A fault for each that is missing, and for each that nobody asks for."""
    there, asked = frozenset(written), frozenset(wanted)
    yield from (Fault(kind, name, f"{what} is missing") for name in sorted(asked - there))
    yield from (Fault(kind, name, f"nothing is called so that {what} could be of") for name in sorted(there - asked))


def _modalities(of: Book, names: Names) -> Iterator[Fault]:
    """Every modality has its words, its traits, its place on the plate, its tags."""
    yield from _same("modality", "its entry", (one.id for one in of.modality), names.modalities)
    yield from _same("trait", "its trait", (one.modality for one in of.trait), names.planned)
    for one in of.modality:
        yield from _known("modality", one.id, "group", one.groups, names.groups)
        yield from _known("modality", one.id, "way of working", {one.work} - {""}, names.works)
        yield from _known("modality", one.id, "rule", {one.promise} - {""}, names.rules)
        if one.licence != "physician":
            for field in ("technique", "endpoint", "stop"):
                if not getattr(one, field):
                    yield Fault("modality", one.id, f"its {field} is missing")
    yield from _same("work", "a modality", names.works, {one.work for one in of.modality} - {""})
    for tissue in of.tissue:
        if min(tissue.mm, tissue.k, tissue.rho, tissue.c) <= 0 or tissue.perfusion < 0:
            yield Fault("tissue", tissue.id, "a layer has thickness, conductivity, density and heat capacity")


def _screening(of: Book, names: Names) -> Iterator[Fault]:
    """Groups, aspects, questions, signs: what they speak of is there, and every modality is spoken of."""
    for group in of.group:
        yield from _known("group", group.id, "modality, aspect or group", group.members, names.subjects - {group.id})
    for aspect in of.aspect:
        yield from _known("aspect", aspect.id, "modality", [aspect.of], names.modalities)
    for question in of.question:
        yield from _known("question", question.id, "answer", question.when, names.options)
        if len({option.id for option in question.options}) < len(question.options) or len(question.options) < 2:
            yield Fault("question", question.id, "its options do not tell each other apart")
        if question.options and question.options[0].rulings:
            yield Fault("question", question.id, "its first option is the one that changes nothing")
        for option in question.options:
            yield from _rulings("question", question.id, option.rulings, names, option)
    for sign in of.sign:
        yield from _known("sign", sign.id, "condition", [sign.finding], names.conditions | {"phototype"})
        if not 1 <= sign.least <= (6 if sign.finding == "phototype" else 4):
            yield Fault("sign", sign.id, f"no grade is {sign.least}")
        yield from _rulings("sign", sign.id, sign.rulings, names)
    screened = _members(of, "SCREENED")
    yield from _same("group", "its screening (SCREENED)", screened, names.modalities & names.planned)


def _rulings(
    kind: str, entry: str, rulings: tuple[Ruling, ...], names: Names, option: Option | None = None
) -> Iterator[Fault]:
    for ruling in rulings:
        yield from _known(kind, entry, "modality, aspect or group", ruling.on, names.subjects)
        yield from _known(kind, entry, "zone", ruling.zones, all_zones())
        if ruling.counts and (ruling.verdict != "wait" or (ruling.days and ruling.months)):
            yield Fault(kind, entry, "days or months are waited for, nothing else")
        if option and ruling.counts and not option.dated:
            yield Fault(kind, entry, f"“{option.id}” waits for some time and asks for no date to count from")
        if option and ruling.zoned and not option.zoned:
            yield Fault(kind, entry, f"“{option.id}” holds where the client points, and nobody asks where")
        if ruling.verdict != "go" and not (ruling.reason and ruling.action):
            yield Fault(kind, entry, "a verdict says why, and what to do")


def _members(of: Book, name: str) -> frozenset[str]:
    """The members of a group, groups in it taken apart; none for one that is not there."""
    groups = {one.id: one.members for one in of.group}
    found: set[str] = set()
    left, seen = [name], set()
    while left:
        one = left.pop()
        if one in seen:
            continue
        seen.add(one)
        if one in groups:
            left += groups[one]
        else:
            found.add(one)
    return frozenset(found) - {name}


def _plate(of: Book, names: Names) -> Iterator[Fault]:
    """Margins, no-go areas, marks, landmarks: of works that are there, from places that are drawn."""
    for margin in of.margin:
        yield from _known("margin", margin.id, "way of working", margin.works, names.works)
        yield from _known("margin", margin.id, "place", [margin.keep_from], places())
        if margin.value <= 0:
            yield Fault("margin", margin.id, "a margin has a width")
    for never in of.no_go:
        yield from _known("no_go", never.id, "way of working", never.works, names.works)
        yield from _known("no_go", never.id, "place", never.places, places())
    for kind in of.mark_kind:
        yield from _known("mark_kind", kind.id, "way of working", kind.keeps_out, names.works | {"all"})
        yield from _known("mark_kind", kind.id, "unit", {kind.measured} - {""}, UNITS)
        yield from _known("mark_kind", kind.id, "work that it keeps out", kind.keep_mm_of, set(kind.keeps_out))
        if min([kind.keep_mm, *kind.keep_mm_of.values()]) < 0:
            yield Fault("mark_kind", kind.id, "a mark is kept from, not into")
    for landmark in of.landmark:
        yield from _known("landmark", landmark.id, "plate", [landmark.plate], PLATES)
    for work in of.work:
        yield from _known("work", work.id, "line", work.paths, {path for paths in ON_PLATE.values() for path in paths})
        if min(work.tip_mm) <= 0 or not 0 <= work.overlap < 1 or work.speed_mm_s <= 0:
            yield Fault("work", work.id, "its tip has a width, its rows overlap by less than that, and it moves")
        if any(one is not None and one <= 0 for one in (work.film_mm, work.dwell_s)):
            yield Fault("work", work.id, "a film has a thickness, and a tip that is set down stays a while")
    for flag in ("first", "whole"):
        named = [work.id for work in of.work if getattr(work, flag)]
        if len(named) != 1:
            yield Fault("work", " ".join(named), f"one way of working is the {flag}, and only one")
    kept = {one for margin in of.margin for one in margin.works} | {one for never in of.no_go for one in never.works}
    yield from (
        Fault("work", work.id, "it keeps no margin: name what it keeps from, or say that it is free")
        for work in of.work
        if (work.id in kept) == work.free
    )


def _planning(of: Book, names: Names) -> Iterator[Fault]:
    """Conditions, traits, pairings, methods, emergency cards."""
    for help in of.help:
        yield from _known("help", help.id, "modality", [help.modality], names.modalities)
        yield from _known("help", help.id, "condition", [help.condition], names.conditions)
        yield from _known("help", help.id, "group of zones", {help.where} - {""}, {*GROUPS, "graded", "lines"})
        yield from _settings("help", help.id, {help.modality: help.set})
        own = {one.id for one in of.programme if one.modality == help.modality}
        yield from _known("help", help.id, "programme of it", {help.programme} - {""}, own)
    yield from _programmes(of, names)
    helped = {help.condition for help in of.help}
    yield from (
        Fault("condition", one.id, "nothing helps it, and it does not refer")
        for one in of.condition
        if one.id not in helped and not one.refer
    )
    for trait in of.trait:
        minutes = (trait.hands_min, trait.again_min, trait.on_min)
        if min(trait.load, *minutes, trait.settle_h, trait.price, trait.zone_price) < 0:
            yield Fault("trait", trait.id, "loads, minutes, hours and prices are not below zero")
    for pairing in of.pairing:
        yield from _known("pairing", pairing.id, "modality, aspect or group", (*pairing.a, *pairing.b), names.subjects)
        yield from _known("pairing", pairing.id, "school", {pairing.unless, pairing.only} - {""}, names.schools)
        if not pairing.b and pairing.kind != "one":
            yield Fault("pairing", pairing.id, "it pairs something with something")
    yield from _skin(of, names)
    yield from _guards(of, names)
    yield from _agents(of)
    yield from _shelf(of, names)
    for method in of.method:
        for school in method.schools:
            said = (*school.on, *school.set, *school.rank, *school.adds)
            yield from _known("method", method.id, "modality", said, names.modalities)
            yield from _known("method", method.id, "zone or group of zones", school.zones, {*GROUPS, *all_zones()})
            yield from _settings("method", method.id, school.set)
    for card in of.emergency:
        yield from _known("emergency", card.id, "modality or group", card.modalities, names.subjects)
        yield from _known("emergency", card.id, "modality", card.letter_for, names.modalities | {"OWN"})
    for halting in of.halting:
        yield from _known("halting", halting.id, "modality or group", halting.modalities, names.subjects)
    halted = [one for entry in of.halting for name in entry.modalities for one in _members_or(of, name)]
    yield from _same("halting", "what is done first when it is stopped", halted, names.modalities & names.planned)


def _skin(of: Book, names: Names) -> Iterator[Fault]:
    """States with hours for each degree; every modality says what it leaves and bears, in degrees that there are."""
    hazards, merits = (
        {one.state: len(one.degrees) for one in of.skin_state if one.merit == merit} for merit in (False, True)
    )
    numbered = {one.id for one in of.rule if one.value is not None}
    for one in of.skin_state:
        each = one.mends if one.merit else one.hours
        if len(each) != len(one.degrees) or (one.hours and one.mends):
            yield Fault("skin_state", one.id, "each degree of a hazard has its hours, each of a merit its mend")
        if list(one.hours) != sorted(one.hours) or min(one.hours, default=0) < 0:
            yield Fault("skin_state", one.id, "a stronger degree lasts as long as a weaker one, or longer")
        yield from _known("skin_state", one.id, "modality", one.mends, names.planned)
    yield from _same("on_skin", "what it leaves and bears", (one.modality for one in of.on_skin), names.modalities)
    for asked in of.question:
        for option in asked.options:
            yield from _known("question", asked.id, "state of skin", option.leaves, hazards)
            for state, degree in option.leaves.items():
                if not 1 <= degree <= hazards.get(state, degree):
                    yield Fault("question", asked.id, f"there is no degree {degree} of {state}")
    for work in of.on_skin:
        said = [
            *((there, hazards, 1) for there in (work.leaves, work.bears)),
            *((there, merits, 1) for there in (work.asks, work.gives)),
            (work.ends, merits, 0),
            *((there, hazards, 0) for case in work.cases for there in (case.leaves, case.bears)),
            *((case.asks, merits, 0) for case in work.cases),
        ]
        for there, degrees, least in said:
            yield from _known("on_skin", work.id, "state of skin", there, degrees)
            for state, degree in there.items():
                if not least <= degree <= degrees.get(state, degree):
                    yield Fault("on_skin", work.id, f"there is no degree {degree} of {state}")
        for case in work.cases:
            yield from _settings("on_skin", work.id, {work.modality: dict(case.set)})
            yield from _known("on_skin", work.id, "rule with a number", case.above.values(), numbered)
            fields = MODALITIES[work.modality].Settings.model_fields if work.modality in MODALITIES else {}
            yield from _known("on_skin", work.id, "setting of it", case.above, fields)


def _guards(of: Book, names: Names) -> Iterator[Fault]:
    """Guards over zones that there are; what works ask for and are clear of is one of them, and not both."""
    known = {one.guard for one in of.guard}
    every = {zone for plate in PLATES for zone in zone_names(plate)}
    for one in of.guard:
        yield from _known("guard", one.id, "guard", one.also, known)
        yield from _known("guard", one.id, "zone", one.hides, every)
        if not one.comes_off and (one.hides or one.only):
            yield Fault("guard", one.id, "what hides skin, or is worn only at times, says how it comes off")
    for work in of.on_skin:
        asked = work.guards or ()
        yield from _known("on_skin", work.id, "guard", (*asked, *work.clear), known)
        if {*asked} & {*work.clear}:
            yield Fault("on_skin", work.id, "it asks for a guard that it has to be clear of")


def _agents(of: Book) -> Iterator[Fault]:
    """Days that rise with the degree and are not below zero; works count as agents and degrees that there are."""
    known = {one.agent: len(one.again) for one in of.agent}
    for one in of.agent:
        days = (*one.again, one.course, one.dark, one.others, one.after_open)
        if min(days) < 0 or list(one.again) != sorted(one.again):
            yield Fault("agent", one.id, "days are not below zero, and no fewer after a stronger degree")
    for work in of.on_skin:
        for least, counts in ((1, work.counts), *((0, case.counts) for case in work.cases)):
            yield from _known("on_skin", work.id, "agent", counts, known)
            if any(not least <= degree <= known.get(agent, degree) for agent, degree in counts.items()):
                yield Fault("on_skin", work.id, "there is no such degree of what it counts as")


def _shelf(of: Book, names: Names) -> Iterator[Fault]:
    """Each name means one product; what is laid, and what is laid in its place on opened skin, is on the shelf."""
    said = Counter(name.lower() for one in of.product for name in (one.name, *one.called))
    sterile = {one.name for one in of.product if one.sterile}
    clear = {one.name for one in of.product if "light" in one.lets}
    for one in of.product:
        twice = [name for name in (one.name, *one.called) if said[name.lower()] > 1]
        yield from (Fault("product", one.id, f"two products go by “{name}”") for name in twice)
        yield from _known("product", one.id, "sterile product", {one.opened} - {""}, sterile)
        yield from _known("product", one.id, "product that lets light through", {one.lit} - {""}, clear)
        yield from _known("product", one.id, "answer", (f"allergy={each}" for each in one.holds), names.options)
        if one.sterile and one.opened:
            yield Fault("product", one.id, "it is sterile, and another is laid in its place on opened skin")
        if one.ph and not 0 < one.ph[0] <= one.ph[1] < 14:
            yield Fault("product", one.id, "a pH lies between 0 and 14, from the lower to the higher")
        if bool(one.mixed) != bool(one.life_min):
            yield Fault("product", one.id, "what is mixed has its life, and what is not has none")
    for work in of.on_skin:
        laid = (*work.coat, *(name for case in work.cases for name in case.coat))
        yield from _known("on_skin", work.id, "product", (name.lower() for name in laid), said)
        if work.film and not work.coat:
            yield Fault("on_skin", work.id, "it is never worked on bare skin, and lays nothing")
        for state, degree in work.sterile.items():
            if state != "opened" or degree < 1:
                yield Fault("on_skin", work.id, f"what is sterile opens nothing but opened skin, not {state}")
    for rows in of.programme:
        for row in rows.stages:
            pieces = (one.name.lower() for one in on_the_shelf(row.product))
            yield from _known("programme", rows.id, "product", pieces, said)


def _programmes(of: Book, names: Names) -> Iterator[Fault]:
    """Programmes: of what, by which stages."""
    every = {zone for plate in PLATES for zone in zone_names(plate)}
    for one in of.programme:
        yield from _known("programme", one.id, "modality", [one.modality], names.modalities)
        for row in one.stages:
            name = row.modality or one.modality
            yield from _known("programme", one.id, "modality", [name], names.modalities)
            yield from _settings("programme", one.id, {name: row.set})
            yield from _known("programme", one.id, "zone or group of zones", row.zones, {*GROUPS, *every})
            yield from _known("programme", one.id, "school", {row.only} - {""}, names.schools)
            if row.least_min is not None and row.most_min is not None and row.least_min > row.most_min:
                yield Fault("programme", one.id, "the least of a clock is no more than its most")
            if bool(row.clock) != (row.least_min is not None or row.most_min is not None):
                yield Fault("programme", one.id, "a clock has minutes, and minutes have a clock")
        if all(row.modality not in ("", one.modality) or row.optional for row in one.stages):
            yield Fault("programme", one.id, f"none of its stages is {one.modality}")
    usual = [one.modality for one in of.programme if one.usual]
    yield from (Fault("modality", name, "it begins with one programme") for name in {*usual} if usual.count(name) > 1)


def _members_or(of: Book, name: str) -> frozenset[str]:
    """The members of a group, or the one that is called so."""
    return _members(of, name) or frozenset({name})


def _settings(kind: str, entry: str, said: dict[str, dict[str, Any]]) -> Iterator[Fault]:
    """Settings that a modality has, with values that they take."""
    for modality, values in said.items():
        for name, value in values.items() if modality in MODALITIES else ():
            model = MODALITIES[modality].Settings
            if name not in model.model_fields:
                yield Fault(kind, entry, f"{modality} has no setting “{name}”")
            elif not _takes(model, name, value):
                yield Fault(kind, entry, f"{modality} is not set to {name} {value!r}")


@cache
def _reader(model: type[BaseModel], name: str) -> TypeAdapter[Any]:
    """What reads a field of a model."""
    info = model.model_fields[name]
    reads: Any = Annotated[info.annotation, *info.metadata] if info.metadata else info.annotation
    return TypeAdapter(reads)


def _takes(model: type[BaseModel], name: str, value: object) -> bool:
    """Whether a field takes a value."""
    try:
        _reader(model, name).validate_python(value)
    except ValidationError:
        return False
    return True


def _aftercare(of: Book, names: Names) -> Iterator[Fault]:
    """Topics, lines of advice, what is taken home, what is asked afterwards, what soothes."""
    for topic in of.topic:
        yield from _known("topic", topic.id, "topic", {topic.gives_way} - {""}, names.topics)
        if not topic.ladder:
            yield Fault("topic", topic.id, "it says nothing")
    asked_for = REDDENING.union(STANDING, *(one.tags for one in of.advice), *(one.tags for one in of.home))
    for modality in of.modality:
        yield from _known("modality", modality.id, "plate", modality.plates, PLATES)
        yield from _known("modality", modality.id, "zone beside the skin", modality.also, BESIDE)
        yield from _known("modality", modality.id, "line of aftercare after", modality.tags, asked_for)
    ladders = {one.id: len(one.ladder) for one in of.topic}
    for advice in of.advice:
        yield from _known("advice", advice.id, "tag", advice.tags, names.tags)
        yield from _known("advice", advice.id, "topic", [advice.topic], names.topics)
        yield from _known("advice", advice.id, "client that it could concern", advice.when, HOLDS)
        if advice.step >= ladders.get(advice.topic, advice.step + 1):
            yield Fault("advice", advice.id, f"its topic has no step {advice.step}")
        if advice.until_h is not None and advice.until_h <= advice.from_h:
            yield Fault("advice", advice.id, "it ends before it begins")
    yield from _same("topic", "a line of advice", {one.topic for one in of.advice} & names.topics, names.topics)
    homes = {one.id for one in of.home}
    for home in of.home:
        yield from _known("home", home.id, "tag", home.tags, names.tags)
        yield from _known("home", home.id, "family of skin", home.family, FAMILIES)
        yield from _known("home", home.id, "product for home", {home.follows} - {""}, homes - {home.id})
        yield from _known("home", home.id, "film", {f"after.{home.film}_film"} if home.film else (), names.rules)
        if not 0 <= home.from_h < home.until_h or home.times < 1 or home.grams < 0 or not (home.film or home.grams):
            yield Fault("home", home.id, "it is used for some time, some times a day, in some amount")
    for asked in of.ask_after:
        yield from _known("ask_after", asked.id, "follow-up", asked.kinds, KINDS)
        yield from _known("ask_after", asked.id, "answer", [asked.field], FollowUp.model_fields)
        for option in asked.options if asked.field in FollowUp.model_fields else ():
            if not _takes(FollowUp, asked.field, option.value):
                yield Fault("ask_after", asked.id, f"{asked.field} is never “{option.value}”")
    for remedy in of.remedy:
        yield from _known("remedy", remedy.id, "kind of answer", remedy.seen, SEEN)
        yield from _known("remedy", remedy.id, "modality", {remedy.screened_as} - {""}, names.modalities)
        yield from _known("remedy", remedy.id, "thing that stands against it", remedy.not_after, STANDING)
        if not 1 <= remedy.least <= 4 or remedy.minutes <= 0:
            yield Fault("remedy", remedy.id, "grades go from 1 to 4, and it takes some minutes")


def _numbers(of: Book, names: Names) -> Iterator[Fault]:
    """Units that are reckoned in; zero and less only where a rule says that it may be."""
    for rule in of.rule:
        if rule.value is None:
            continue
        if rule.unit not in UNITS:
            yield Fault("rule", rule.id, f"“{rule.unit}” is no unit that is reckoned in")
        if rule.value < 0 and not rule.signed:
            yield Fault("rule", rule.id, f"{rule.value:g} is below zero, and it is not marked as signed")
    yield from _bounds(of, names)


def _bounds(of: Book, names: Names) -> Iterator[Fault]:
    """How far a studio may change a rule: around what was published, a ceiling only to its stricter side."""
    numbers = {rule.id: rule.value for rule in of.rule if rule.value is not None}
    floors = {rule.id: rule.bounds[0] for rule in of.rule if rule.id in numbers}
    for rule in of.rule:
        if not (rule.changeable or rule.stricter or rule.under or rule.least is not None or rule.most is not None):
            continue
        yield from _known("rule", rule.id, "rule that it lies under", rule.under, numbers)
        if rule.id not in numbers:
            if rule.stricter or rule.under or rule.least is not None or rule.most is not None:
                yield Fault("rule", rule.id, "it has no number that a studio could change")
            continue
        (least, most), value = rule.bounds, numbers[rule.id]
        if not least <= value <= most:
            yield Fault("rule", rule.id, f"a studio may put it from {least:g} to {most:g}, and it is {value:g}")
        if rule.least is not None and rule.least < 0 and not rule.signed:
            yield Fault("rule", rule.id, "a studio may put it below zero, and it is not marked as signed")
        for other in rule.under:
            if value > numbers.get(other, value):
                yield Fault("rule", rule.id, f"it lies above “{other}”, which it lies under")
            if least > floors.get(other, least):
                yield Fault("rule", rule.id, f"“{other}” may be put lower than this one, which lies under it")
        eased = {"less": rule.most, "more": rule.least}.get(rule.stricter)
        if eased is not None or (rule.changeable and not rule.stricter and rule.mark != "H"):
            yield Fault("rule", rule.id, "what is no house default is changed to its stricter side only")


def _read(of: Book, names: Names) -> Iterator[Fault]:
    """What code reads is there, a number in the unit that the code reckons in; no rule lies idle."""
    there = {kind: {entry.id: entry for entry in getattr(of, kind)} for kind in Book.model_fields}
    there["option"], there["school"] = dict.fromkeys(names.options), dict.fromkeys(names.schools)
    for need in registered():
        entry = there[need.kind].get(need.entry)
        if need.entry not in there[need.kind]:
            yield Fault(need.kind, need.entry, f"it is not there, and {need.module} reads it")
        elif isinstance(entry, Rule):
            unit = WORDS if entry.value is None else entry.unit
            if unit != need.unit:
                yield Fault("rule", need.entry, f"{need.module} reckons with {need.unit}, and it says {unit}")
    read = {need.entry for need in registered() if need.kind == "rule"} | {one.promise for one in of.modality}
    yield from (Fault("rule", one, "nothing reads it") for one in sorted(names.rules - read))
