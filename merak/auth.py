"""The way in, for pages and for the API alike: who is signed in, the CSRF token, the headers on the way out."""

import hmac
from collections.abc import Iterator, MutableMapping
from contextlib import contextmanager
from typing import Annotated, Any
from urllib.parse import parse_qsl, urlsplit, urlunsplit
from uuid import uuid4

from fastapi import Depends, Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from merak.core.errors import MerakError
from merak.services import once
from merak.services.context import Context
from merak.services.permission import Denied
from merak.services.studio.signing_in import at_work

COOKIE = "merak"
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src"
    " 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
)
HEADERS = [
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
    (b"cross-origin-opener-policy", b"same-origin"),
    (b"permissions-policy", b"camera=(self), microphone=(), geolocation=()"),
]


class NeedsSignIn(MerakError):
    """Nobody is signed in."""


class SentAlready(MerakError):
    """This form was taken already; `back` is the page that it stood on."""

    def __init__(self, back: str) -> None:
        super().__init__("This was sent already; here is how it stands.")
        self.back = back


async def _form(request: Request) -> dict[str, str]:
    """The fields of a form as browsers and htmx send it, URL-encoded; of a field sent twice the last counts."""
    return {
        _plain(name): _plain(said)
        for name, said in parse_qsl((await request.body()).decode(errors="replace"), keep_blank_values=True)
    }


#: Signs that no keyboard types and no database keeps.
_UNSEEN = dict.fromkeys(one for one in range(32) if chr(one) not in "\t\n\r")


def _plain(text: str) -> str:
    return text.translate(_UNSEEN)


Form = Annotated[dict[str, str], Depends(_form)]


#: Bytes of a form with files, at most.
LARGEST_FORM = 14_000_000


async def _parts(request: Request) -> tuple[dict[str, str], dict[str, bytes]]:
    """The fields and the files of a form with files; how large it may be is held before (`limits`)."""
    fields: dict[str, str] = {}
    files: dict[str, bytes] = {}
    async with request.form(max_files=6, max_fields=60) as form:
        for key, value in form.items():
            if isinstance(value, str):
                fields[_plain(key)] = _plain(value)
            elif content := await value.read():
                files[key] = content
    return fields, files


Parts = Annotated[tuple[dict[str, str], dict[str, bytes]], Depends(_parts)]


@contextmanager
def entered(request: Request, form: dict[str, str] | None = None) -> Iterator[Context]:
    """The context of whoever is signed in. Raises NeedsSignIn, Denied for a write without this sign-in's CSRF token,
    and SentAlready for a form that was taken before.
    """
    with at_work(request.cookies.get(COOKIE)) as ctx:
        if ctx is None:
            raise NeedsSignIn("Sign in first.")
        if request.method not in ("GET", "HEAD"):
            check_token(ctx.me.csrf, request.headers.get("x-csrf-token") or (form or {}).get("csrf", ""))
        key = _claimed(request, ctx, form or {})
        ctx.files = {}
        try:
            yield ctx
        except BaseException:
            if key:
                once.give_back(ctx, key)
            raise
        finally:
            if key:
                once.through(ctx, key)


def _claimed(request: Request, ctx: Context, form: dict[str, str]) -> str:
    """The key under which a form is taken once ("" for what carries none). Raises SentAlready."""
    named = request.headers.get("x-once", "")
    if "hx-request" in request.headers:
        if not named:
            return ""
        key = once.key_of(ctx, request.url.path, [("x-once", named)], "")
    elif form.get("once"):
        said = sorted((name, value) for name, value in form.items() if name != "csrf")
        key = once.key_of(ctx, request.url.path, said, request.headers.get("content-length", ""))
    else:
        return ""
    if not once.claim(ctx, key):
        raise SentAlready(own_page(request.headers.get("referer", ""), request.url.netloc))
    request.state.once = key
    return key


def not_taken(request: Request, ctx: Context) -> None:
    """A form that was refused did nothing: it may be sent once more as it is."""
    key = getattr(request.state, "once", "")
    if key:
        once.give_back(ctx, key)


def own_page(address: str, host: str = "") -> str:
    """The path of a page of ours, from an address that a browser told; the day sheet for any other."""
    try:
        parts = urlsplit(address)
    except ValueError:
        return "/"
    inside = parts.path.startswith("/") and not parts.path.startswith(("//", "/\\")) and parts.netloc in ("", host)
    return urlunsplit(("", "", parts.path, parts.query, "")) if inside and "\\" not in address else "/"


def check_token(expected: str, given: str) -> None:
    """Raises Denied unless the token is the one."""
    if not hmac.compare_digest(expected.encode(), given.encode()):
        raise Denied("This page is out of date. Load it again, then repeat what you did.")


def visitor_token(request: Request) -> str:
    """The CSRF token of somebody who is not signed in yet: their cookie's own, or a new one."""
    return request.cookies.get("visitor") or uuid4().hex


class Headers:
    """Adds the security headers; pages are never kept by a cache."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """ASGI."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        cache = _kept_for(scope)

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                add_headers(message, cache)
            await send(message)

        await self.app(scope, receive, with_headers)


def add_headers(message: MutableMapping[str, Any], cache: bytes) -> None:
    """The headers of one response."""
    message["headers"] = [*message.get("headers", []), *HEADERS, (b"cache-control", cache)]


def _kept_for(scope: Scope) -> bytes:
    """How long an answer may be kept: a static file under its hash for ever; one that another file names is asked for
    again.
    """
    if not scope["path"].startswith("/static/"):
        return b"no-store"
    forever = scope["query_string"].startswith(b"v=") or scope["path"].endswith(".woff2")
    return b"public, max-age=31536000, immutable" if forever else b"no-cache"
