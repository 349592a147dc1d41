"""Look: the skin analysis."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.body.tapes import ALL, FACE
from merak.core.client import Findings
from merak.core.knowledge.register import needs
from merak.services.context import Context
from merak.services.visit import looking
from merak.web.drawing import draw, head_told, ink_marks
from merak.web.graded import graded
from merak.web.pages import blocks, go, page, phase_context

needs(
    __name__,
    condition=("laxity",),
)

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
        "head": head_told(looked.findings.measures),
        "zones": graded(drawing, grades, KINDS[kind].title, kind, looking.ZONES, f"/visits/{visit.id}/look/tap"),
        "skin": _skin(looked.findings),
        "hydration": _number(looked, "hydration", "Hydration, by the meter", ""),
        "heights": [_number(looked, field, looking.NUMBERS[field].capitalize(), "mm") for field in HEIGHTS],
        "tapes": [_number(looked, tape.field, tape.words.capitalize(), "mm") for tape in FACE],
        "slips": [field for field in looking.NUMBERS if field not in elsewhere],
        "inked_marks": ink_marks(looked.marks, looked.area.plate),
    }


HEIGHTS = ("brow_right_mm", "brow_left_mm", "cheek_right_mm", "cheek_left_mm")
#: What a skin is, in choices: (field, label, options).
SKIN = (
    (
        "skin_type",
        "Skin type",
        {"": "not looked at"} | {kind: kind for kind in ("dry", "normal", "combination", "oily")},
    ),
    ("arrived", "On arrival", {"": "not looked at", "made up": "made up", "washed": "washed, bare"}),
    (
        "phototype",
        "Phototype",
        {
            "": "not looked at",
            "1": "I, always burns",
            "2": "II, burns easily",
            "3": "III, burns some",
            "4": "IV, burns little",
            "5": "V, rarely burns",
            "6": "VI, never burns",
        },
    ),
    ("sensitive", "Sensitivity", {"": "not asked", "no": "not sensitive", "yes": "sensitive"}),
)


def _skin(findings: Findings) -> list[tuple[str, str, str, list[tuple[str, str]]]]:
    """The choices, with what stands in each."""
    sensitive = "" if findings.sensitive is None else "yes" if findings.sensitive else "no"
    held = {
        "arrived": findings.arrived,
        "skin_type": findings.skin_type or "",
        "phototype": f"{findings.phototype or ''}",
        "sensitive": sensitive,
    }
    return [(field, label, held[field], list(options.items())) for field, label, options in SKIN]


def _number(looked: looking.Looked, field: str, label: str, unit: str) -> tuple[str, str, str, str, str]:
    """A number's field as it is shown: its name, label, what is typed or stands in it, unit, what is wrong."""
    stands = getattr(looked.findings, field)
    value = looked.typed.get(field, "" if stands is None else f"{stands:g}")
    return field, label, value, unit, looked.wrong.get(field, "")


@router.post("/look")
def keep(request: Request, visit_id: UUID, form: Form) -> Response:
    """Takes fields as they are typed; the side to start on follows."""
    with entered(request, form) as ctx:
        looked = looking.save_findings(ctx, visit_id, form)
        if "hx-request" not in request.headers:
            return go(f"/visits/{visit_id}/plan")
        anew = ("head_told", "plate", "side", "slips")
        return blocks(request, ctx, "look/page.html", anew, **_context(ctx, looked, form.get("kind", "")))


@router.post("/look/tap")
def tap(request: Request, visit_id: UUID, form: Form) -> Response:
    """A tap on a zone of the plate: one grade up."""
    with entered(request, form) as ctx:
        looked = looking.tap_zone(ctx, visit_id, form.get("kind", ""), form.get("zone", ""))
        return blocks(request, ctx, "look/page.html", ("plate",), **_context(ctx, looked, form.get("kind", "")))
