"""Errors as pages: what is wrong and what to do, in the look of everything else."""

import logging
from http import HTTPStatus
from traceback import extract_tb

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from starlette.exceptions import HTTPException

from merak.auth import COOKIE, NeedsSignIn, SentAlready
from merak.core.errors import BadInput, MerakError, Refused
from merak.limits import TooLarge
from merak.services.context import NotFound, OutOfTurn
from merak.services.permission import Denied, Sealed
from merak.services.studio.practice import is_away
from merak.services.studio.signing_in import at_work
from merak.web.pages import blocks, go, page

log = logging.getLogger("merak")
STATUS: dict[type[Exception], int] = {
    Denied: 403,
    NotFound: 404,
    OutOfTurn: 409,
    Sealed: 409,
    Refused: 409,
    BadInput: 422,
    TooLarge: 413,
}
WHAT_TO_DO = {
    403: "Ask the owner if you need it for your work.",
    404: "It may have been moved or cancelled. Start from the day sheet.",
    409: "Nothing was changed.",
    413: "Nothing was changed. Send a smaller file, or less text.",
    422: "Nothing was changed. Go back, mend it and send it again.",
    503: "Wait a moment, then do it once more.",
    500: (
        "What you did last may not have been kept; everything before it was. Try once more, and tell the owner if it"
        " happens again."
    ),
}


def handle_trouble(app: FastAPI) -> None:
    """Gives every error its page, or its JSON under /api."""
    app.add_exception_handler(MerakError, _known)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(RequestValidationError, _malformed)
    app.add_exception_handler(Exception, _unforeseen)


def tell(request: Request, error: Exception) -> Response:
    """A refusal as its page, or its JSON under /api."""
    return _known(request, error)


def _known(request: Request, error: Exception) -> Response:
    if isinstance(error, NeedsSignIn):
        if request.url.path.startswith("/api/"):
            return _json(401, str(error))
        if "hx-request" in request.headers:
            return Response(status_code=204, headers={"HX-Redirect": "/sign-in"})
        return go(f"/sign-in?next={request.url.path}" if request.method == "GET" else "/sign-in")
    if isinstance(error, SentAlready):
        if "hx-request" in request.headers:
            return Response(status_code=204)
        return go(error.back, str(error))
    status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 409)
    return _told(request, status, str(error), error.fields if isinstance(error, BadInput) else {})


def _http(request: Request, error: Exception) -> Response:
    status = error.status_code if isinstance(error, HTTPException) else 500
    return _told(request, status, "There is no such page." if status == 404 else HTTPStatus(status).phrase)


def _malformed(request: Request, error: Exception) -> Response:
    fields = (
        {str(e["loc"][-1]): str(e["msg"]) for e in error.errors()} if isinstance(error, RequestValidationError) else {}
    )
    if any(str(e["loc"][0]) == "path" for e in (error.errors() if isinstance(error, RequestValidationError) else ())):
        return _told(request, 404, "There is no such page.")
    return _told(request, 422, "Something in this request cannot be read.", fields)


def _unforeseen(request: Request, error: Exception) -> Response:
    # The kind of error and where, never its words: they can hold what a client said.
    frames = " < ".join(
        f"{frame.filename.rpartition('/')[2]}:{frame.lineno}"
        for frame in reversed(extract_tb(error.__traceback__)[-5:])
    )
    log.error("%s at %s, on %s", type(error).__name__, frames, request.method)
    if is_away(error):
        return _told(request, 503, "The database is away for a moment. What was acknowledged is kept; send it again.")
    return _told(request, 500, "Something went wrong on our side.")


def _json(status: int, words: str, fields: dict[str, str] | None = None) -> JSONResponse:
    return JSONResponse({"error": {"status": status, "words": words, "fields": fields or {}}}, status)


def _told(request: Request, status: int, words: str, fields: dict[str, str] | None = None) -> Response:
    if request.url.path.startswith("/api/"):
        return _json(status, words, fields)
    shown = {"status": status, "words": words, "fields": fields or {}, "action": WHAT_TO_DO.get(status, "")}
    try:
        with at_work(request.cookies.get(COOKIE)) as ctx:
            if ctx is not None and "hx-request" in request.headers:
                return blocks(request, ctx, "trouble/page.html", ("told",), status, **shown)
            return page(request, ctx, "trouble/page.html", status, **shown)
    except Exception:  # the database itself is away: the page needs nothing of it
        return page(request, None, "trouble/page.html", status, **shown)
