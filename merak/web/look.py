"""Look: the skin analysis."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.body.tapes import ALL, FACE
from merak.services.context import Context
from merak.services.visit import looking
from merak.web.drawing import draw, ink_marks
from merak.web.graded import graded
from merak.web.pages import blocks, go, page, phase_context

router = APIRouter(prefix="/visits/{visit_id}")
KINDS = looking.GRADABLE


@router.get("/look")
def look_page(request: Request, visit_id: UUID, kind: str = "laxity") -> Response:
    """Skin, plate, heights."""
    with entered(request) as ctx:
        looked = looking.looked(ctx, visit_id)
        ctx.note_reading(visit_id)
        return page(request, ctx, "look/page.html", **_context(ctx, looked, kind))


def _context(ctx: Context, looked: looking.Looked, kind: str) -> dict[str, Any]:
    kind = kind if kind in KINDS else "laxity"
    grades, drawing, visit = looked.findings.grades.get(kind, {}), draw(looked.area), looked.file.visit
    elsewhere = {tape.field for tape in ALL} - {tape.field for tape in FACE}
    return {
        **phase_context(ctx, looked.file, "look"),
        "looked": looked,
        "findings": looked.findings,
        "kind": kind,
        "kinds": KINDS,
        "grades": grades,
        "drawing": drawing,
        "zones": graded(drawing, grades, KINDS[kind].title, kind, looking.ZONES, f"/visits/{visit.id}/look/tap"),
        "numbers": {field: words for field, words in looking.NUMBERS.items() if field not in elsewhere},
        "tapes": FACE,
        "inked_marks": ink_marks(looked.marks, looked.area.plate),
    }


@router.post("/look")
def keep(request: Request, visit_id: UUID, form: Form) -> Response:
    """Takes fields as they are typed; the side to start on follows."""
    with entered(request, form) as ctx:
        looked = looking.save_findings(ctx, visit_id, form)
        if "hx-request" not in request.headers:
            return go(f"/visits/{visit_id}/plan")
        return blocks(
            request, ctx, "look/page.html", ("plate", "side", "slips"), **_context(ctx, looked, form.get("kind", ""))
        )


@router.post("/look/tap")
def tap(request: Request, visit_id: UUID, form: Form) -> Response:
    """A tap on a zone of the plate: one grade up."""
    with entered(request, form) as ctx:
        looked = looking.tap_zone(ctx, visit_id, form.get("kind", ""), form.get("zone", ""))
        return blocks(request, ctx, "look/page.html", ("plate",), **_context(ctx, looked, form.get("kind", "")))
