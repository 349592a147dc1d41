"""A task: what is due, and what came of it."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.after.following import asked
from merak.core.errors import BadInput
from merak.core.knowledge import AskAfter
from merak.services.after import tasks
from merak.services.context import Context
from merak.web.pages import go, page

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
