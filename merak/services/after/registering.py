"""The reactions register: what went wrong, how badly, with which device and lot, what was done, when it settled, who
was told.
"""

from dataclasses import dataclass
from datetime import date
from typing import Annotated, Literal
from uuid import UUID

from sqlalchemy.orm import Session
from uuid_utils.compat import uuid7

from merak.core.after.answer import SkinAnswer
from merak.core.after.following import FollowUp
from merak.core.after.outcomes import Signal, signals
from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.plan.fitting import title
from merak.records import reactions, visits
from merak.records.bodies.house import ReactionBody
from merak.records.bodies.visit import CloseBody
from merak.records.reactions import ReactionLine
from merak.records.tables import ReactionVersion, Task
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import Grade, Otherwise, TypedForm, cut
from merak.services.treatment.treating import Run
from merak.services.visit.file import VisitFile

needs(
    __name__,
    """
    of 10: follow.pain
    of 4: follow.severe
    """,
)

#: Who may have to hear of it.
TELL = {
    "nobody": "nobody has to",
    "maker": "the maker",
    "authority": "an authority",
    "both": "the maker and an authority",
}


@dataclass
class Register:
    """The page: every line, and the devices and lots with their reactions."""

    lines: list[ReactionLine]
    signals: tuple[Signal, ...]


def register(ctx: Context) -> Register:
    """The register as it stands, what stands out first."""
    ctx.demand("read notes")
    found = reactions.register(ctx.db)
    uses = [
        (kind, name, str(visit))
        for visit, did, products in reactions.used(ctx.db)
        for kind, name in (
            *(("device", one.machine) for one in did.values() if one.machine),
            *(("lot", f"{one.product}, lot {one.lot}") for one in products if one.lot and one.lot != "none"),
        )
    ]
    return Register(found, signals(uses, {str(line.visit) for line in found}))


def from_close(ctx: Context, file: VisitFile, run: Run | None, answer: SkinAnswer, close: CloseBody) -> None:
    """The lines that a visit leaves: each incident, and an answer of grade 3 or more or a mark that
    stops the course.
    """
    for one in [one for one in run.state.incidents if not one.struck] if run else ():
        modality = run.acts[one.act].modality if run else ""
        line = ReactionBody(
            source=f"incident {one.id}",
            grade=one.grade,
            what=one.card or "Incident",
            where=one.zone,
            modality=modality,
            closed_on="",
        )
        _add(ctx, file, _with_what(line.model_copy(update={"done": one.done, "told": one.told}), close))
    grade = max(answer.strongest, answer.worst("marks") if close.mark else 0)
    if grade >= number("follow.severe") or close.mark:
        zones = sorted({zone for look in answer.looks.values() for of in look.zones.values() for zone in of})
        what = close.mark or ("redness" if answer.worst("redness") >= answer.worst("swelling") else "swelling")
        done = "; ".join(one.remedy.removeprefix("remedy.").replace("_", " ") for one in answer.remedies if one.done)
        line = ReactionBody(
            source="close", grade=grade, what=what, where=", ".join(zones), done=done, told=close.senior
        )
        _add(ctx, file, _with_what(line, close))


def _with_what(line: ReactionBody, close: CloseBody) -> ReactionBody:
    """A line with what was done in that visit: treatments, devices, lots."""
    return line.model_copy(
        update={
            "did": tuple(title(name) for name in close.did),
            "devices": tuple(sorted({one.machine for one in close.did.values() if one.machine})),
            "lots": tuple(f"{one.product}, lot {one.lot}" for one in close.products if one.lot),
        }
    )


def _add(ctx: Context, file: VisitFile, body: ReactionBody) -> None:
    new = ReactionVersion(
        reaction_id=uuid7(),
        client_id=file.visit.client_id,
        visit_id=file.visit.id,
        version=1,
        body=body,
        by=ctx.me.id,
        at=ctx.now,
    )
    ctx.db.add(new)


