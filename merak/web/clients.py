"""A client: how they are reached, their visits, progress, photographs side by side; and the studio's outcomes."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.body.plate import PLATES, zone_names
from merak.core.errors import BadInput
from merak.exchange.language import LANGUAGES
from merak.exchange.table import csv_of
from merak.services.after import outcomes
from merak.services.clients import clients, given, progress
from merak.services.context import Context
from merak.services.visit.picturing import VIEWS
from merak.web.given import drawing
from merak.web.pages import go, page
from merak.web.plot import plot

router = APIRouter()


def _shown(request: Request, ctx: Context, found: clients.ClientPage) -> Response:
    return page(
        request,
        ctx,
        "clients/page.html",
        422 if found.wrong else 200,
        found=found,
        languages=LANGUAGES,
        at_once=clients.AT_ONCE,
    )


@router.get("/clients/{client_id}")
def client_page(request: Request, client_id: UUID, skip: Annotated[int, Query(ge=0, le=1_000_000)] = 0) -> Response:
    """A client and their newest visits."""
    with entered(request) as ctx:
        found = clients.client_page(ctx, client_id, skip)
        ctx.note_reading(client_id)
        return _shown(request, ctx, found)


@router.post("/clients/{client_id}")
def reach(request: Request, client_id: UUID, form: Form) -> Response:
    """How they are reached."""
    with entered(request, form) as ctx:
        try:
            clients.reach(ctx, client_id, form)
        except BadInput as bad:
            return _shown(request, ctx, clients.client_page(ctx, client_id, 0, form, bad.fields))
        return go(f"/clients/{client_id}", "Kept.")


@router.post("/clients/{client_id}/merge")
def merge(request: Request, client_id: UUID, form: Form) -> Response:
    """Another record of the same person goes into this one."""
    with entered(request, form) as ctx:
        clients.merge(ctx, client_id, form.get("other", ""))
        return go(f"/clients/{client_id}", "The two records are one.")


def _given(request: Request, ctx: Context, found: given.GivenPage) -> Response:
    drawn = drawing(found.lines, found.today) if found.lines else None
    status = 422 if found.wrong else 200
    more = {"zones": {PLATES[name].title: zone_names(name) for name in PLATES}, "kinds": given.kinds()}
    return page(request, ctx, "clients/given.html", status, found=found, drawn_given=drawn, **more)


@router.get("/clients/{client_id}/given")
def given_page(request: Request, client_id: UUID) -> Response:
    """What the skin was given over time, and when each thing is open again."""
    with entered(request) as ctx:
        found = given.given_page(ctx, client_id)
        ctx.note_reading(client_id)
        return _given(request, ctx, found)


@router.post("/clients/{client_id}/elsewhere")
def write_elsewhere(request: Request, client_id: UUID, form: Form) -> Response:
    """Something was done elsewhere."""
    with entered(request, form) as ctx:
        try:
            given.write_elsewhere(ctx, client_id, form)
        except BadInput as bad:
            return _given(request, ctx, given.given_page(ctx, client_id, form, bad.fields))
        return go(f"/clients/{client_id}/given", "Written down: it counts from now on.")


@router.post("/clients/{client_id}/elsewhere/back")
def take_back_elsewhere(request: Request, client_id: UUID, form: Form) -> Response:
    """That was written in error."""
    with entered(request, form) as ctx:
        given.take_back(ctx, client_id, form.get("line", ""))
        return go(f"/clients/{client_id}/given", "Taken back.")


@router.get("/clients/{client_id}/progress")
def progress_page(request: Request, client_id: UUID) -> Response:
    """Scales and instruments over time, energy against the answer, photographs."""
    with entered(request) as ctx:
        found = progress.progress(ctx, client_id)
        ctx.note_reading(client_id)
        plots, doses = [plot(curve) for curve in found.curves], [plot(curve) for curve in found.doses]
        return page(request, ctx, "clients/progress.html", found=found, plots=plots, doses=doses, views=VIEWS)


@router.get("/clients/{client_id}/progress.csv")
def progress_csv(request: Request, client_id: UUID) -> Response:
    """The same as a table."""
    with entered(request) as ctx:
        return _csv("progress", *progress.table(ctx, client_id))


@router.get("/clients/{client_id}/photos")
def photos(request: Request, client_id: UUID, view: str = "front", one: str = "", other: str = "") -> Response:
    """Two photographs of one view; with three points the change of colour."""
    asked = request.query_params
    points = {key: asked.get(key, "") for key in ("neutral_one", "neutral_other", "place")}
    with entered(request) as ctx:
        found = progress.compared(ctx, client_id, view, one, other, points)
        ctx.note_reading(client_id)
        return page(request, ctx, "clients/photos.html", 422 if found.wrong else 200, found=found, views=VIEWS)


@router.get("/outcomes")
def outcomes_page(request: Request) -> Response:
    """What changed what, over all clients."""
    with entered(request) as ctx:
        return page(request, ctx, "clients/outcomes.html", effects=outcomes.outcomes(ctx))


@router.get("/outcomes.csv")
def outcomes_csv(request: Request) -> Response:
    """The same as a table."""
    with entered(request) as ctx:
        return _csv("outcomes", *outcomes.table(ctx))


def _csv(name: str, header: list[str], rows: list[list[object]]) -> Response:
    disposition = {"content-disposition": f'attachment; filename="{name}.csv"'}
    return Response(csv_of(header, rows), media_type="text/csv; charset=utf-8", headers=disposition)
