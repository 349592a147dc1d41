"""The studio's own rule book: house defaults that it moved inside their bounds, ceilings and verdicts that it made
stricter. What was published stands beside it, and nothing here opens what that closes.
"""

import math
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from hashlib import sha256
from typing import Literal, get_args

from pydantic import Field

from merak.core.errors import KnowledgeError
from merak.core.knowledge import (
    Book,
    BookEntry,
    Question,
    Rule,
    Ruling,
    Verdict,
    all_of,
    current,
    members,
    printed,
    published,
    published_edition,
    told,
    written,
)

#: From the mildest up; a wait is for a date, which is the published book's affair.
STRICTER = ("change", "letter", "no", "never")
#: All verdicts, from the mildest up.
ORDER: tuple[Verdict, ...] = get_args(Verdict)
#: What is counted, and not measured.
COUNTED = frozenset({"passes", "pulses", "rounds", "strokes", "lines", "sessions", "spots", "phototype", "clients"})
HELD = "Held by the studio’s own rule."


class OwnVerdict(BookEntry):
    """What an answer means here beyond what was published: `on` names a modality, aspect or group."""

    question: str
    option: str
    on: str
    verdict: Literal["change", "letter", "no", "never"]
    reason: str

    @property
    def about(self) -> tuple[str, str, str]:
        """What it speaks of: one verdict stands for each."""
        return self.question, self.option, self.on

    @property
    def name(self) -> str:
        """What it speaks of, as a name."""
        return f"{self.question}={self.option}:{self.on}"


class OwnRules(BookEntry):
    """All that a studio changed: numbers by their rule, verdicts; `version` counts its changes."""

    version: int = Field(0, ge=0)
    values: dict[str, float] = Field(default_factory=dict)
    verdicts: tuple[OwnVerdict, ...] = ()

    @property
    def empty(self) -> bool:
        """Whether everything is as it was published."""
        return not self.values and not self.verdicts

    @property
    def many(self) -> int:
        """How much was changed."""
        return len(self.values) + len(self.verdicts)

    def touches(self, entry_id: str) -> bool:
        """Whether an entry of the rule book, as it is called there, is other than it was published."""
        return entry_id in self.values or any(f"screening.{one.question}" == entry_id for one in self.verdicts)

    def said(self) -> dict[str, str]:
        """What stands, by rule and by answer, in words."""
        units = {rule.id: rule.unit for rule in published().rule}
        numbers = {one: f"{printed(value)} {units.get(one, '')}" for one, value in self.values.items()}
        return numbers | {one.name: one.verdict for one in self.verdicts}

    @property
    def edition(self) -> str:
        """What the book is known by with this in it; "" for the published one."""
        if self.empty:
            return ""
        digest = sha256(self.model_dump_json(exclude={"version"}).encode()).hexdigest()[:8]
        return f"{published_edition()}+{self.version}.{digest}"


def edition_words(edition: str) -> str:
    """What a plan was planned under, in words; "" for one from before it was kept."""
    published_as, _, own = edition.partition("+")
    if not published_as:
        return ""
    version = own.partition(".")[0]
    return f"rule book {published_as[:8]}" + (f", the studio’s own rules in version {version}" if version else "")


@contextmanager
def working_with(own: OwnRules) -> Iterator[None]:
    """Whatever is read, reckoned and judged inside goes by the book with the studio's own rules in it."""
    if own.empty:
        yield
    else:
        with current.working_by(own.edition, _made(own.model_dump_json())):
            yield


@lru_cache(maxsize=current.BOOKS)
def _made(text: str) -> Book:
    return made(OwnRules.model_validate_json(text))


def made(own: OwnRules) -> Book:
    """The published book with the studio's own rules in it. What no longer fits, after the published book changed, is
    left out or drawn to its bounds: ceilings hold.
    """
    as_written = written()
    numbers = _fitting(own.values)
    return told(
        as_written.model_copy(
            update={
                "rule": tuple(_with_number(rule, numbers) for rule in as_written.rule),
                "question": tuple(_with_verdicts(one, own.verdicts) for one in as_written.question),
            }
        )
    )


