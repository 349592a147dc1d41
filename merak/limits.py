"""Limits before work: who asks is known, and a body's size, depth and signs are bounded, before anything is read of it
or done with it.
"""

import json
import re
from collections.abc import Callable
from urllib.parse import unquote_to_bytes

from fastapi import Request
from fastapi.concurrency import run_in_threadpool
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from merak.auth import COOKIE, LARGEST_FORM, NeedsSignIn
from merak.core.errors import BadInput, MerakError
from merak.records.people import Worker
from merak.services.permission import Denied, may
from merak.services.studio.signing_in import at_work, known

#: Bytes of a body, at most: of a form or JSON, and of what nobody who is signed in sends.
LARGEST, LARGEST_UNKNOWN = 1_000_000, 20_000
#: Fields of a form, and brackets within brackets of JSON, at most.
MOST_FIELDS, DEEPEST = 2_000, 60
#: What is posted by people who are not signed in: to sign in, to set up, a client's answer, light or dim.
PUBLIC = re.compile(r"^/(sign-in|set-up|theme|answer/[^/]*)$")
_QUOTED = re.compile(rb'"(?:[^"\\]|\\.)*"')
#: Escapes that may stand for what no database keeps: NUL, and halves of a sign.
_ODD = re.compile(rb"\\u(0000|[dD][89a-fA-F])")


class TooLarge(MerakError):
    """More than is taken."""


class Limiter:
    """ASGI: refuses what is too much, or from nobody, with the page or the JSON that `tell` makes of an error."""

    def __init__(self, app: ASGIApp, tell: Callable[[Request, Exception], Response]) -> None:
        self.app = app
        self.tell = tell

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        try:
            receive = await self._checked(scope, receive)
        except MerakError as error:
            answer = await run_in_threadpool(self.tell, Request(scope), error)
            answer.headers["connection"] = "close"  # what was not read of the body is not read as the next request
            await answer(scope, receive, send)
            return
        await self.app(scope, receive, send)

    async def _checked(self, scope: Scope, receive: Receive) -> Receive:
        """The body as it may be read. Raises TooLarge, NeedsSignIn, Denied, BadInput."""
        request = Request(scope)
        if b"\x00" in scope.get("raw_path", b"") + unquote_to_bytes(scope["path"]) + unquote_to_bytes(
            scope["query_string"]
        ):
            raise BadInput({"address": "This address holds a character that no name has."})
        if scope["method"] in ("GET", "HEAD", "OPTIONS"):
            return receive
        kind = request.headers.get("content-type", "").partition(";")[0].strip().lower()
        most = await self._most(request, kind)
        told = request.headers.get("content-length", "")
        if told and (not told.isascii() or not told.isdigit() or len(told) > 12 or int(told) > most):
            raise TooLarge(f"Too large: {most / 1e6:g} MB at most.")
        if kind == "multipart/form-data":
            return _counted(receive, most)
        body = await _whole(receive, most)
        _check_body(kind, body)
        return _again(body, receive)

    async def _most(self, request: Request, kind: str) -> int:
        """How many bytes this asker may send here. Raises NeedsSignIn from nobody, Denied for files from who keeps
        none.
        """
        if PUBLIC.match(request.url.path):
            return LARGEST_UNKNOWN
        token = request.cookies.get(COOKIE)
        me = known(token) or await run_in_threadpool(_who, token)
        if me is None:
            raise NeedsSignIn("Sign in first.")
        if kind != "multipart/form-data":
            return LARGEST
        if not may(me, "read notes"):
            raise Denied(f"Your role, {me.role}, does not include this: read notes.")
        return LARGEST_FORM


def _who(token: str | None) -> Worker | None:
    with at_work(token) as ctx:
        return ctx.me if ctx else None


def _counted(receive: Receive, most: int) -> Receive:
    """The same body, refused once it is longer than it may be."""
    taken = 0

    async def counted() -> Message:
        nonlocal taken
        message = await receive()
        taken += len(message.get("body", b""))
        if taken > most:
            raise TooLarge(f"Too large: {most / 1e6:g} MB at most.")
        return message

    return counted


async def _whole(receive: Receive, most: int) -> bytes:
    parts, counted = [], _counted(receive, most)
    while True:
        message = await counted()
        parts.append(message.get("body", b""))
        if message["type"] != "http.request" or not message.get("more_body"):
            return b"".join(parts)


def _again(body: bytes, receive: Receive) -> Receive:
    """A body that was read, to be read once more; after it comes what the line brings."""
    waiting = [body]

    async def again() -> Message:
        if waiting:
            return {"type": "http.request", "body": waiting.pop(), "more_body": False}
        return await receive()

    return again


def _check_body(kind: str, body: bytes) -> None:
    """Raises BadInput for more fields or brackets than anything here has, and for signs that are none."""
    if kind == "application/x-www-form-urlencoded" and body.count(b"&") >= MOST_FIELDS:
        raise BadInput({"form": f"{MOST_FIELDS:,} fields at most."})
    if kind.endswith("json") or body[:1] in (b"{", b"["):
        depth = deepest = 0
        for sign in _QUOTED.sub(b"", body):
            depth += (sign in b"[{") - (sign in b"]}")
            deepest = max(deepest, depth)
        if deepest > DEEPEST:
            raise BadInput({"body": f"{DEEPEST} brackets within brackets at most."})
        if b"\x00" in body or (_ODD.search(body) and not _plain(body)):
            raise BadInput({"body": "It holds a character that cannot be kept."})


def _plain(body: bytes) -> bool:
    """Whether what JSON stands for can be written down: no NUL, no half of a sign."""
    try:
        text = json.dumps(json.loads(body), ensure_ascii=False)
        text.encode()
    except (ValueError, RecursionError):
        return False
    return "\\u0000" not in text
