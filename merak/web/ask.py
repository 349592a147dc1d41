"""Ask: the safety talk."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.desk import asking
from merak.desk.desk import Desk
from merak.door import Form, entered
from merak.web.pages import blocks, go, page, stage_context

router = APIRouter(prefix="/visits/{visit_id}")


@router.get("/ask")
def ask_page(request: Request, visit_id: UUID) -> Response:
    """The questions, the answers, the board."""
    with entered(request) as desk:
        asked = asking.asked(desk, visit_id)
        desk.note_reading(visit_id)
        return page(request, desk, "ask/page.html", **_context(desk, asked))


def _context(desk: Desk, asked: asking.Asked) -> dict[str, Any]:
    return {**stage_context(desk, asked.file, "ask"), "asked": asked, "answers": asked.file.answers, "changed": ""}


@router.post("/ask")
def answer(request: Request, visit_id: UUID, form: Form) -> Response:
    """Takes the answers as they are given; the board follows."""
    with entered(request, form) as desk:
        asked = asking.save_answers(desk, visit_id, form)
        if "hx-request" not in request.headers:
            return go(f"/visits/{visit_id}/look")
        changed = request.headers.get("x-changed", "").removesuffix(".on")
        return blocks(request, desk, "ask/page.html", ("board", "extra"), **{**_context(desk, asked), "changed": changed})


@router.post("/ask/confirm")
def confirm(request: Request, visit_id: UUID, form: Form) -> Response:
    """Last time's answers still hold."""
    with entered(request, form) as desk:
        asking.confirm_carried(desk, visit_id)
        return go(f"/visits/{visit_id}/ask")