def _fitting(values: dict[str, float]) -> dict[str, float]:
    """Each number within its bounds, and at most what it lies under."""
    rules = {rule.id: rule for rule in published().rule if rule.changeable and rule.id in values}
    found = {one: min(max(values[one], rule.bounds[0]), rule.bounds[1]) for one, rule in rules.items()}
    lower = True
    while lower:  # what lies under one that lies under another, however long that goes on
        lower = False
        for rule in published().rule:
            over = [found.get(one, _value(one)) for one in rule.under]
            most = max(min(over), rule.bounds[0]) if over and rule.changeable else math.inf
            if found.get(rule.id, rule.value or 0) > most:
                found[rule.id], lower = most, True
    return found


def _value(rule_id: str) -> float:
    return next(rule.value or 0 for rule in published().rule if rule.id == rule_id)


def _with_number(rule: Rule, numbers: dict[str, float]) -> Rule:
    if rule.id not in numbers or numbers[rule.id] == rule.value:
        return rule
    value = numbers[rule.id]
    words = rule.words if "{value}" in rule.words else f"{rule.words} Here: {printed(value)} {rule.unit}."
    source = f"The studio’s own; published: {printed(rule.value or 0)} {rule.unit} ({rule.source})"
    return rule.model_copy(update={"value": value, "words": words, "source": source})


def _with_verdicts(question: Question, verdicts: tuple[OwnVerdict, ...]) -> Question:
    """A ruling more: the strictest counts, so that none can make an answer milder."""
    own = [one for one in verdicts if one.question == question.id]
    if not own:
        return question
    options = tuple(
        option.model_copy(
            update={
                "rulings": option.rulings
                + tuple(
                    Ruling(on=(one.on,), verdict=one.verdict, reason=one.reason, action=HELD)
                    for one in own
                    if one.option == option.id and n
                )
            }
        )
        for n, option in enumerate(question.options)
    )
    return question.model_copy(update={"options": options})


def faults(own: OwnRules) -> dict[str, str]:
    """What does not hold of it, in words, by the rule's id or "question=option:on"."""
    wrong = {one: said for one, value in own.values.items() if (said := _wrong_number(one, value, own.values))}
    for one in own.verdicts:
        if said := _wrong_verdict(one):
            wrong[one.name] = said
    return wrong


def _wrong_number(rule_id: str, value: float, values: dict[str, float]) -> str:
    rules = {rule.id: rule for rule in published().rule}
    rule = rules.get(rule_id)
    if rule is None:
        return "There is no such rule."
    if not rule.changeable:
        return "This one is not the studio’s to change."
    least, most = rule.bounds
    if not least <= value <= most:
        only = {"less": " It is only lowered.", "more": " It is only raised."}.get(rule.stricter, "")
        return f"Between {printed(least)} and {printed(most)} {rule.unit}, please.{only}"
    if rule.unit in COUNTED and value != int(value):
        return "A whole number, please."
    for above in (rules[one] for one in rule.under):
        if value > _standing(above, values):
            return f"It may not lie above {_named(above, values)}"
    for below in rules.values():
        if rule_id in below.under and _standing(below, values) > value:
            return f"It may not lie below {_named(below, values)} Change that one first."
    return ""


def _standing(rule: Rule, values: dict[str, float]) -> float:
    return values.get(rule.id, rule.value or 0)


def _named(rule: Rule, values: dict[str, float]) -> str:
    return f"{printed(_standing(rule, values))} {rule.unit}: “{rule.words}” ({rule.id})."


def _wrong_verdict(said: OwnVerdict) -> str:
    question = next((one for one in published().question if one.id == said.question), None)
    option = next((one for one in question.options[1:] if one.id == said.option), None) if question else None
    if option is None:
        return "There is no such answer, or it is the one that changes nothing."
    try:
        subjects = members(said.on)
    except KnowledgeError:
        return "There is no such modality, aspect or group."
    already = [
        ruling.verdict
        for ruling in option.rulings
        if subjects <= all_of(ruling.on) and not ruling.zoned and not ruling.zones and not ruling.counts
    ]
    worst = max(already, key=ORDER.index, default="go")
    if ORDER.index(said.verdict) <= ORDER.index(worst):
        return f"That answer means “{worst}” there already: a verdict is only made stricter."
    return ""
