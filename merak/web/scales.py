"""Look, closer: standard scales, phototype by questionnaire or by measured tone."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.client.tone import ASKED
from merak.services.context import Context
from merak.services.visit import scaling
from merak.web.pages import go, page, phase_context

router = APIRouter(prefix="/visits/{visit_id}/scales")


def _shown(request: Request, ctx: Context, found: scaling.Scales) -> Response:
    context: dict[str, Any] = {**phase_context(ctx, found.file, "look"), "page": found, "asked": ASKED}
    wrong = found.wrong or any(sheet.wrong for sheet in found.sheets)
    return page(request, ctx, "look/scales.html", 422 if wrong else 200, **context)


@router.get("")
def scales_page(request: Request, visit_id: UUID) -> Response:
    """Every scale with its entry and score."""
    with entered(request) as ctx:
        found = scaling.scales(ctx, visit_id)
        ctx.note_reading(visit_id)
        return _shown(request, ctx, found)


@router.post("/phototype")
def phototype(request: Request, visit_id: UUID, form: Form) -> Response:
    """The phototype from the questionnaire or the tone."""
    with entered(request, form) as ctx:
        found = scaling.take_phototype(ctx, visit_id, form)
        return _shown(request, ctx, found) if found.wrong else go(f"/visits/{visit_id}/scales#phototype")


@router.post("/{name}")
def score(request: Request, visit_id: UUID, name: str, form: Form) -> Response:
    """A scale, entered."""
    with entered(request, form) as ctx:
        found = scaling.score(ctx, visit_id, name, form)
        return (
            _shown(request, ctx, found)
            if found.wrong or any(s.wrong for s in found.sheets)
            else go(f"/visits/{visit_id}/scales#{name}")
        )
