"""The day sheet."""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered, own_page
from merak.core.errors import BadInput
from merak.services.after import tasks
from merak.services.context import Context
from merak.services.visit import day as desk_day
from merak.web.pages import blocks, go, page

router = APIRouter()


@router.get("/")
def today(request: Request, on: date | None = None) -> Response:
    """A day's visits; today's unless another is named."""
    with entered(request) as ctx:
        return _sheet(request, ctx, on or ctx.today)


@router.get("/due")
def due(request: Request) -> Response:
    """What is due now; the day sheet asks again and again, so that a bad answer is seen at once."""
    with entered(request) as ctx:
        return blocks(request, ctx, "day/page.html", ("due",), due=tasks.due(ctx), day=ctx.today, today=ctx.today)


def _sheet(
    request: Request,
    ctx: Context,
    day: date,
    form: dict[str, str] | None = None,
    wrong: dict[str, str] | None = None,
    offered: Sequence[Any] = (),
) -> Response:
    local_now = ctx.now.astimezone(ctx.zone)
    blank = {"day": f"{day}", "time": f"{local_now:%H:%M}", "minutes": "60", "therapist": str(ctx.me.id)}
    rows = desk_day.day_sheet(ctx, day)
    upcoming = (
        row.visit.id
        for row in rows
        if row.visit.status == "booked" and row.start + timedelta(minutes=row.visit.minutes) > local_now
    )
    return page(
        request,
        ctx,
        "day/page.html",
        422 if wrong else 200,
        rows=rows,
        next_id=next(upcoming, None),
        day=day,
        today=ctx.today,
        now=local_now,
        due=tasks.due(ctx) if day == ctx.today else [],
        before=day - timedelta(days=1),
        after=day + timedelta(days=1),
        offered=offered,
        listed=desk_day.listed,
        therapists=desk_day.therapists(ctx),
        clients=desk_day.client_list(ctx),
        form=form or blank,
        wrong=wrong or {},
    )


@router.post("/visits")
def add(request: Request, form: Form) -> Response:
    """Adds a walk-in or a booking."""
    with entered(request, form) as ctx:
        try:
            desk_day.add_visit(ctx, form, str(request.base_url))
        except BadInput as bad:
            known = bad.known if isinstance(bad, desk_day.SameClient) else ()
            return _sheet(request, ctx, ctx.today, form, bad.fields, known)
        return go(f"/?on={form['day']}", "The visit is in the diary.")


@router.post("/visits/{visit_id}/cancel")
def cancel(request: Request, visit_id: UUID, form: Form) -> Response:
    """Takes a visit off the diary."""
    with entered(request, form) as ctx:
        desk_day.cancel(ctx, visit_id)
        return go(own_page(form.get("back", "/")), "Cancelled; it can be taken back on its day sheet.")


@router.post("/visits/{visit_id}/take-back")
def take_back(request: Request, visit_id: UUID, form: Form) -> Response:
    """A cancelled visit stands again."""
    with entered(request, form) as ctx:
        desk_day.take_back(ctx, visit_id)
        return go(own_page(form.get("back", "/")), "The visit stands again.")
