"""The rule book on screen."""

from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from merak.auth import entered
from merak.core.knowledge import about
from merak.services.studio import rule_book
from merak.web.pages import blocks, page

router = APIRouter(prefix="/rules")


@router.get("")
def rules(
    request: Request,
    q: str = "",
    of: str = "",
    zone: str = "",
    condition: str = "",
    mark: str = "",
    under: str = "",
    after: Annotated[int, Query(ge=0, le=100_000)] = 0,
) -> Response:
    """Every rule and number, found by what is asked; its headings where nothing is."""
    with entered(request) as ctx:
        asked = rule_book.Search(q[:200], of, zone, condition, mark, under, after)
        found = rule_book.page_of(ctx, asked)
        further = {key: said for key, said in request.query_params.items() if key != "after"}
        context: dict[str, Any] = {
            "asked": asked,
            "found": found,
            "more": urlencode({**further, "after": found.more}) if found.more else "",
            "contents": [(subject, many, urlencode({"under": subject})) for subject, many in found.contents],
            "total": len(rule_book.entries()),
            "modalities": [(name, words.title) for name, words in about().items()],
            "zones": rule_book.all_zones(),
            "conditions": tuple(rule_book.CONDITIONS),
        }
        if "hx-request" in request.headers:
            return blocks(request, ctx, "rules/page.html", ("found",), **context)
        return page(request, ctx, "rules/page.html", **context)
