"""The emergency cards, for the wall."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.core.errors import BadInput
from merak.desk import adverse
from merak.desk.desk import Desk
from merak.door import Form, entered
from merak.web.pages import go, page

router = APIRouter(prefix="/emergency")


def _shown(request: Request, desk: Desk, wrong: dict[str, str] | None = None, typed: str = "") -> Response:
    desk.demand("see the day")
    number = adverse.number_of(desk)
    return page(
        request, desk, "emergency/page.html", 422 if wrong else 200, cards=adverse.cards(), number=number, wrong=wrong or {}, typed=typed
    )


@router.get("")
def wall(request: Request) -> Response:
    """All cards; they print as a sheet for the wall."""
    with entered(request) as desk:
        return _shown(request, desk)


@router.post("/number")
def number(request: Request, form: Form) -> Response:
    """The local emergency number."""
    with entered(request, form) as desk:
        try:
            adverse.set_number(desk, form.get("emergency", ""))
        except BadInput as bad:
            return _shown(request, desk, bad.fields, form.get("emergency", ""))
        return go("/emergency", "The number is kept.")
