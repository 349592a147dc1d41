"""The plate: measured for a modality, marked, scaled by tapes; as a page, as SVG, as PDF."""

import json
from datetime import datetime
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.body.plate import PLATES
from merak.core.body.sections import ORDERS
from merak.core.body.strokes import ON_PLATE
from merak.core.body.tapes import default_mm
from merak.core.body.travel import STYLES
from merak.core.body.treatable import margins_of
from merak.core.errors import BadInput
from merak.core.knowledge import mark_kinds, works
from merak.core.plan.survey import LINES, places
from merak.exchange.pdf import pdf
from merak.services.context import Context, NotFound
from merak.services.forms import finite
from merak.services.permission import may
from merak.services.visit import looking, marking, plating
from merak.web.drawing import draw, head_told, ink, ink_marks
from merak.web.pages import ENV, STATIC, blocks, go, page, phase_context

router = APIRouter(prefix="/visits/{visit_id}")
LAYERS = ("zones", "margins", "findings", "grid", "strokes", "progress", "reactions", "temperature")
#: What changes which fields there are; any other change leaves the fields alone, so that typing is not disturbed.
RESHAPING = ("work", "manner", "shape")
PEN_FIELDS = ("kind", "shape", "points", "size_mm", "grade", "value", "on", "note")


def _context(ctx: Context, plated: plating.Plated, slips: dict[str, str] | None = None) -> dict[str, Any]:
    survey = plated.survey
    drawing = draw(survey.area)
    return {
        **phase_context(ctx, plated.file, "look"),
        "page": plated,
        "work": works()[plated.work],
        "drawing": drawing,
        "head": head_told(plated.file.findings.measures),
        "inked": ink(survey, drawing),
        "inked_marks": ink_marks(plated.marks, survey.plate),
        "PLATES": PLATES,
        "LAYERS": LAYERS,
        "works": [(key, entry.words) for key, entry in works().items()],
        "kinds": [(key, kind.words) for key, kind in mark_kinds().items()],
        "fits": {
            key: {"shapes": k.shapes, "graded": k.graded, "measured": bool(k.measured)}
            for key, k in mark_kinds().items()
        },
        "styles": [(key, key) for key in ((LINES,) if plated.name in ON_PLATE else ()) + STYLES],
        "places": [(key, key) for key in places(plated.name)],
        "orders": [(key, key) for key in ORDERS],
        "default_mm": default_mm,
        "margins": [entry for entry in margins_of(plated.work) if entry.id in survey.area.margin_mm],
        "narrowed": {entry.margin: f"{entry.value:g}" for entry in plated.file.narrowed},
        "narrows": may(ctx.me, "narrow a margin", plated.file.visit),
        "markable": may(ctx.me, "look", plated.file.visit),
        "slips": slips if slips is not None else {},
    }


@router.get("/plate")
def plate_page(request: Request, visit_id: UUID) -> Response:
    """The plate as the query asks for it; for htmx only what moves."""
    with entered(request) as ctx:
        plated = plating.plated(ctx, visit_id, dict(request.query_params))
        if "hx-request" in request.headers:
            typed = ("across_mm", "down_mm", "overlap", "speed_mm_s", "repeats", "hold_s")
            slips = {key: plated.wrong.get(key, "") for key in typed if key in request.query_params}
            if "tip_mm" in plated.wrong:
                slips["across_mm"] = plated.wrong["tip_mm"]
            return _redrawn(request, ctx, plated, slips)
        ctx.note_reading(visit_id)
        return page(request, ctx, "plate/page.html", **_context(ctx, plated))


def _redrawn(
    request: Request, ctx: Context, plated: plating.Plated, slips: dict[str, str], first: tuple[str, ...] = ()
) -> Response:
    """The plate and everything that follows from it, after what it is drawn on."""
    changed = request.headers.get("x-changed", "")
    last = "laying" if changed in RESHAPING else "slips"  # fields drawn anew bring their slips
    names = (*first, "plate", "numbers", "marks", last)
    return blocks(request, ctx, "plate/page.html", names, **_context(ctx, plated, slips))


def _after(
    request: Request, ctx: Context, visit_id: UUID, form: dict[str, str], fields: tuple[str, ...], told: str = ""
) -> Response:
    """The page after a change, its fields' slips emptied."""
    if "hx-request" not in request.headers:
        return go(f"/visits/{visit_id}/plate?plate={form.get('plate', 'face')}")
    answer = _redrawn(request, ctx, plating.plated(ctx, visit_id, form), dict.fromkeys(fields, ""))
    answer.headers["HX-Trigger"] = json.dumps({"plate-kept": {"told": told}})
    return answer


def _slipped(
    request: Request,
    ctx: Context,
    visit_id: UUID,
    form: dict[str, str],
    bad: BadInput,
    fields: tuple[str, ...],
    of: str = "",
) -> Response:
    """What is wrong, beside its field; nothing else on the page moves, so that what was drawn or typed stays."""
    slips = {name + of: bad.fields.get(name, "") for name in fields}
    other = [words for name, words in bad.fields.items() if name not in fields]
    if other:
        slips[fields[0] + of] = " ".join([slips[fields[0] + of], *other]).strip()
    context = _context(ctx, plating.plated(ctx, visit_id, form), slips)
    answer = blocks(request, ctx, "plate/page.html", ("slips",), 422, **context)
    answer.headers["HX-Reswap"] = "none"
    return answer


