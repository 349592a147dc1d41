"""The reactions register, and the outbox."""

from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.core.errors import BadInput
from merak.desk import outbox, registering
from merak.desk.desk import Desk
from merak.door import Form, entered
from merak.web.pages import go, page

router = APIRouter()


@router.get("/reactions")
def register(request: Request) -> Response:
    """Every reaction, and what stands out."""
    with entered(request) as desk:
        desk.note_reading("reactions")
        return page(request, desk, "reactions/page.html", found=registering.register(desk), tell=registering.TELL)


def _line(request: Request, desk: Desk, found: registering.ReactionPage) -> Response:
    return page(request, desk, "reactions/line.html", 422 if found.wrong else 200, found=found, tell=registering.TELL)


@router.get("/reactions/{reaction_id}")
def reaction(request: Request, reaction_id: UUID) -> Response:
    """One line of it with its versions."""
    with entered(request) as desk:
        found = registering.reaction(desk, reaction_id)
        desk.note_reading(reaction_id)
        return _line(request, desk, found)


@router.post("/reactions/{reaction_id}")
def correct(request: Request, reaction_id: UUID, form: Form) -> Response:
    """A later version of it."""
    with entered(request, form) as desk:
        try:
            registering.correct(desk, reaction_id, form)
        except BadInput as bad:
            return _line(request, desk, registering.reaction(desk, reaction_id, form, bad.fields))
        return go(f"/reactions/{reaction_id}", "Kept as a later version.")


@router.get("/outbox")
def outbox_page(request: Request) -> Response:
    """What went out to clients, and what waits."""
    with entered(request) as desk:
        desk.note_reading("outbox")
        return page(request, desk, "outbox/page.html", sent=outbox.outbox(desk))
