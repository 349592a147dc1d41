"""Plan: every change recomputes everything on the page."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.core.body.strokes import PATHS
from merak.core.working import Quantity
from merak.desk import planning
from merak.desk.desk import Desk, NotFound
from merak.desk.permission import may
from merak.door import Form, entered
from merak.web.pages import blocks, go, page, stage_context

router = APIRouter(prefix="/visits/{visit_id}")


def _context(desk: Desk, planned: planning.Planned, changed: str = "") -> dict[str, Any]:
    return {
        **stage_context(desk, planned.file, "plan"),
        "planned": planned,
        "plan": planned.plan,
        "draft": planned.draft,
        "paths": PATHS,
        "changed": changed,
        "consent_words": planning.CONSENT[planning.CONSENT_VERSION],
        "editable": may(desk.me, "plan", planned.file.visit),
    }


@router.get("/plan")
def plan_page(request: Request, visit_id: UUID) -> Response:
    """The plan."""
    with entered(request) as desk:
        planned = planning.planned(desk, visit_id)
        desk.note_reading(visit_id)
        return page(request, desk, "plan/page.html", **_context(desk, planned))


@router.post("/plan")
def recompute(request: Request, visit_id: UUID, form: Form) -> Response:
    """One field changed: all numbers, lines, minutes and cautions anew."""
    with entered(request, form) as desk:
        changed = request.headers.get("x-changed", "")
        planned = planning.recompute(desk, visit_id, form, changed)
        if "hx-request" not in request.headers:
            return go(f"/visits/{visit_id}/plan")
        return blocks(request, desk, "plan/page.html", ("worked", "slips"), **_context(desk, planned, changed))


@router.post("/plan/start-over")
def start_over(request: Request, visit_id: UUID, form: Form) -> Response:
    """Back to the start values."""
    with entered(request, form) as desk:
        planning.start_over(desk, visit_id)
        return go(f"/visits/{visit_id}/plan")


@router.post("/plan/consent")
def consent(request: Request, visit_id: UUID, form: Form) -> Response:
    """The client agrees, or does not."""
    with entered(request, form) as desk:
        planning.consent(desk, visit_id, form.get("agreed") == "yes")
        return go(f"/visits/{visit_id}/treat" if form.get("agreed") == "yes" else f"/visits/{visit_id}/plan")


@router.get("/plan/working/{key}")
def working(request: Request, visit_id: UUID, key: str) -> Response:
    """How one number came about."""
    with entered(request) as desk:
        planned = planning.planned(desk, visit_id)
        found: dict[str, Quantity] = {
            **{f"start.{name}": q for name, q in planned.start.items()},
            **(planned.plan.numbers if planned.plan else {}),
        }
        if key not in found:
            raise NotFound("There is no such number in this plan.")
        return blocks(request, desk, "plan/working.html", ("working",), quantity=found[key])
