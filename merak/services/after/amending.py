"""Additions to a sealed record: a later version with who, when and why; nothing that stood is lost."""

from typing import Annotated
from uuid import UUID

from merak.records.bodies.visit import Addition, CloseBody
from merak.services.clients.exposures import rewrite
from merak.services.context import Context, OutOfTurn
from merak.services.forms import Grade, Otherwise, TypedForm, cut
from merak.services.visit.file import changing


class AddForm(TypedForm):
    """What is added, why only now, and a grade where one is corrected."""

    what: Annotated[str, cut(1000), Otherwise("What is added?", needed=True)] = ""
    because: Annotated[str, cut(400), Otherwise("Why now?", needed=True)] = ""
    redness: Annotated[Grade | None, Otherwise("0 to 4.")] = None
    swelling: Annotated[Grade | None, Otherwise("0 to 4.")] = None


def add(ctx: Context, visit_id: UUID, form: dict[str, str]) -> None:
    """Adds words to a closed visit, and corrects a grade where one is given. Raises BadInput by field, OutOfTurn before
    it is closed.
    """
    with changing(ctx, visit_id, "amend") as file:
        if file.visit.status != "closed":
            raise OutOfTurn("This visit is still open: write it where it belongs.")
        asked, kept = AddForm.read(form), file.body(CloseBody) or CloseBody()
        given = {"redness": asked.redness, "swelling": asked.swelling}
        changed = {key: grade for key, grade in given.items() if grade is not None and grade != getattr(kept, key)}
        words = "".join(
            f" {key.capitalize()} {_graded(getattr(kept, key))} → {grade}." for key, grade in changed.items()
        )
        entry = Addition(what=asked.what + words, why=asked.because, by=ctx.me.name, at=ctx.now)
        file.keep(ctx, kept.model_copy(update={**changed, "added": (*kept.added, entry)}))
        rewrite(ctx, file.visit)


def _graded(grade: int | None) -> str:
    return "not graded" if grade is None else f"{grade}"
