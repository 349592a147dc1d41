"""The studio's own rule book: the owner changes, takes back, reads it out to a file and in again. Every change is a
version, with who, when and why; visits say which one they were planned under.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date
from typing import Annotated, Literal

from pydantic import ValidationError

from merak.core.errors import BadInput
from merak.core.knowledge import (
    BookEntry,
    Question,
    Rule,
    about,
    aspects,
    book,
    members,
    number,
    published,
    published_edition,
)
from merak.core.knowledge.own import STRICTER, OwnRules, OwnVerdict, faults
from merak.core.knowledge.register import needs
from merak.core.plan import screening
from merak.records import own_rules
from merak.records.bodies.house import RuleChange
from merak.records.own_rules import Version
from merak.records.tables import OwnRulesVersion
from merak.services.context import Context, NotFound
from merak.services.forms import Otherwise, TypedForm
from merak.services.studio.signing_in import forget

needs(
    __name__,
    """
    characters: screening.reason_length
    """,
)

#: Bytes of a file that is read in, at most.
LARGEST = 500_000
WHY = "Why? A few words that a reader a year later understands."


class NumberForm(TypedForm):
    """Another number for a rule."""

    value: Annotated[float | None, Otherwise("A number, please.", needed=True)] = None
    reason: str = ""


class VerdictForm(TypedForm):
    """A stricter verdict for an answer."""

    option: str = ""
    on: str = ""
    verdict: str = ""
    reason: str = ""


class OwnNumber(BookEntry):
    """A number in a file."""

    rule: str
    value: float
    unit: str
    reason: str


class OwnRulesFile(BookEntry):
    """The studio's own rule book as a file: `form` is the shape of the file, `edition` the published book's that it was
    made with.
    """

    kind: Literal["the studio's own rules"] = "the studio's own rules"
    form: Literal[1] = 1
    edition: str = ""
    version: int = 0
    made: date | None = None
    numbers: tuple[OwnNumber, ...] = ()
    verdicts: tuple[OwnVerdict, ...] = ()


def rule_of(rule_id: str) -> Rule:
    """A rule as it was published. Raises NotFound."""
    found = next((rule for rule in published().rule if rule.id == rule_id), None)
    if found is None:
        raise NotFound("There is no such rule.")
    return found


def question_of(question_id: str) -> Question:
    """A question as it was published. Raises NotFound."""
    found = next((one for one in published().question if one.id == question_id), None)
    if found is None:
        raise NotFound("There is no such question.")
    return found


def versions(ctx: Context) -> list[Version]:
    """Every version, the newest first. Raises Denied."""
    ctx.demand("see the day")
    return own_rules.versions(ctx.db)


def history(ctx: Context, entry_id: str = "") -> list[tuple[RuleChange, Version]]:
    """Every change of an entry, or of all, with the version that it made, the newest first. Raises Denied."""
    return [
        (change, version)
        for version in versions(ctx)
        for change in version.changes
        if entry_id in ("", place(change.of))
    ]


def place(of: str) -> str:
    """The entry that a change speaks of: its rule, or the question of its answer."""
    return f"screening.{of.partition('=')[0]}" if "=" in of else of


def named(of: str) -> str:
    """What a change speaks of, as it is read: the rule's id, or the answer and on what it is stricter."""
    question_id, _, rest = of.partition("=")
    if not rest:
        return of
    option_id, _, on = rest.partition(":")
    question = next((one for one in published().question if one.id == question_id), None)
    option = next((one.words for one in question.options if one.id == option_id), option_id) if question else option_id
    return f"“{option}”, {subjects().get(on, on)}"


def subjects() -> dict[str, str]:
    """What a verdict may be about, in words: whatever is judged, and groups of it."""
    judged = frozenset(screening.subjects())
    words = {name: one.title for name, one in about().items()} | {
        name: one.words.rstrip(".") for name, one in aspects().items()
    }
    groups = {group.id: group.words.rstrip(".") for group in book().group if members(group.id) & judged}
    return {name: words[name] for name in screening.subjects()} | groups


def standing(ctx: Context) -> OwnRules:
    """What the studio changed, as it stands. Raises Denied."""
    ctx.demand("see the day")
    return own_rules.standing(ctx.db)


def set_number(ctx: Context, rule_id: str, form: dict[str, str]) -> None:
    """Another number for a rule, with a reason. Raises BadInput by field, NotFound, Denied."""
    ctx.demand("run the practice")
    rule = rule_of(rule_id)
    asked, wrong = NumberForm.parse(form)
    wrong |= _too_short(asked.reason)
    if asked.value is None or wrong:
        raise BadInput(wrong)
    others = {rule_id: asked.value} if asked.value != rule.value or not rule.changeable else {}
    with _changing(ctx, rule_id, asked.reason) as (own, keep):
        values = {key: one for key, one in own.values.items() if key != rule_id} | others
        new = own.model_copy(update={"values": values})
        if said := faults(new).get(rule_id) or faults(_with_default(new, rule)).get(rule_id):
            raise BadInput({"value": said})
        keep(new)


def _with_default(own: OwnRules, rule: Rule) -> OwnRules:
    """The same with the published number set, so that what lies above and below it is looked at too."""
    return own.model_copy(update={"values": {rule.id: rule.value or 0, **own.values}})


