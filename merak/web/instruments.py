"""The instruments: simulators, and driving them, for training."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.errors import BadInput
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.services.context import Context
from merak.services.treatment import instruments
from merak.simulators.source import FAULTS
from merak.web.pages import go, page

needs(
    __name__,
    """
    mm: thermometer.below
    """,
)

router = APIRouter()


def _shown(request: Request, ctx: Context, said: str = "", of: str = "", code: int = 200) -> Response:
    found = instruments.shelf(ctx, said)
    return page(
        request,
        ctx,
        "instruments/page.html",
        code,
        shelf=found,
        faults=FAULTS,
        of=of,
        below=number("thermometer.below"),
    )


@router.get("/instruments")
def shelf(request: Request, said: str = "", of: str = "") -> Response:
    """All instruments."""
    with entered(request) as ctx:
        return _shown(request, ctx, said[:200], of)


@router.post("/instruments/{instrument}/{command}")
def drive(request: Request, instrument: str, command: str, form: Form) -> Response:
    """Does something to one, as a hand would."""
    with entered(request, form) as ctx:
        try:
            answer = instruments.drive(ctx, instrument, command, form.get("value", "").replace(",", "."))
        except BadInput as bad:
            return _shown(request, ctx, " ".join(bad.fields.values()), instrument, 422)
        return _shown(request, ctx, answer.words or "Done.", instrument)


@router.post("/visits/{visit_id}/look/meter")
def meter(request: Request, visit_id: UUID, form: Form) -> Response:
    """One reading of the meter, into today's findings."""
    with entered(request, form) as ctx:
        answer = instruments.read_meter(ctx, visit_id)
        if not answer.ok:
            raise BadInput({"hydration": answer.words})
        return go(f"/visits/{visit_id}/look")
