"""The application: every router, the headers, the errors."""

from fastapi import FastAPI
from fastapi.responses import PlainTextResponse
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware

from merak.api import bench as api_bench
from merak.api import judgement as api_judgement
from merak.api import plate as api_plate
from merak.api import treat as api_treat
from merak.auth import Headers
from merak.core.closed import demand_closed
from merak.limits import Limiter
from merak.services.studio.practice import database_answers
from merak.web import (
    answer,
    ask,
    bench,
    clients,
    close,
    day,
    emergency,
    instruments,
    look,
    photos,
    plan,
    plate,
    practice,
    reactions,
    returning,
    rules,
    scales,
    signing_in,
    tasks,
    treat,
)
from merak.web.pages import STATIC
from merak.web.trouble import handle_trouble, tell


def make_app() -> FastAPI:
    """The app. Raises KnowledgeError when the rule book is broken: then nothing is served."""
    demand_closed()
    app = FastAPI(title="Merak", version="1", docs_url=None, redoc_url=None, openapi_url="/api/openapi.json")
    app.add_middleware(Limiter, tell=tell)
    app.add_middleware(Headers)
    app.add_middleware(GZipMiddleware, minimum_size=1500, compresslevel=4)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    rooms = (
        api_treat,
        plan,
        look,
        scales,
        photos,
        plate,
        ask,
        treat,
        day,
        close,
        returning,
        practice,
        bench,
        instruments,
        emergency,
        tasks,
        clients,
        reactions,
        answer,
        rules,
        signing_in,
        api_plate,
        api_judgement,
        api_bench,
    )  # the busiest first
    for room in rooms:
        app.include_router(room.router)
    app.get("/health", include_in_schema=False)(_health)
    handle_trouble(app)
    return app


def _health() -> PlainTextResponse:
    """Whether the app and its database answer: one SELECT, nothing else."""
    database_answers()
    return PlainTextResponse("well")
