"""The reactions register, and the outbox."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.errors import BadInput
from merak.services.after import outbox, registering
from merak.services.context import Context
from merak.web.pages import go, page

router = APIRouter()


@router.get("/reactions")
def register(request: Request) -> Response:
    """Every reaction, and what stands out."""
    with entered(request) as ctx:
        ctx.note_reading("reactions")
        return page(request, ctx, "reactions/page.html", found=registering.register(ctx), tell=registering.TELL)


def _line(request: Request, ctx: Context, found: registering.ReactionPage) -> Response:
    return page(request, ctx, "reactions/line.html", 422 if found.wrong else 200, found=found, tell=registering.TELL)


@router.get("/reactions/{reaction_id}")
def reaction(request: Request, reaction_id: UUID) -> Response:
    """One line of it with its versions."""
    with entered(request) as ctx:
        found = registering.reaction(ctx, reaction_id)
        ctx.note_reading(reaction_id)
        return _line(request, ctx, found)


@router.post("/reactions/{reaction_id}")
def correct(request: Request, reaction_id: UUID, form: Form) -> Response:
    """A later version of it."""
    with entered(request, form) as ctx:
        try:
            registering.correct(ctx, reaction_id, form)
        except BadInput as bad:
            return _line(request, ctx, registering.reaction(ctx, reaction_id, form, bad.fields))
        return go(f"/reactions/{reaction_id}", "Kept as a later version.")


@router.post("/reactions/{reaction_id}/close")
def close_report(request: Request, reaction_id: UUID, form: Form) -> Response:
    """A senior closes an incident."""
    with entered(request, form) as ctx:
        try:
            registering.close_report(ctx, reaction_id)
        except BadInput as bad:
            return _line(request, ctx, registering.reaction(ctx, reaction_id, None, bad.fields))
        return go(f"/reactions/{reaction_id}", "Closed: it holds nothing up any more.")


@router.get("/outbox")
def outbox_page(request: Request) -> Response:
    """What went out to clients, and what waits."""
    with entered(request) as ctx:
        ctx.note_reading("outbox")
        return page(request, ctx, "outbox/page.html", sent=outbox.outbox(ctx))