def from_answer(ctx: Context, task: Task, said: FollowUp) -> None:
    """The line that a bad answer leaves, once a visit; a later answer is a later version, in which what was done about
    it stands.

    Inside the caller's transaction.
    """
    there = reactions.of_visit(ctx.db, task.visit_id, "follow-up")
    if there:
        base = there.body
    else:
        base = _with_what(
            ReactionBody(source="follow-up"), visits.standing(ctx.db, task.visit_id, CloseBody) or CloseBody()
        )
    grade = max(base.grade, said.redness or 0, said.swelling or 0, 3 if said.marked else 0)
    ctx.db.add(
        ReactionVersion(
            reaction_id=there.reaction_id if there else uuid7(),
            client_id=task.client_id,
            visit_id=task.visit_id,
            version=there.version + 1 if there else 1,
            body=base.model_copy(update={"grade": grade, "what": _what(said), "settled": ""}),
            by=task.by,
            at=ctx.now,
        )
    )


def _what(said: FollowUp) -> str:
    """What a bad answer is about."""
    if said.marked:
        return said.marked
    if max(said.redness or 0, said.swelling or 0) >= number("follow.severe"):
        return "redness or swelling"
    return "pain" if (said.pain or 0) >= number("follow.pain") else "much worse, as the client says"


@dataclass
class ReactionPage:
    """One line with its versions, the newest first."""

    line: ReactionLine
    versions: list[ReactionVersion]
    form: dict[str, str]
    wrong: dict[str, str]

    @property
    def held(self) -> str:
        """The modality that an open incident stands in the way of."""
        return title(self.line.body.modality) if self.line.body.modality else "the work"


def reaction(
    ctx: Context, reaction_id: UUID, form: dict[str, str] | None = None, wrong: dict[str, str] | None = None
) -> ReactionPage:
    """One line. Raises NotFound, Denied."""
    ctx.demand("read notes")
    line = next((one for one in reactions.register(ctx.db) if one.id == reaction_id), None)
    if line is None:
        raise NotFound("There is no such line in the register.")
    held = {key: str(getattr(line.body, key)) for key in ("grade", "done", "settled", "told", "tell")}
    return ReactionPage(line, reactions.versions(ctx.db, reaction_id), form or held, wrong or {})


class ReactionForm(TypedForm):
    """A line as it is corrected."""

    grade: Annotated[Grade | None, Otherwise("Grade: 0 to 4.", needed=True)] = None
    settled: Annotated[date | None, Otherwise("A date, please.")] = None
    tell: Annotated[Literal["", "nobody", "maker", "authority", "both"], Otherwise("Who has to hear of it?")] = ""
    done: Annotated[str, cut(600)] = ""
    told: Annotated[str, cut(200)] = ""


def correct(ctx: Context, reaction_id: UUID, form: dict[str, str]) -> None:
    """A later version: grade, what was done, when it settled, who was told, who has to hear. Raises BadInput by field,
    NotFound.
    """
    ctx.demand("close")
    page = reaction(ctx, reaction_id)
    asked, wrong = ReactionForm.parse(form)
    if asked.settled and not page.line.on.date() <= asked.settled <= ctx.today:
        wrong["settled"] = "Between the visit and today."
    if wrong:
        raise BadInput(wrong)
    changed = {**dict(asked), "settled": f"{asked.settled or ''}"}
    with ctx.saving("reaction", reaction_id) as db:
        _later_version(ctx, db, reaction_id, changed)


def close_report(ctx: Context, reaction_id: UUID) -> None:
    """A senior has looked at an incident and closes it: its modality is no longer held up by it. Raises BadInput where
    nothing says what was done, OutOfTurn where it does not stand open, NotFound, Denied.
    """
    ctx.demand("override")
    line = reaction(ctx, reaction_id).line
    if not line.body.stands:
        raise OutOfTurn("This line holds nothing up.")
    if not line.body.done:
        raise BadInput({"done": "What was done about it? Then it can be closed."})
    with ctx.saving("close a report", reaction_id) as db:
        _later_version(ctx, db, reaction_id, {"closed_on": f"{ctx.today}", "closed_by": ctx.me.name})


def _later_version(ctx: Context, db: Session, reaction_id: UUID, changed: dict[str, object]) -> None:
    newest = reactions.versions(db, reaction_id)[0]
    db.add(
        ReactionVersion(
            reaction_id=reaction_id,
            client_id=newest.client_id,
            visit_id=newest.visit_id,
            version=newest.version + 1,
            body=newest.body.model_copy(update=changed),
            by=ctx.me.id,
            at=ctx.now,
        )
    )
