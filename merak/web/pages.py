"""Rendering: templates, blocks of them for htmx, and the words for dates."""

import hashlib
import re
from datetime import date, datetime
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import quote, unquote
from uuid import uuid4
from zoneinfo import ZoneInfo

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from jinja2_fragments import render_block
from markupsafe import Markup, escape

from merak.auth import not_taken
from merak.core.after.aftercare import SheetLine
from merak.core.after.differences import clock
from merak.core.knowledge import aspects, cited, printed
from merak.core.knowledge.own import edition_words
from merak.core.plan.fitting import title
from merak.exchange.language import moment, said
from merak.exchange.letters import dated
from merak.services.context import Context
from merak.services.permission import Sealable, rights
from merak.services.studio import own_rules
from merak.services.visit.file import SENIORS, STAGES, VisitFile
from merak.web.drawing import HATCHES, HEAD_VIEWS, SIGNS, draw, head_told, polyline, rings, strings, strokes
from merak.web.lanes import lanes
from merak.web.sheet_signs import SHEET_SIGNS

HERE = Path(__file__).parent
STATIC = HERE / "static"
THEMES = ("light", "dim")


def day_words(moment: date | datetime) -> str:
    """ "Tue 24 Nov"."""
    return f"{moment:%a %-d %b}"


def moment_words(moment: datetime) -> str:
    """ "Tue 24 Nov, 18:00"."""
    return f"{moment:%a %-d %b, %H:%M}"


#: How htmx answers: what is wrong with a form is shown where it is (422), other trouble in its own place.
HTMX = {
    "includeIndicatorStyles": False,
    "allowEval": False,
    "selfRequestsOnly": True,
    "historyCacheSize": 0,
    "responseHandling": [
        {"code": "204", "swap": False},
        {"code": "[23]..", "swap": True},
        {"code": "422", "swap": True},
        {"code": "[45]..", "swap": True, "target": "#trouble", "error": True},
    ],
}
#: Paper, ink, note, rule, now, stop, skin as literal colours, for a drawing that leaves the page; by whether it is dim.
INKS = {
    False: ("#ffffff", "#1d2328", "#4f4939", "#8d8168", "#08514f", "#96190f", "#fcf9f1"),
    True: ("#181713", "#efe8d8", "#c3b9a4", "#857b66", "#7fd0c5", "#ff9d8a", "#211f1a"),
}
_LINK = re.compile(r"(?:https?://[^\s/]+)?(/answer/[\w-]+)")


def letter(words: str) -> Markup:
    """A message as it is read, with the client's secret address to be followed."""
    return Markup(_LINK.sub(lambda found: f'<a href="{found[1]}" rel="noreferrer">{found[0]}</a>', str(escape(words))))  # noqa: S704 (escaped before)


def kept_moment(kept: str, zone: ZoneInfo) -> str:
    """A moment as it was kept (ISO), in the studio's time: "Tue 24 Nov, 18:00"."""
    return moment_words(datetime.fromisoformat(kept).astimezone(zone))


@cache
def asset(name: str) -> str:
    """The address of a static file, with its content's hash, so that it may be kept for ever."""
    return f"/static/{name}?v={hashlib.sha256((STATIC / name).read_bytes()).hexdigest()[:10]}"


@cache
def parts(folder: str) -> tuple[str, ...]:
    """The addresses of the modules of a folder, as they name each other: to be asked for at once and not one behind the
    other.
    """
    return tuple(f"/static/{path.relative_to(STATIC)}" for path in sorted((STATIC / folder).glob("*.js")))


def named_all(names: str) -> str:
    """Modalities and aspects joined by strokes, as they are called on screen."""
    return " and ".join(
        aspects()[name].words if name in aspects() else title(name) for name in names.split("/") if name
    )


