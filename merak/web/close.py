"""Close: planned beside done, the skin's answer, the aftercare sheet on screen and as PDF."""

from datetime import datetime
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.core.errors import BadInput
from merak.desk import closing
from merak.desk.desk import Desk
from merak.door import Form, entered
from merak.exchange.pdf import pdf
from merak.web.pages import ENV, STATIC, blocks, go, page, stage_context

router = APIRouter(prefix="/visits/{visit_id}")


def _context(desk: Desk, closed: closing.Closed) -> dict[str, Any]:
    return {**stage_context(desk, closed.file, "close"), "closed": closed, "grades": closing.GRADES, "studio": desk.studio}


@router.get("/close")
def close_page(request: Request, visit_id: UUID) -> Response:
    """What was to be, what was, and how the skin answered."""
    with entered(request) as desk:
        closed = closing.closing(desk, visit_id)
        desk.note_reading(visit_id)
        return page(request, desk, "close/page.html", **_context(desk, closed))


@router.post("/close/sheet")
def preview(request: Request, visit_id: UUID, form: Form) -> Response:
    """The sheet that follows from the grades as they are being chosen."""
    with entered(request, form) as desk:
        return blocks(request, desk, "close/page.html", ("sheet",), **_context(desk, closing.closing(desk, visit_id, form)))


@router.post("/close")
def close(request: Request, visit_id: UUID, form: Form) -> Response:
    """Closes and seals the visit."""
    with entered(request, form) as desk:
        try:
            closing.close(desk, visit_id, form)
        except BadInput as bad:
            return page(request, desk, "close/page.html", 422, **_context(desk, closing.closing(desk, visit_id, form, bad.fields)))
        return go(f"/visits/{visit_id}/return")


@router.get("/sheet.pdf")
def sheet_pdf(request: Request, visit_id: UUID) -> Response:
    """The aftercare sheet as PDF, A4, to take home."""
    with entered(request) as desk:
        closed = closing.closing(desk, visit_id)
        desk.note_reading(visit_id)
        html = ENV.get_template("close/sheet_pdf.html").render(**_context(desk, closed), printed=datetime.now(desk.zone))
    name = f"aftercare-{closed.ended:%Y-%m-%d}.pdf"
    return Response(pdf(html, STATIC), media_type="application/pdf", headers={"content-disposition": f'inline; filename="{name}"'})
