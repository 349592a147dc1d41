"""A task: what is due, and what came of it."""

from typing import NamedTuple
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.after.following import asked
from merak.core.errors import BadInput
from merak.core.knowledge import AskAfter
from merak.core.knowledge.register import needs
from merak.services.after import tasks
from merak.services.after.tasks import AskTask, CallTask, OrderTask, RaiseTask, SpotTask
from merak.services.context import Context
from merak.web.pages import go, moment_words, page

needs(
    __name__,
    """
    days: follow.day1 follow.day7
    h: chair.follow_up follow.hour
    words: titration.stop
    """,
)

router = APIRouter(prefix="/tasks")


def _shown(request: Request, ctx: Context, found: tasks.TaskPage) -> Response:
    follow = getattr(found.due.task.about, "follow", None)
    told = asked(follow) if follow else ()
    return page(
        request,
        ctx,
        "tasks/page.html",
        422 if found.wrong else 200,
        found=found,
        looks=tasks.LOOKS,
        told=told,
        option_of=_option,
        intro=_intro(found.due),
    )


class Intro(NamedTuple):
    """What a task is about and since when, in words; the rule behind it; whether the client is called for it."""

    words: str
    rule: str = ""
    call: bool = False


def _intro(due: tasks.Due) -> Intro:
    when = moment_words(due.due)
    since = "Due since" if due.now else "Due"
    match due.task.about:
        case SpotTask(at=at, zone=zone, spot=spot):
            where = f", {zone}" if zone else ""
            read = "Due since" if due.now else "Not before"
            return Intro(f"{spot.name} {at:g} {spot.unit}{where}. {read} {when}.", spot.rule)
        case AskTask(follow=follow):
            link = " The client has a link for it, too; whoever answers first, answers." if due.task.link_hash else ""
            return Intro(f"{since} {when}.{link}", f"follow.{follow}", call=True)
        case RaiseTask():
            return Intro(f"Since {when}. Nothing is diagnosed here: in doubt a doctor.", "titration.stop", call=True)
        case OrderTask():
            return Intro(f"Asked for {when}. It is ordered on the page of the visit.")
        case CallTask(card=card, grade=grade, zone=zone):
            where = f", {zone}" if zone else ""
            return Intro(
                f"{card or 'An incident'}, grade {grade}{where}. {since} {when}.", "chair.follow_up", call=True
            )


def _option(question: AskAfter, value: object) -> str:
    """An answer in the words of its question's option."""
    kept = (
        {True: "yes", False: "no"}.get(value, value) if isinstance(value, bool) else value
    )  # a call is asked as yes or no
    told = f"{kept:g}" if isinstance(kept, float) else str(kept)
    return next((option.words for option in question.options if option.value == told), "")


@router.get("/{task_id}")
def task(request: Request, task_id: UUID) -> Response:
    """One task."""
    with entered(request) as ctx:
        found = tasks.task_page(ctx, task_id)
        ctx.note_reading(task_id)
        return _shown(request, ctx, found)


@router.post("/{task_id}")
def finish(request: Request, task_id: UUID, form: Form) -> Response:
    """What came of it, once."""
    with entered(request, form) as ctx:
        try:
            tasks.finish(ctx, task_id, form)
        except BadInput as bad:
            return _shown(request, ctx, tasks.task_page(ctx, task_id, form, bad.fields))
        return go(f"/tasks/{task_id}", "Kept.")
