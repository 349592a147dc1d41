"""Doctors' letters: asked for, received, filed, and running out."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Annotated, Literal
from uuid import UUID

from uuid_utils.compat import uuid7

from merak.core.errors import BadInput
from merak.core.knowledge import aspects, cited, number
from merak.core.knowledge.register import needs
from merak.records import letters
from merak.records.bodies.house import LetterBody
from merak.records.tables import LetterVersion
from merak.records.visits import LetterSeen
from merak.services.clients.keeping import keep_file
from merak.services.context import Context, NotFound
from merak.services.forms import Otherwise, TypedForm, day_of
from merak.services.visit.file import VisitFile, find_visit, open_file

needs(
    __name__,
    """
    days: screening.letter_valid
    """,
)


@dataclass(frozen=True)
class KeptLetter:
    """A letter as it stands: what it speaks to, when it was asked for and received, to when it holds, its file."""

    id: str
    rule: str
    answer: str
    about: str
    asked: date | None
    received: date | None
    until: date | None
    says: str
    note: str
    file: str
    state: str


def letters_of(file: VisitFile) -> tuple[KeptLetter, ...]:
    """The client's letters."""
    return tuple(_kept(letter, file.today) for letter in file.around.letters)


def _kept(letter: LetterSeen, today: date) -> KeptLetter:
    if letter.received is None:
        state = "asked for"
    elif letter.says == "no":
        state = "says no"
    else:
        state = "run out" if letter.until and letter.until < today else "valid"
    words = cited(letter.rule)
    return KeptLetter(
        id=str(letter.id),
        rule=letter.rule,
        answer=letter.answer,
        about=f"{words[0] if words else letter.rule} {letter.answer}".strip(),
        asked=letter.asked,
        received=letter.received,
        until=letter.until,
        says=letter.says,
        note=letter.note,
        file=str(letter.file or ""),
        state=state,
    )


def wanted(file: VisitFile) -> tuple[tuple[str, str], ...]:
    """(rule, answer) of all that a doctor's letter would speak to, of what the studio offers."""
    offered = file.brief.offered
    found: dict[tuple[str, str], None] = {}
    for standing in file.brief.board.values():
        for reason in standing.reasons:
            asks = (reason.was or reason.verdict) in ("letter", "no")
            if asks and (standing.modality in offered or standing.modality in aspects()):
                found[reason.rule, reason.answer] = None
    return tuple(found)


def is_there(file: VisitFile, rule_id: str, answer: str) -> bool:
    """Whether a letter about this answer was asked for, or holds."""
    return any(
        one.rule == rule_id and one.answer in ("", answer) and one.state in ("asked for", "valid")
        for one in letters_of(file)
    )


def ask_for(ctx: Context, visit_id: UUID, rule_id: str, answer: str = "") -> None:
    """A letter is asked for, about an answer that stands to one question (the first, where none is named), or a
    finding. Asked for twice it is one. Raises BadInput for what no letter is needed for.
    """
    ctx.demand("keep letters")
    file = open_file(ctx, visit_id)
    found = next((said for rule, said in wanted(file) if rule == rule_id and answer in ("", said)), None)
    if found is None:
        raise BadInput({"rule": "A letter about what?"})
    answer = found
    if is_there(file, rule_id, answer):
        return
    with ctx.saving("ask for a letter", visit_id) as db:
        body = LetterBody(rule=rule_id, answer=answer, asked=ctx.today)
        db.add(
            LetterVersion(
                letter_id=uuid7(), client_id=file.visit.client_id, version=1, body=body, by=ctx.me.id, at=ctx.now
            )
        )


class LetterForm(TypedForm):
    """A letter that came."""

    received: Annotated[date | None, day_of("past")] = None
    until: Annotated[date | None, day_of("letter")] = None
    says: Annotated[Literal["yes", "no"] | None, Otherwise("Does the doctor allow it?", needed=True)] = None
    note: str = ""


def receive(ctx: Context, visit_id: UUID, letter_id: UUID, form: dict[str, str], content: bytes | None) -> None:
    """A letter came: what it says, from when, to when it holds (a year, where it does not say), and the file.

    Raises NotFound, and BadInput by field: nothing is kept half.
    """
    ctx.demand("keep letters")
    visit = find_visit(ctx, visit_id)
    standing = letters.latest(ctx.db, visit.client_id, letter_id)
    if standing is None:
        raise NotFound("There is no such letter.")
    came, wrong = LetterForm.parse(form, today=ctx.today)
    received = came.received or ctx.today
    until = came.until or received + timedelta(days=int(number("screening.letter_valid")))
    if until < received:
        wrong["until"] = "It would have run out before it came."
    if content is None and standing.file_id is None and not came.note:
        wrong["file"] = "The letter itself, or a note of where the paper is filed."
    if wrong:
        raise BadInput(wrong)
    with ctx.saving("receive a letter", visit_id) as db:
        file_id = keep_file(ctx, visit.client_id, content, "letter").id if content else standing.file_id
        changed = {"received": received, "until": until, "says": came.says, "note": came.note, "by": ctx.me.name}
        body = standing.body.model_copy(update=changed)
        db.add(
            LetterVersion(
                letter_id=letter_id,
                client_id=visit.client_id,
                version=standing.version + 1,
                body=body,
                file_id=file_id,
                by=ctx.me.id,
                at=ctx.now,
            )
        )