@router.post("/plate/marks")
def put_mark(request: Request, visit_id: UUID, form: Form) -> Response:
    """A mark drawn, or drawn and described anew."""
    with entered(request, form) as ctx:
        try:
            marking.put(ctx, visit_id, form)
        except BadInput as bad:
            return _slipped(request, ctx, visit_id, form, bad, PEN_FIELDS)
        return _after(request, ctx, visit_id, form, PEN_FIELDS)


@router.post("/plate/marks/{mark_id}/move")
def move_mark(request: Request, visit_id: UUID, mark_id: UUID, form: Form) -> Response:
    """A mark moved by dx, dy mm."""
    with entered(request, form) as ctx:
        try:
            marking.move(ctx, visit_id, mark_id, (_mm(form, "dx"), _mm(form, "dy")))
        except BadInput as bad:
            return _slipped(request, ctx, visit_id, form, bad, PEN_FIELDS)
        return _after(request, ctx, visit_id, form, PEN_FIELDS)


def _mm(form: dict[str, str], key: str) -> float:
    try:
        return finite(form.get(key, ""))
    except ValueError:
        raise BadInput({"points": "By how many millimetres?"}) from None


@router.post("/plate/marks/{mark_id}/remove")
def remove_mark(request: Request, visit_id: UUID, mark_id: UUID, form: Form) -> Response:
    """A mark taken off."""
    with entered(request, form) as ctx:
        marking.remove(ctx, visit_id, mark_id)
        return _after(request, ctx, visit_id, form, PEN_FIELDS)


@router.post("/plate/undo")
def undo(request: Request, visit_id: UUID, form: Form) -> Response:
    """My last change to a mark in this visit taken back."""
    with entered(request, form) as ctx:
        return _after(request, ctx, visit_id, form, PEN_FIELDS, marking.undo(ctx, visit_id))


@router.get("/plate/marks/{mark_id}")
def mark_history(request: Request, visit_id: UUID, mark_id: UUID) -> Response:
    """How a mark came to be what it is."""
    with entered(request) as ctx:
        return blocks(request, ctx, "plate/history.html", ("history",), told=marking.history(ctx, visit_id, mark_id))


@router.post("/plate/margins")
def narrow(request: Request, visit_id: UUID, form: Form) -> Response:
    """A margin narrowed by a senior, or the usual one put back."""
    with entered(request, form) as ctx:
        try:
            marking.narrow_margin(ctx, visit_id, form)
        except BadInput as bad:
            of = "-" + form.get("margin", "")
            return _slipped(request, ctx, visit_id, form, bad, ("value",), of)
        return _after(request, ctx, visit_id, form, ())


@router.post("/plate/tapes")
def tapes(request: Request, visit_id: UUID, form: Form) -> Response:
    """Tapes measured: the plate and its areas follow."""
    with entered(request, form) as ctx:
        taken = {key: value for key, value in form.items() if key in looking.NUMBERS or key == "build"}
        looked = looking.save_findings(ctx, visit_id, taken)
        plated = plating.plated(ctx, visit_id, form)
        if "hx-request" not in request.headers:
            return go(f"/visits/{visit_id}/plate?plate={plated.name}")
        slips = {key: looked.wrong.get(key, "") for key in taken}
        return _redrawn(request, ctx, plated, slips, first=("head_told",))


@router.get("/plate/working/{key}")
def working(request: Request, visit_id: UUID, key: str) -> Response:
    """How one number came about."""
    with entered(request) as ctx:
        numbers = plating.plated(ctx, visit_id, dict(request.query_params)).survey.numbers
        if key not in numbers:
            raise NotFound("There is no such number on this plate.")
        return blocks(request, ctx, "plan/working.html", ("working",), quantity=numbers[key])


def _printed(request: Request, ctx: Context, visit_id: UUID, template: str) -> tuple[str, plating.Plated]:
    """A template of the plate on paper, with the layers that the query hides left out."""
    query = dict(request.query_params)
    plated = plating.plated(ctx, visit_id, query)
    ctx.note_reading(visit_id)
    hidden = tuple(filter(None, query.get("hide", "").split(",")))
    context = {
        **_context(ctx, plated),
        "hidden": hidden,
        "printed": datetime.now(ctx.zone),
        "dim": request.cookies.get("theme") == "dim",
    }
    return ENV.get_template(template).render(**context), plated


@router.get("/plate.svg")
def as_svg(request: Request, visit_id: UUID) -> Response:
    """The drawing as a file of its own, in millimetres."""
    with entered(request) as ctx:
        drawn, plated = _printed(request, ctx, visit_id, "plate/plate.svg")
    name = f"plate-{plated.name}-{plated.file.today:%Y-%m-%d}.svg"
    return Response(
        drawn, media_type="image/svg+xml", headers={"content-disposition": f'attachment; filename="{name}"'}
    )


@router.get("/plate.pdf")
def as_pdf(request: Request, visit_id: UUID) -> Response:
    """The plate's sheet: the drawing, the areas, the marks, the amounts, on A4."""
    with entered(request) as ctx:
        html, plated = _printed(request, ctx, visit_id, "plate/sheet_pdf.html")
    name = f"plate-{plated.name}-{plated.file.today:%Y-%m-%d}.pdf"
    return Response(
        pdf(html, STATIC), media_type="application/pdf", headers={"content-disposition": f'inline; filename="{name}"'}
    )
