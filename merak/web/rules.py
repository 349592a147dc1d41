"""The rule book on screen, and what the studio made of it."""

from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from merak.auth import Form, Parts, entered
from merak.core.errors import BadInput
from merak.core.knowledge import about
from merak.core.knowledge.own import STRICTER
from merak.services.context import Context
from merak.services.studio import own_rules, rule_book
from merak.web.pages import blocks, go, page

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
            "own": own_rules.standing(ctx),
            "listed": True,
            "modalities": [(name, words.title) for name, words in about().items()],
            "zones": rule_book.all_zones(),
            "conditions": tuple(rule_book.CONDITIONS),
        }
        if "hx-request" in request.headers:
            return blocks(request, ctx, "rules/page.html", ("found",), **context)
        return page(request, ctx, "rules/page.html", **context)


@router.get("/own")
def own(request: Request) -> Response:
    """What the studio changed, version by version; out and in as a file."""
    with entered(request) as ctx:
        return _own(request, ctx)


def _own(request: Request, ctx: Context, wrong: dict[str, str] | None = None) -> Response:
    versions = own_rules.versions(ctx)
    context: dict[str, Any] = {
        "own": own_rules.standing(ctx),
        "versions": versions,
        "wrong": wrong or {},
        "history": own_rules.history(ctx),
    }
    return page(request, ctx, "rules/own.html", 422 if wrong else 200, **context)


@router.post("/own/take-back")
def take_all_back(request: Request, form: Form) -> Response:
    """Everything is again as it was published."""
    with entered(request, form) as ctx:
        try:
            own_rules.take_back(ctx, "", form)
        except BadInput as bad:
            return _own(request, ctx, bad.fields)
        return go("/rules/own", "Everything is as it was published.")


@router.get("/own/file")
def to_file(request: Request) -> Response:
    """What the studio changed, as a file."""
    with entered(request) as ctx:
        told = own_rules.to_file(ctx).model_dump_json(indent=2)
        disposition = {"content-disposition": f'attachment; filename="own-rules-{ctx.today}.json"'}
        return Response(told, media_type="application/json", headers=disposition)


@router.post("/own/file")
def from_file(request: Request, parts: Parts) -> Response:
    """A file takes the place of all that was changed."""
    form, files = parts
    with entered(request, form) as ctx:
        try:
            many = own_rules.from_file(ctx, files.get("file", b""))
        except BadInput as bad:
            return _own(request, ctx, bad.fields)
        return go("/rules/own", f"Read in: {many} {'change' if many == 1 else 'changes'}.")


@router.get("/of/{entry_id}")
def one(request: Request, entry_id: str) -> Response:
    """One entry, whole: what was published, what the studio made of it, by whom, when, why."""
    with entered(request) as ctx:
        return _one(request, ctx, entry_id)


def _one(
    request: Request,
    ctx: Context,
    entry_id: str,
    form: dict[str, str] | None = None,
    wrong: dict[str, str] | None = None,
) -> Response:
    entry = rule_book.entry_of(ctx, entry_id)
    asked = entry_id.removeprefix("screening.")
    question = own_rules.question_of(asked) if entry.kind == "question" else None
    standing = own_rules.standing(ctx)
    verdicts = [verdict for verdict in standing.verdicts if question and verdict.question == asked]
    context: dict[str, Any] = {
        "e": entry,
        "listed": False,
        "rule": own_rules.rule_of(entry_id) if entry.kind == "rule" else None,
        "question": question,
        "own": standing,
        "verdicts": verdicts,
        "changed": [*(one for one in standing.values if one == entry_id), *(verdict.name for verdict in verdicts)],
        "options": [(option.id, option.words) for option in question.options[1:]] if question else [],
        "subjects": own_rules.subjects().items(),
        "names": own_rules.subjects(),
        "stricter": [(verdict, verdict) for verdict in STRICTER],
        "history": own_rules.history(ctx, entry_id),
        "form": form or {},
        "wrong": wrong or {},
    }
    return page(request, ctx, "rules/one.html", 422 if wrong else 200, **context)


@router.post("/of/{entry_id}/number")
def set_number(request: Request, entry_id: str, form: Form) -> Response:
    """Another number for a rule."""
    with entered(request, form) as ctx:
        try:
            own_rules.set_number(ctx, entry_id, form)
        except BadInput as bad:
            return _one(request, ctx, entry_id, form, bad.fields)
        return go(f"/rules/of/{entry_id}", "Kept: plans go by it from now on.")


@router.post("/of/{entry_id}/verdict")
def set_verdict(request: Request, entry_id: str, form: Form) -> Response:
    """A stricter verdict for an answer."""
    with entered(request, form) as ctx:
        try:
            own_rules.set_verdict(ctx, entry_id.removeprefix("screening."), form)
        except BadInput as bad:
            return _one(request, ctx, entry_id, form, bad.fields)
        return go(f"/rules/of/{entry_id}", "Kept: answers mean this from now on.")


@router.post("/of/{entry_id}/take-back")
def take_back(request: Request, entry_id: str, form: Form) -> Response:
    """A rule or an answer is again as it was published."""
    with entered(request, form) as ctx:
        try:
            own_rules.take_back(ctx, form.get("of", "") or entry_id, form)
        except BadInput as bad:
            return _one(request, ctx, entry_id, form, {"back": bad.fields["reason"]})
        return go(f"/rules/of/{entry_id}", "As it was published.")
