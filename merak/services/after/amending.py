"""Additions to a sealed record: a later version with who, when and why; nothing that stood is lost."""

from uuid import UUID

from merak.core.errors import BadInput
from merak.core.whole import whole
from merak.records.bodies.visit import Addition, CloseBody
from merak.services.context import Context, OutOfTurn
from merak.services.visit.file import changing

GRADES = ("redness", "swelling")


def add(ctx: Context, visit_id: UUID, form: dict[str, str]) -> None:
    """Adds words to a closed visit, and corrects a grade where one is given. Raises BadInput by field, OutOfTurn before
    it is closed.
    """
    with changing(ctx, visit_id, "amend") as file:
        if file.visit.status != "closed":
            raise OutOfTurn("This visit is still open: write it where it belongs.")
        what, why = form.get("what", "").strip()[:1000], form.get("because", "").strip()[:400]
        kept = file.body(CloseBody) or CloseBody()
        wrong = {
            key: words
            for key, text, words in (("what", what, "What is added?"), ("because", why, "Why now?"))
            if not text
        }
        changed = {}
        for key in GRADES:
            raw = form.get(key, "")
            grade = whole(raw, 4)
            if raw and grade is None:
                wrong[key] = "0 to 4."
            elif raw and grade != getattr(kept, key):
                changed[key] = grade
        if wrong:
            raise BadInput(wrong)
        words = "".join(
            f" {key.capitalize()} {_graded(getattr(kept, key))} → {grade}." for key, grade in changed.items()
        )
        entry = Addition(what=what + words, why=why, by=ctx.me.name, at=ctx.now)
        body = kept.model_copy(update={**changed, "added": (*kept.added, entry)})
        file.keep(ctx, body)


def _graded(grade: int | None) -> str:
    return "not graded" if grade is None else f"{grade}"
