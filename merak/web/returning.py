"""Return: the next date, booked and handed over."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.errors import BadInput
from merak.services.after import returning
from merak.services.context import Context
from merak.services.permission import may
from merak.services.visit.file import open_file
from merak.web.pages import go, page, phase_context

router = APIRouter(prefix="/visits/{visit_id}")


def _shown(request: Request, ctx: Context, back: returning.Returning) -> Response:
    """The page; the front desk sees it without the line of clinical phases."""
    file = open_file(ctx, back.visit.id) if may(ctx.me, "read notes") else None
    context: dict[str, Any] = (
        phase_context(ctx, file, "return") if file else {"file": None, "visit": back.visit, "phase": "return"}
    )
    context["start"] = back.visit.starts_at.astimezone(ctx.zone)
    booked = back.booked.starts_at.astimezone(ctx.zone) if back.booked else None
    return page(request, ctx, "returning/page.html", 422 if back.wrong else 200, back=back, booked=booked, **context)


@router.get("/return")
def return_page(request: Request, visit_id: UUID) -> Response:
    """The proposal, or what is booked."""
    with entered(request) as ctx:
        return _shown(request, ctx, returning.returning(ctx, visit_id))


@router.post("/return")
def book(request: Request, visit_id: UUID, form: Form) -> Response:
    """Books it."""
    with entered(request, form) as ctx:
        try:
            returning.book(ctx, visit_id, form, str(request.base_url))
        except BadInput as bad:
            return _shown(request, ctx, returning.returning(ctx, visit_id, form, bad.fields))
        return go(f"/visits/{visit_id}/return", "The return is booked.")


@router.get("/return.ics")
def calendar(request: Request, visit_id: UUID) -> Response:
    """The booked return for the client's own calendar."""
    with entered(request) as ctx:
        body = returning.calendar_file(ctx, visit_id)
    return Response(
        body,
        media_type="text/calendar; charset=utf-8",
        headers={"content-disposition": 'attachment; filename="visit.ics"'},
    )
