"""The emergency cards, for the wall."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.errors import BadInput
from merak.services.context import Context
from merak.services.treatment import adverse
from merak.web.pages import go, page

router = APIRouter(prefix="/emergency")


def _shown(request: Request, ctx: Context, wrong: dict[str, str] | None = None, typed: str = "") -> Response:
    ctx.demand("see the day")
    number = adverse.number_of(ctx)
    return page(
        request,
        ctx,
        "emergency/page.html",
        422 if wrong else 200,
        cards=adverse.cards(),
        number=number,
        wrong=wrong or {},
        typed=typed,
    )


@router.get("")
def wall(request: Request) -> Response:
    """All cards; they print as a sheet for the wall."""
    with entered(request) as ctx:
        return _shown(request, ctx)


@router.post("/number")
def number(request: Request, form: Form) -> Response:
    """The local emergency number."""
    with entered(request, form) as ctx:
        try:
            adverse.set_number(ctx, form.get("emergency", ""))
        except BadInput as bad:
            return _shown(request, ctx, bad.fields, form.get("emergency", ""))
        return go("/emergency", "The number is kept.")
