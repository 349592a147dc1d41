"""Treat: the screen at the chair. Its taps go to the API."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.desk import planning, treating
from merak.door import Form, entered
from merak.web.pages import go, page, stage_context

router = APIRouter(prefix="/visits/{visit_id}")


@router.get("/treat")
def treat_page(request: Request, visit_id: UUID) -> Response:
    """The run; before it began, what is missing or the button that begins it."""
    with entered(request) as desk:
        file, run = treating.run_file(desk, visit_id)
        planned = planning.planned(desk, visit_id) if run is None else None
        desk.note_reading(visit_id)
        order = [step.model_dump(mode="json", exclude={"lines": {"__all__": {"points"}}}) for step in run.steps] if run else []
        state = treating.state_of(run) if run else {}
        return page(
            request, desk, "treat/page.html", run=run, order=order, state=state, planned=planned, **stage_context(desk, file, "treat")
        )


@router.post("/treat/begin")
def begin(request: Request, visit_id: UUID, form: Form) -> Response:
    """Fixes the plan as the treatment's order."""
    with entered(request, form) as desk:
        treating.begin(desk, visit_id)
        return go(f"/visits/{visit_id}/treat")
