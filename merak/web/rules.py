"""The rule book on screen."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import entered
from merak.core.knowledge import about
from merak.services.studio import rule_book
from merak.web.pages import blocks, page

router = APIRouter(prefix="/rules")


@router.get("")
def rules(request: Request, q: str = "", of: str = "", zone: str = "", condition: str = "", mark: str = "") -> Response:
    """Every rule and number, found by what is asked."""
    with entered(request) as ctx:
        asked = rule_book.Search(q[:200], of, zone, condition, mark)
        context: dict[str, Any] = {
            "asked": asked,
            "groups": rule_book.by_subject(ctx, asked),
            "total": len(rule_book.entries()),
            "modalities": [(name, words.title) for name, words in about().items()],
            "zones": rule_book.all_zones(),
            "conditions": tuple(rule_book.CONDITIONS),
        }
        if "hx-request" in request.headers:
            return blocks(request, ctx, "rules/page.html", ("found",), **context)
        return page(request, ctx, "rules/page.html", **context)
