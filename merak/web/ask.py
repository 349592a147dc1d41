"""Ask: the safety talk, the board, and doctors' letters."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, Parts, entered
from merak.services.clients import lettering
from merak.services.clients.keeping import kept_file
from merak.services.context import Context
from merak.services.visit import asking
from merak.services.visit.looking import GRADABLE
from merak.web.pages import blocks, go, page, phase_context

router = APIRouter(prefix="/visits/{visit_id}")


@router.get("/ask")
def ask_page(request: Request, visit_id: UUID) -> Response:
    """The questions, the answers, the board."""
    with entered(request) as ctx:
        asked = asking.asked(ctx, visit_id)
        ctx.note_reading(visit_id)
        return page(request, ctx, "ask/page.html", **_context(ctx, asked))


def _context(ctx: Context, asked: asking.AskPage) -> dict[str, Any]:
    return {
        **phase_context(ctx, asked.file, "ask"),
        "asked": asked,
        "answers": asked.file.answers,
        "changed": "",
        "named": asking.named,
        "zones": asking.ZONES,
        "goals": list(GRADABLE.items()),
        "currency": asked.file.house.currency,
        "today": ctx.today,
    }


@router.post("/ask")
def answer(request: Request, visit_id: UUID, form: Form) -> Response:
    """Takes the answers as they are given; the board follows."""
    with entered(request, form) as ctx:
        asked = asking.save_answers(ctx, visit_id, form)
        if "hx-request" not in request.headers:
            return go(f"/visits/{visit_id}/look")
        changed = request.headers.get("x-changed", "").partition(".")[0].partition("~")[0]
        return blocks(request, ctx, "ask/page.html", ("board", "extra"), **{**_context(ctx, asked), "changed": changed})


@router.post("/ask/confirm")
def confirm(request: Request, visit_id: UUID, form: Form) -> Response:
    """Last time's answers still hold."""
    with entered(request, form) as ctx:
        asking.confirm_carried(ctx, visit_id)
        return go(f"/visits/{visit_id}/ask")


@router.post("/ask/rest")
def rest(request: Request, visit_id: UUID, form: Form) -> Response:
    """The rest under a heading was asked, and nothing applies."""
    with entered(request, form) as ctx:
        asking.rest_is_none(ctx, visit_id, form.get("heading", ""), form)
        return go(f"/visits/{visit_id}/ask")


@router.post("/letters")
def ask_for_letter(request: Request, visit_id: UUID, form: Form) -> Response:
    """A doctor's letter is asked for."""
    with entered(request, form) as ctx:
        lettering.ask_for(ctx, visit_id, form.get("rule", ""), form.get("answer", ""))
        return go(f"/visits/{visit_id}/ask", "The letter is asked for.")


@router.post("/letters/{letter_id}")
def letter_came(request: Request, visit_id: UUID, letter_id: UUID, parts: Parts) -> Response:
    """A doctor's letter is filed."""
    form, files = parts
    with entered(request, form) as ctx:
        lettering.receive(ctx, visit_id, letter_id, form, files.get("file"))
        return go(f"/visits/{visit_id}/ask", "The letter is kept.")


@router.get("/files/{file_id}")
def file_of(request: Request, visit_id: UUID, file_id: UUID) -> Response:
    """A letter, a photo, a signature of this visit's client."""
    with entered(request) as ctx:
        asked = asking.asked(ctx, visit_id)
        found = kept_file(ctx, asked.file.visit.client_id, file_id)
        ctx.note_reading(visit_id)
        headers = {
            "cache-control": "private, no-store",
            "content-disposition": "inline",
            "content-security-policy": "default-src 'none'; sandbox",
        }
        return Response(found.content, media_type=found.kind, headers=headers)
