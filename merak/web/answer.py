"""The client's own page behind a secret address: the questions, and nothing of whose they are."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from merak.auth import Form
from merak.core.errors import MerakError
from merak.exchange.language import LANGUAGES
from merak.services.after import follow_ups
from merak.services.context import NotFound, OutOfTurn
from merak.web.pages import ENV, Translation

router = APIRouter(prefix="/answer")


def _shown(request: Request, token: str, form: dict[str, str] | None) -> Response:
    address = request.client.host if request.client else ""
    language = request.query_params.get("lang", "")
    try:
        found = follow_ups.asked_by(token, address, form, language)
    except (NotFound, OutOfTurn, follow_ups.TooMany) as stop:
        return _page(
            None,
            language if language in LANGUAGES else "en",
            token,
            stop,
            429 if isinstance(stop, follow_ups.TooMany) else 404,
        )
    return _page(found, found.language, token, None, 422 if found.wrong else 200)


def _page(
    found: follow_ups.AnswerPage | None, language: str, token: str, stop: MerakError | None, status: int
) -> Response:
    html = ENV.get_template("answer/page.html").render(
        found=found, language=language, languages=LANGUAGES, t=Translation(language), token=token, stop=str(stop or "")
    )
    return HTMLResponse(html, status, headers={"x-robots-tag": "noindex"})


@router.get("/{token}")
def questions(request: Request, token: str) -> Response:
    """The questions, while they are open."""
    return _shown(request, token, None)


@router.post("/{token}")
def said(request: Request, token: str, form: Form) -> Response:
    """The answers, once."""
    return _shown(request, token, form)
