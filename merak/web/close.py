"""Close: planned beside done, the skin's answer on the plate, the sheet; what is added once the record is sealed."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.after.aftercare import WEIGHTS
from merak.core.after.answer import LOOKS, SEEN, SEEN_MARKS, SeenKind
from merak.core.after.differences import WHY
from merak.core.errors import BadInput
from merak.core.knowledge import about
from merak.exchange.language import LANGUAGES
from merak.exchange.letters import HEADINGS
from merak.exchange.pdf import pdf, warm
from merak.services.after import amending, answering, closing, outbox, sending, tasks
from merak.services.after.sheets import FAMILIES
from merak.services.context import Context
from merak.services.permission import may
from merak.services.visit.looking import ZONES
from merak.web.drawing import draw, head_told
from merak.web.graded import graded
from merak.web.pages import ENV, STATIC, Translation, blocks, go, page, phase_context

router = APIRouter(prefix="/visits/{visit_id}")
PAGE = "close/page.html"


def _context(ctx: Context, closed: closing.Closed, request: Request, **chosen: str) -> dict[str, Any]:
    """What the page and its blocks show; which look, what is seen, and the sheet's language stand in the address, or
    are chosen.
    """
    asked = {**request.query_params, **chosen}
    first = next(iter(closed.answer.missing), "1" if closed.file.visit.status == "closed" else "2")
    look = asked.get("look", first)
    look = look if look in LOOKS else first
    kind: SeenKind = next((one for one in SEEN if one == asked.get("kind")), "redness")
    grades = closed.answer.looks[look].zones.get(kind, {}) if look in closed.answer.looks else {}
    language = asked.get("lang", closed.sheet.language)
    name = closed.file.visit.client.name
    sealed = closed.file.visit.status == "closed"
    open_ = not sealed and may(ctx.me, "close", closed.file.visit)
    drawing, tapped = draw(closed.file.brief.whole()), f"/visits/{closed.file.visit.id}/close/tap?look={look}"
    return {
        **phase_context(ctx, closed.file, "close"),
        "closed": closed,
        "sealed": sealed,
        "open": open_,
        "studio": ctx.studio,
        "why": WHY,
        "marks": SEEN_MARKS,
        "looks": LOOKS,
        "look": look,
        "seen_kinds": SEEN,
        "seen_here": [one for fact in closed.facts for one in fact.seen if one.plate == "face"],
        "kind": kind,
        "grades": grades,
        "drawing": drawing,
        "head": head_told(closed.file.findings.measures),
        "zones": graded(drawing, grades, SEEN[kind], kind, ZONES if open_ else (), tapped),
        "remedies": answering.offered(closed.file, closed.tags),
        "endpoint_of": lambda modality: about()[modality].endpoint,
        "families": FAMILIES,
        "weights": WEIGHTS,
        "headings": HEADINGS,
        "languages": LANGUAGES,
        "language": language if language in LANGUAGES else "en",
        "t": Translation(language if language in LANGUAGES else "en"),
        "things": sorted({p for p, _, _ in closed.products if p}),
        "sent": outbox.sent_of(ctx, closed.file.visit.id, name) if sealed else [],
        "followed": tasks.left_by(ctx, closed.file.visit.id, name) if sealed else [],
        "keep_or": lambda grade: [
            ("", f"stays {'–' if grade is None else grade}"),
            *((str(n), str(n)) for n in range(5)),
        ],
    }


def _page(request: Request, ctx: Context, closed: closing.Closed) -> Response:
    return page(request, ctx, PAGE, 422 if closed.wrong else 200, **_context(ctx, closed, request))


@router.get("/close")
def close_page(request: Request, visit_id: UUID) -> Response:
    """What was to be, what was, and how the skin answered."""
    warm(STATIC)
    with entered(request) as ctx:
        closed = closing.closing(ctx, visit_id)
        ctx.note_reading(visit_id)
        return _page(request, ctx, closed)


@router.get("/close/answer")
def answer(request: Request, visit_id: UUID) -> Response:
    """Another look, or another thing to see."""
    with entered(request) as ctx:
        return blocks(request, ctx, PAGE, ("answer",), **_context(ctx, closing.closing(ctx, visit_id), request))


@router.post("/close/tap")
def tap(request: Request, visit_id: UUID, form: Form) -> Response:
    """A tap on a zone of the plate: one grade up."""
    with entered(request, form) as ctx:
        kind = form.get("kind", "")
        answering.tap(ctx, visit_id, request.query_params.get("look", ""), kind, form.get("zone", ""))
        context = _context(ctx, closing.closing(ctx, visit_id), request, kind=kind) | {"oob": True}
        return _answered(blocks(request, ctx, PAGE, ("answer_plate", "answer_nav", "soothing"), **context))


@router.post("/close/nothing")
def nothing(request: Request, visit_id: UUID, form: Form) -> Response:
    """Looked, and nothing was seen."""
    with entered(request, form) as ctx:
        answering.nothing(ctx, visit_id, request.query_params.get("look", ""))
        return _answered(
            blocks(request, ctx, PAGE, ("answer",), **_context(ctx, closing.closing(ctx, visit_id), request))
        )


@router.post("/close/soothe")
def soothe(request: Request, visit_id: UUID, form: Form) -> Response:
    """A remedy is asked for, ordered, done."""
    with entered(request, form) as ctx:
        answering.soothe(ctx, visit_id, form.get("remedy", ""), form.get("what", ""))
        return blocks(request, ctx, PAGE, ("soothing",), **_context(ctx, closing.closing(ctx, visit_id), request))


def _answered(shown: Response) -> Response:
    """The sheet is joined anew after it."""
    shown.headers["hx-trigger"] = "answered"
    return shown


@router.post("/close/sheet")
def preview(request: Request, visit_id: UUID, form: Form) -> Response:
    """The sheet that follows from what is ticked, in a language."""
    with entered(request, form) as ctx:
        return blocks(request, ctx, PAGE, ("sheet",), **_context(ctx, closing.closing(ctx, visit_id, form), request))


@router.post("/close")
def close(request: Request, visit_id: UUID, form: Form) -> Response:
    """Closes and seals the visit."""
    with entered(request, form) as ctx:
        try:
            closing.close(ctx, visit_id, form, str(request.base_url))
        except BadInput as bad:
            return _page(request, ctx, closing.closing(ctx, visit_id, form, bad.fields))
        return go(f"/visits/{visit_id}/return", "The visit is closed and its record sealed.")


@router.post("/close/add")
def add(request: Request, visit_id: UUID, form: Form) -> Response:
    """Adds to a sealed record."""
    with entered(request, form) as ctx:
        try:
            amending.add(ctx, visit_id, form)
        except BadInput as bad:
            closed = closing.closing(ctx, visit_id)
            closed.form |= {key: form.get(key, "") for key in ("what", "because")}
            closed.wrong = bad.fields
            return _page(request, ctx, closed)
        return go(f"/visits/{visit_id}/close", "Added to the record.")


@router.post("/sheet/send")
def send(request: Request, visit_id: UUID, form: Form) -> Response:
    """Sends the sheet to the client."""
    with entered(request, form) as ctx:
        try:
            sending.send_sheet(ctx, visit_id)
        except BadInput as bad:
            closed = closing.closing(ctx, visit_id)
            closed.wrong = bad.fields
            return _page(request, ctx, closed)
        return go(f"/visits/{visit_id}/close")


@router.get("/sheet.pdf")
def sheet_pdf(request: Request, visit_id: UUID) -> Response:
    """The aftercare sheet as PDF, A4, to take home; large where the client reads so, or with print=large."""
    with entered(request) as ctx:
        closed = closing.closing(ctx, visit_id)
        ctx.note_reading(visit_id)
        context = _context(ctx, closed, request)
        large = request.query_params.get("print", "large" if closed.sheet.large else "") == "large"
        html = ENV.get_template("close/sheet_pdf.html").render(
            **context, printed=ctx.now.astimezone(ctx.zone), large=large
        )
    name = f"aftercare-{closed.ended:%Y-%m-%d}.pdf"
    return Response(
        pdf(html, STATIC), media_type="application/pdf", headers={"content-disposition": f'inline; filename="{name}"'}
    )
