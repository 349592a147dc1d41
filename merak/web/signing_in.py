"""Sign-in, sign-out, set-up, theme."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import COOKIE, Form, check_token, entered, own_page, visitor_token
from merak.core.errors import BadInput
from merak.services.studio import practice, signing_in
from merak.web.pages import THEMES, go, page

router = APIRouter()


def _visitor_page(request: Request, template: str, status: int = 200, **context: object) -> Response:
    """A page for somebody not signed in; its form carries a token that matches a cookie."""
    token = visitor_token(request)
    shown = page(request, None, template, status, visitor=token, **context)
    shown.set_cookie("visitor", token, httponly=True, samesite="strict")
    return shown


@router.get("/sign-in")
def sign_in_page(request: Request, next: str = "/") -> Response:
    """The sign-in page; before there is a studio, the set-up page."""
    if not practice.is_set_up():
        return go("/set-up")
    return _visitor_page(request, "sign_in/page.html", next=next, login="", wrong="")


@router.post("/sign-in")
def sign_in(request: Request, form: Form) -> Response:
    """Signs in and goes on to where one was going."""
    check_token(request.cookies.get("visitor", "-"), form.get("csrf", ""))
    onward = own_page(form.get("next", "/"))
    address = request.client.host if request.client else ""
    try:
        token = signing_in.sign_in(form.get("login", ""), form.get("password", ""), address)
    except signing_in.SignInFailed as failed:
        return _visitor_page(
            request, "sign_in/page.html", 422, next=onward, login=form.get("login", ""), wrong=str(failed)
        )
    through = go(onward)
    secure = request.url.scheme == "https"
    through.set_cookie(
        COOKIE, token, httponly=True, samesite="lax", secure=secure, max_age=int(signing_in.LASTS.total_seconds())
    )
    return through


@router.post("/sign-out")
def sign_out(request: Request, form: Form) -> Response:
    """Signs out."""
    with entered(request, form) as ctx:
        signing_in.sign_out(ctx, request.cookies.get(COOKIE, ""))
    through = go("/sign-in")
    through.delete_cookie(COOKIE)
    return through


#: What the first owner says: (field, label, type).
FIRST_OWNER = (
    ("code", "One-time code", "text"),
    ("studio", "Name of the studio", "text"),
    ("time_zone", "Time zone, as Europe/Lisbon", "text"),
    ("name", "Your name", "text"),
    ("login", "Your sign-in name", "text"),
    ("password", "Password, 10 characters or more", "password"),
)


@router.get("/set-up")
def set_up_page(request: Request) -> Response:
    """The first owner's page."""
    if practice.is_set_up():
        return go("/sign-in")
    return _visitor_page(request, "set_up/page.html", FIRST_OWNER=FIRST_OWNER, form={}, wrong={})


@router.post("/set-up")
def set_up(request: Request, form: Form) -> Response:
    """Makes the studio."""
    check_token(request.cookies.get("visitor", "-"), form.get("csrf", ""))
    try:
        practice.set_up(form)
    except BadInput as bad:
        return _visitor_page(request, "set_up/page.html", 422, FIRST_OWNER=FIRST_OWNER, form=form, wrong=bad.fields)
    return go("/sign-in")


@router.post("/theme")
def theme(request: Request, form: Form) -> Response:
    """Light or dim, kept in this browser."""
    back = go(own_page(form.get("back", "/")))
    back.set_cookie(
        "theme", form["theme"] if form.get("theme") in THEMES else "light", max_age=31536000, samesite="lax"
    )
    return back
