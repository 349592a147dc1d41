"""The skin's answer: tapped on the plate in two looks; remedies asked for, ordered by a senior, done."""

from uuid import UUID

from uuid_utils.compat import uuid7

from merak.core.after.answer import LOOKS, SEEN, STANDING, Look, SkinAnswer, Soothed, Word, fitting, where
from merak.core.body.plate import SIDES
from merak.core.errors import BadInput
from merak.core.knowledge import Remedy, book
from merak.core.plan.screening import STOPPING
from merak.records import tasks
from merak.records.bodies.task import Called, OrderTask
from merak.records.tasks import NewTask
from merak.services.context import Context, OutOfTurn
from merak.services.permission import Denied
from merak.services.visit.file import SENIORS, VisitFile, changing
from merak.services.visit.looking import ZONES


def answer_of(file: VisitFile) -> SkinAnswer:
    """What was seen so far."""
    return file.body(SkinAnswer) or SkinAnswer()


def _keep(ctx: Context, file: VisitFile, answer: SkinAnswer) -> None:
    file.keep(ctx, answer)


def _look(ctx: Context, answer: SkinAnswer, look: str) -> Look:
    if look not in LOOKS:
        raise BadInput({"look": "Which look: after the treatment, or before they go?"})
    return answer.looks.get(look) or Look(at=ctx.now, by=ctx.me.name)


def tap(ctx: Context, visit_id: UUID, look: str, kind: str, zone: str) -> None:
    """A tap on a zone in one of the looks: one grade up. Raises BadInput off the plate."""
    side, _, name = zone.partition(" ")
    with changing(ctx, visit_id, "close") as file:
        if kind not in SEEN or side not in SIDES or name not in ZONES:
            raise BadInput({"zone": "That is not a zone where this is graded."})
        answer = answer_of(file)
        seen = _look(ctx, answer, look).tapped(kind, zone)
        _keep(ctx, file, answer.model_copy(update={"looks": {**answer.looks, look: seen}}))


def nothing(ctx: Context, visit_id: UUID, look: str) -> None:
    """Looked, and nothing was seen."""
    with changing(ctx, visit_id, "close") as file:
        answer = answer_of(file)
        seen = _look(ctx, answer, look).model_copy(update={"zones": {}})
        _keep(ctx, file, answer.model_copy(update={"looks": {**answer.looks, look: seen}}))


def against(file: VisitFile, tags: tuple[str, ...]) -> frozenset[str]:
    """What stands against some remedies today."""
    board = file.brief.board
    alike = {one.screened_as for one in book().remedy} - {""}
    stopped = {name for name in alike if name not in board or board[name].verdict in STOPPING}
    return frozenset(stopped | (set(STANDING) & set(tags)))


def offered(file: VisitFile, tags: tuple[str, ...]) -> tuple[Remedy, ...]:
    """The remedies for what was seen that nothing stands against."""
    return fitting(answer_of(file), against(file, tags))


def soothe(ctx: Context, visit_id: UUID, remedy_id: str, what: str) -> None:
    """A remedy is asked for, ordered (seniors only) or done (what was ordered only), each kept with who and when.

    Raises Denied, BadInput, OutOfTurn for one that was not ordered.
    """
    with changing(ctx, visit_id, "close") as file:
        answer = answer_of(file)
        remedy = next((one for one in book().remedy if one.id == remedy_id), None)
        if remedy is None or what not in ("ask", "order", "done"):
            raise BadInput({"remedy": "Which remedy?"})
        before = next((one for one in answer.remedies if one.remedy == remedy_id), None)
        held = before or Soothed(remedy=remedy_id, zones=where(answer, remedy))
        others = tuple(one for one in answer.remedies if one.remedy != remedy_id)
        if what == "ask" and held.asked is None:
            tasks.add_tasks(
                ctx.db, visit_id, ctx.me.id, ctx.now, [NewTask(uuid7(), ctx.now, OrderTask(remedy=remedy_id))]
            )
        if what == "order":
            _settled(ctx, visit_id, remedy_id)
        _keep(
            ctx, file, answer.model_copy(update={"remedies": (*others, held.model_copy(update=_word(ctx, held, what)))})
        )


def _word(ctx: Context, held: Soothed, what: str) -> dict[str, Word]:
    word = Word(by=ctx.me.name, at=ctx.now)
    if what == "ask":
        return {"asked": word}
    if what == "order":
        if ctx.me.role not in SENIORS:
            raise Denied("A senior orders remedies. Ask for it; it shows on the senior's day sheet.")
        return {"ordered": word}
    if held.ordered is None:
        raise OutOfTurn("Nobody has ordered this yet.")
    return {"done": word}


def _settled(ctx: Context, visit_id: UUID, remedy_id: str) -> None:
    """Nobody has to be asked for this remedy any more."""
    for task in tasks.tasks_of(ctx.db, visit_id):
        if task.about == OrderTask(remedy=remedy_id) and task.done_at is None:
            task.done(Called(note="ordered"), ctx.me.id, ctx.now)
