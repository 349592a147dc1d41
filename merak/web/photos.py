"""Look, kept: photographs by view, landmarks, before beside after."""

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, Parts, entered
from merak.services.context import Context
from merak.services.visit import picturing
from merak.web.pages import go, page, phase_context

router = APIRouter(prefix="/visits/{visit_id}/photos")


def _shown(request: Request, ctx: Context, found: picturing.Pictured) -> Response:
    context: dict[str, Any] = {
        **phase_context(ctx, found.file, "close" if found.moment == "after" else "look"),
        "page": found,
        "views": picturing.VIEWS,
    }
    return page(request, ctx, "look/photos.html", 422 if found.wrong else 200, **context)


@router.get("")
def photos_page(
    request: Request, visit_id: UUID, view: str = "front", against: str = "", moment: str = "before"
) -> Response:
    """One view: today's photograph, and an earlier one laid over it."""
    with entered(request) as ctx:
        found = picturing.pictured(ctx, visit_id, view, against, moment=moment)
        ctx.note_reading(visit_id)
        return _shown(request, ctx, found)


@router.post("/{view}")
def add(request: Request, visit_id: UUID, view: str, parts: Parts, moment: str = "before") -> Response:
    """A photograph, taken or chosen."""
    form, files = parts
    with entered(request, form) as ctx:
        found = picturing.add_photo(ctx, visit_id, view, files.get("file"), moment)
        return (
            _shown(request, ctx, found) if found.wrong else go(f"/visits/{visit_id}/photos?view={view}&moment={moment}")
        )


@router.post("/{view}/landmarks")
def landmarks(request: Request, visit_id: UUID, view: str, form: Form, moment: str = "before") -> Response:
    """Landmarks, clicked."""
    with entered(request, form) as ctx:
        picturing.mark_landmarks(ctx, visit_id, view, form.get("points", ""), moment)
        return go(f"/visits/{visit_id}/photos?view={view}&moment={moment}", "The photograph is kept.")