def set_verdict(ctx: Context, question_id: str, form: dict[str, str]) -> None:
    """A stricter verdict for an answer, with a reason. Raises BadInput by field, NotFound, Denied."""
    ctx.demand("run the practice")
    question_of(question_id)
    asked, wrong = VerdictForm.parse(form)
    wrong |= _too_short(asked.reason)
    if asked.on not in subjects():
        wrong["on"] = "On what?"
    if asked.verdict not in STRICTER:
        wrong["verdict"] = "Which verdict?"
    if wrong:
        raise BadInput(wrong)
    said = OwnVerdict.model_validate({"question": question_id, **asked.model_dump()})
    if wrong_there := faults(OwnRules(verdicts=(said,))):
        raise BadInput({"verdict": next(iter(wrong_there.values()))})
    with _changing(ctx, f"screening.{question_id}", asked.reason) as (own, keep):
        keep(own.model_copy(update={"verdicts": (*(one for one in own.verdicts if one.about != said.about), said)}))


def take_back(ctx: Context, of: str, form: dict[str, str]) -> None:
    """What was changed is again as it was published: a rule, an answer ("question=option:subject"), or all of it ("").
    Raises BadInput by field, NotFound for what nobody changed, Denied.
    """
    ctx.demand("run the practice")
    reason = form.get("reason", "").strip()
    if wrong := _too_short(reason):
        raise BadInput(wrong)
    with _changing(ctx, of, reason) as (own, keep):
        values = {key: one for key, one in own.values.items() if of and key != of}
        verdicts = tuple(one for one in own.verdicts if of and one.name != of)
        new = own.model_copy(update={"values": values, "verdicts": verdicts})
        before = faults(own)  # after the published book changed, what was kept may not hold: that bars nothing
        if said := [f"{one}: {words}" for one, words in faults(new).items() if one not in before]:
            raise BadInput({"reason": " · ".join(said)})
        if not keep(new):
            raise NotFound("Nobody changed that.")


def to_file(ctx: Context) -> OwnRulesFile:
    """All that was changed, as a file. Raises Denied."""
    ctx.demand("run the practice")
    own = own_rules.standing(ctx.db)
    reasons = {change.of: change.reason for version in reversed(versions(ctx)) for change in version.changes}
    units = {rule.id: rule.unit for rule in published().rule}
    return OwnRulesFile(
        edition=published_edition(),
        version=own.version,
        made=ctx.today,
        numbers=tuple(
            OwnNumber(rule=one, value=value, unit=units[one], reason=reasons.get(one, ""))
            for one, value in own.values.items()
            if one in units
        ),
        verdicts=own.verdicts,
    )


def from_file(ctx: Context, content: bytes) -> int:
    """A file takes the place of all that was changed, whole or not at all; how many changes that made.

    Raises BadInput on "file" with everything that does not hold, Denied.
    """
    ctx.demand("run the practice")
    if not content or len(content) > LARGEST:
        raise BadInput({"file": "Which file? One that was read out here."})
    try:
        told = OwnRulesFile.model_validate_json(content)
    except ValidationError as broken:
        first = broken.errors()[0]
        where = ".".join(map(str, first["loc"]))
        raise BadInput({"file": f"That is no such file: {where + ': ' if where else ''}{first['msg']}"}) from broken
    read = OwnRules(values={one.rule: one.value for one in told.numbers}, verdicts=told.verdicts)
    units = {rule.id: rule.unit for rule in published().rule}
    wrong = [
        *(f"{name}: {words}" for name, words in faults(read).items()),
        *(
            f"{one.rule}: in {units[one.rule]}, not {one.unit}."
            for one in told.numbers
            if units.get(one.rule, one.unit) != one.unit
        ),
        *(f"{one.name}: on what?" for one in told.verdicts if one.on not in subjects()),
        *(f"{name}: without a reason." for name, reason in _reasons(told) if _too_short(reason)),
    ]
    if len(read.values) < len(told.numbers) or len({one.about for one in told.verdicts}) < len(told.verdicts):
        wrong.append("Something stands in it twice.")
    if wrong:
        raise BadInput({"file": " · ".join(wrong)})
    with _changing(ctx, "", "Read in from a file.", dict(_reasons(told))) as (own, keep):
        return keep(read.model_copy(update={"version": own.version}))


def _reasons(told: OwnRulesFile) -> Iterator[tuple[str, str]]:
    yield from ((one.rule, one.reason) for one in told.numbers)
    yield from ((one.name, one.reason) for one in told.verdicts)


def _too_short(reason: str) -> dict[str, str]:
    return {} if len(reason.strip()) >= number("screening.reason_length") else {"reason": WHY}


@contextmanager
def _changing(
    ctx: Context, of: str, reason: str, reasons: dict[str, str] | None = None
) -> Iterator[tuple[OwnRules, Callable[[OwnRules], int]]]:
    """The rules as they stand, which nobody else changes meanwhile, and what keeps others in their place as the next
    version: it tells how many changes that made. Each change has its own reason, or the one for all.
    """

    def keep(new: OwnRules) -> int:
        before, after = own.said(), new.said()
        changes = tuple(
            RuleChange(of=one, was=before.get(one, ""), now=after.get(one, ""), reason=(reasons or {}).get(one, reason))
            for one in dict.fromkeys((*before, *after))
            if before.get(one) != after.get(one)
        )
        if changes:
            version = own.version + 1
            kept = new.model_copy(update={"version": version})
            ctx.db.add(OwnRulesVersion(version=version, rules=kept, changes=changes, by=ctx.me.id))
        return len(changes)

    with ctx.saving("change the rule book", of):
        own_rules.hold(ctx.db)
        own = own_rules.standing(ctx.db)
        yield own, keep
    forget()
