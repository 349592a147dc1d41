"""The day sheet."""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.core.errors import BadInput
from merak.desk import day as desk_day
from merak.desk import tasks
from merak.desk.desk import Desk
from merak.door import Form, entered, own_page
from merak.web.pages import blocks, go, page

router = APIRouter()


@router.get("/")
def today(request: Request, on: date | None = None) -> Response:
    """A day's visits; today's unless another is named."""
    with entered(request) as desk:
        return _sheet(request, desk, on or desk.today)


@router.get("/due")
def due(request: Request) -> Response:
    """What is due now; the day sheet asks again and again, so that a bad answer is seen at once."""
    with entered(request) as desk:
        return blocks(request, desk, "day/page.html", ("due",), due=tasks.due(desk), day=desk.today, today=desk.today)


def _sheet(
    request: Request,
    desk: Desk,
    day: date,
    form: dict[str, str] | None = None,
    wrong: dict[str, str] | None = None,
    offered: Sequence[Any] = (),
) -> Response:
    local_now = desk.now.astimezone(desk.zone)
    blank = {"day": f"{day}", "time": f"{local_now:%H:%M}", "minutes": "60", "therapist": str(desk.me.id)}
    rows = desk_day.day_sheet(desk, day)
    upcoming = (
        row.visit.id for row in rows if row.visit.status == "booked" and row.start + timedelta(minutes=row.visit.minutes) > local_now
    )
    return page(
        request, desk, "day/page.html", 422 if wrong else 200, rows=rows,
        next_id=next(upcoming, None), day=day, today=desk.today, now=local_now,
        due=tasks.due(desk) if day == desk.today else [],
        before=day - timedelta(days=1), after=day + timedelta(days=1), offered=offered, listed=desk_day.listed,
        therapists=desk_day.therapists(desk),
        clients=desk_day.client_list(desk), form=form or blank, wrong=wrong or {},
    )  # fmt: skip


@router.post("/visits")
def add(request: Request, form: Form) -> Response:
    """Adds a walk-in or a booking."""
    with entered(request, form) as desk:
        try:
            desk_day.add_visit(desk, form, str(request.base_url))
        except BadInput as bad:
            known = bad.known if isinstance(bad, desk_day.SameClient) else ()
            return _sheet(request, desk, desk.today, form, bad.fields, known)
        return go(f"/?on={form['day']}", "The visit is in the diary.")


@router.post("/visits/{visit_id}/cancel")
def cancel(request: Request, visit_id: UUID, form: Form) -> Response:
    """Takes a visit off the diary."""
    with entered(request, form) as desk:
        desk_day.cancel(desk, visit_id)
        return go(own_page(form.get("back", "/")), "Cancelled; it can be taken back on its day sheet.")


@router.post("/visits/{visit_id}/take-back")
def take_back(request: Request, visit_id: UUID, form: Form) -> Response:
    """A cancelled visit stands again."""
    with entered(request, form) as desk:
        desk_day.take_back(desk, visit_id)
        return go(own_page(form.get("back", "/")), "The visit stands again.")
