"""Look, closer: standard scales, phototype by questionnaire or by measured tone."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.core.client.tone import ASKED
from merak.desk import scaling
from merak.desk.desk import Desk
from merak.door import Form, entered
from merak.web.pages import go, page, stage_context

router = APIRouter(prefix="/visits/{visit_id}/scales")


def _shown(request: Request, desk: Desk, found: scaling.Scales) -> Response:
    context: dict[str, Any] = {**stage_context(desk, found.file, "look"), "page": found, "asked": ASKED}
    wrong = found.wrong or any(sheet.wrong for sheet in found.sheets)
    return page(request, desk, "look/scales.html", 422 if wrong else 200, **context)


@router.get("")
def scales_page(request: Request, visit_id: UUID) -> Response:
    """Every scale with its entry and score."""
    with entered(request) as desk:
        found = scaling.scales(desk, visit_id)
        desk.note_reading(visit_id)
        return _shown(request, desk, found)


@router.post("/phototype")
def phototype(request: Request, visit_id: UUID, form: Form) -> Response:
    """The phototype from the questionnaire or the tone."""
    with entered(request, form) as desk:
        found = scaling.take_phototype(desk, visit_id, form)
        return _shown(request, desk, found) if found.wrong else go(f"/visits/{visit_id}/scales#phototype")


@router.post("/{name}")
def score(request: Request, visit_id: UUID, name: str, form: Form) -> Response:
    """A scale, entered."""
    with entered(request, form) as desk:
        found = scaling.score(desk, visit_id, name, form)
        return (
            _shown(request, desk, found) if found.wrong or any(s.wrong for s in found.sheets) else go(f"/visits/{visit_id}/scales#{name}")
        )
