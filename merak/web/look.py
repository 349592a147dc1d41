"""Look: the skin analysis."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.core.body.tapes import ALL, FACE
from merak.desk import looking
from merak.desk.desk import Desk
from merak.door import Form, entered
from merak.web.drawing import ink_marks
from merak.web.pages import blocks, go, page, stage_context

router = APIRouter(prefix="/visits/{visit_id}")
KINDS = looking.GRADABLE


@router.get("/look")
def look_page(request: Request, visit_id: UUID, kind: str = "laxity") -> Response:
    """Skin, plate, heights."""
    with entered(request) as desk:
        looked = looking.looked(desk, visit_id)
        desk.note_reading(visit_id)
        return page(request, desk, "look/page.html", **_context(desk, looked, kind))


def _context(desk: Desk, looked: looking.Looked, kind: str) -> dict[str, Any]:
    kind = kind if kind in KINDS else "laxity"
    grades = looked.findings.grades.get(kind, {})
    elsewhere = {tape.field for tape in ALL} - {tape.field for tape in FACE}
    return {
        **stage_context(desk, looked.file, "look"),
        "looked": looked,
        "findings": looked.findings,
        "kind": kind,
        "kinds": KINDS,
        "grades": grades,
        "gradable_zones": looking.ZONES,
        "numbers": {field: words for field, words in looking.NUMBERS.items() if field not in elsewhere},
        "tapes": FACE,
        "inked_marks": ink_marks(looked.marks, looked.area.plate),
    }


@router.post("/look")
def keep(request: Request, visit_id: UUID, form: Form) -> Response:
    """Takes fields as they are typed; the side to start on follows."""
    with entered(request, form) as desk:
        looked = looking.save_findings(desk, visit_id, form)
        if "hx-request" not in request.headers:
            return go(f"/visits/{visit_id}/plan")
        return blocks(request, desk, "look/page.html", ("plate", "side", "slips"), **_context(desk, looked, form.get("kind", "")))


@router.post("/look/tap")
def tap(request: Request, visit_id: UUID, form: Form) -> Response:
    """A tap on a zone of the plate: one grade up."""
    with entered(request, form) as desk:
        looked = looking.tap_zone(desk, visit_id, form.get("kind", ""), form.get("zone", ""))
        return blocks(request, desk, "look/page.html", ("plate",), **_context(desk, looked, form.get("kind", "")))