def _environment() -> Environment:
    env = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        auto_reload=False,
    )
    env.filters |= {
        "day": day_words,
        "moment": moment_words,
        "clock": clock,
        "kept_moment": kept_moment,
        "letter": letter,
        "minutes": lambda seconds: f"{seconds / 60:.0f}",
        "percent": lambda share, digits=0: f"{100 * share:.{digits}f} %",
        "cm2": lambda mm2: f"{mm2 / 100:.1f}",
        "grades": lambda most: range(most + 1),
        "counted": lambda many: range(1, many + 1),
        "dot": lambda width: f"{width * 0.012:.1f}",  # a landmark on a photograph of that width
        "polyline": polyline,
        "rings": rings,
        "strings": strings,
        "title_of": title,
        "named_all": named_all,
        "named": lambda name, names: names.get(name, name),
        "printed": printed,
        "rule_place": own_rules.place,
        "rule_named": own_rules.named,
        "cited": cited,
        "edition_words": edition_words,
    }
    env.globals |= {
        "asset": asset,
        "parts": parts,
        "cited": cited,
        "draw": draw,
        "strokes": strokes,
        "STAGES": STAGES,
        "HATCHES": HATCHES,
        "head_told": head_told,
        "HEAD_VIEWS": HEAD_VIEWS,
        "HTMX": HTMX,
        "KEYS": ": arrows move a step, plus and minus lengthen it, Delete removes it",
        "STAGE_KEYS": ": arrows move a stage, plus and minus lengthen it, a repeats it, Delete leaves it out",
        "lanes": lanes,
        "INKS": INKS,
        "SIGNS": SIGNS,
        "SHEET_SIGNS": SHEET_SIGNS,
        "once": lambda: uuid4().hex,
        "zip": zip,
        "named_tips": lambda card: [(tip.name, tip.name) for tip in card.tips],
        "named_machines": lambda machines: [(key, card.name) for key, card in machines],
    }
    env.globals["m"] = env.get_template("macros.html").module  # fragments are rendered without the page around them
    env.globals["drawn"] = env.get_template("drawn.html").module
    env.globals["signs"] = env.get_template("signs.html").module
    return env


ENV = _environment()


class Translation:
    """The client's language in a template: words, moments, when a line holds."""

    def __init__(self, language: str) -> None:
        self.language = language

    def __call__(self, text: str, **values: object) -> str:
        """A text in this language."""
        return said(self.language, text, **values)

    def moment(self, when: datetime) -> str:
        """A day and a time."""
        return moment(when, self.language)

    def dated(self, line: SheetLine, ended: datetime) -> str:
        """When a line holds; with its beginning where that is after the visit `ended`."""
        return dated(line, self.language, line.start > ended)


def page(request: Request, ctx: Context | None, template: str, code: int = 200, **context: Any) -> HTMLResponse:
    """A whole page. One that refuses says that its form was not taken."""
    if ctx is not None and code >= 400:
        not_taken(request, ctx)
    shown = HTMLResponse(
        ENV.get_template(template).render(**{**_common(request, ctx, context.get("visit")), **context}), code
    )
    if "said" in request.cookies:
        shown.delete_cookie("said")
    return shown


def blocks(
    request: Request, ctx: Context, template: str, names: tuple[str, ...], code: int = 200, **context: Any
) -> HTMLResponse:
    """Named blocks of a page, one after the other: the first is swapped in, the rest say themselves where they go."""
    if code >= 400:
        not_taken(request, ctx)
    common = {**_common(request, ctx, context.get("visit")), **context, "fragment": True}
    return HTMLResponse("".join(render_block(ENV, template, name, **common) for name in names), code)


def _common(request: Request, ctx: Context | None, thing: Sealable | None = None) -> dict[str, Any]:
    """What every page shows. `can` is what this person may do with what is shown, `ever` with anything."""
    theme = request.cookies.get("theme", "light")
    return {
        "request": request,
        "ctx": ctx,
        "me": ctx.me if ctx else None,
        "can": rights(ctx.me, thing) if ctx else {},
        "ever": rights(ctx.me) if ctx else {},
        "senior": ctx is not None and ctx.me.role in SENIORS,
        "csrf": ctx.me.csrf if ctx else "",
        "theme": theme if theme in THEMES else "light",
        "fragment": False,
        "notice": unquote(request.cookies.get("said", ""))[:200],
    }


def phase_context(ctx: Context, file: VisitFile, phase: str) -> dict[str, Any]:
    """What every phase's page shows: whose visit it is, and the line of phases."""
    return {"file": file, "visit": file.visit, "phase": phase, "start": file.visit.starts_at.astimezone(ctx.zone)}


def go(address: str, notice: str = "") -> Response:
    """Onward, after a form; the next page says quietly what was done."""
    onward = RedirectResponse(address, 303)
    if notice:
        onward.set_cookie("said", quote(notice), max_age=30, httponly=True, samesite="lax")
    return onward
