"""Treat: the screen at the chair. Its taps go to the API."""

from collections.abc import Sequence
from typing import Any, NamedTuple
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.acts import Act, Cell, Part, guests_of
from merak.core.knowledge import about, halting, usual_work
from merak.core.treatment import Limits
from merak.services.context import Context
from merak.services.permission import may
from merak.services.treatment import adverse, treating
from merak.services.treatment.standing import state_of
from merak.services.visit import planning
from merak.services.visit.file import VisitFile
from merak.web.drawing import Drawing, draw, head_told
from merak.web.pages import go, page, phase_context

router = APIRouter(prefix="/visits/{visit_id}")
#: What lies on the plate is drawn by the page, and not needed to count.
DRAWN = {"lines": {"__all__": {"points"}}, "parts": {"__all__": {"outlines", "guides"}}, "cells": {"__all__": {"ring"}}}
#: On the strip no act is narrower than this many seconds.
LEAST_S = 240
#: Pages of the visit beside the chair.
ELSEWHERE = (("ask", "Ask"), ("look", "Look"), ("plan", "Plan"), ("close", "Close"), ("tray", "Tray list"))
#: Why a treatment is stopped, as buttons.
REASONS = ("pain", "heat", "a patch, blister", "client asks", "client unwell", "machine", "time is up")


class ActView(NamedTuple):
    """What of an act lies on one plate: its parts and footprints, each with its number in the act."""

    n: int
    act: Act
    parts: list[tuple[int, Part]]
    cells: list[tuple[int, Cell]]


class PlateView(NamedTuple):
    """A plate of the run, with the acts that are done on it."""

    name: str
    drawing: Drawing
    acts: list[ActView]


@router.get("/treat")
def treat_page(request: Request, visit_id: UUID) -> Response:
    """The run; before it began, what is missing or the button that begins it."""
    with entered(request) as ctx:
        file, run = treating.run_file(ctx, visit_id)
        ctx.note_reading(visit_id)
        context = phase_context(ctx, file, "treat")
        if run is None:
            planned = planning.planned(ctx, visit_id)
            missing = sorted(planning.needed_licences(planned.plan) - set(treating.my_licences(ctx)))
            today = treating.is_today(ctx, file)
            told: dict[str, Any] = {
                "missing": missing,
                "is_today": today,
                "dirty": treating.uncleaned(ctx, file, planned.plan),
            }
            return page(request, ctx, "treat/begin.html", planned=planned, **told, **context)
        return page(request, ctx, "treat/page.html", run=run, **_told(ctx, file, run), **context)


def _told(ctx: Context, file: VisitFile, run: treating.Run) -> dict[str, Any]:
    """What the page needs besides the run."""
    order = [act.model_dump(mode="json", exclude=DRAWN) for act in run.acts]
    for told, act in zip(order, run.acts, strict=True):
        told["wanted"], told["halt"], told["must_end"] = act.wanted, halting(act.modality), act.must_end
        told["cards"] = [card.title for card in adverse.cards(act.modality)]
        told["machine_name"] = next((one.card.name for one in file.machines if one.id == act.machine), "")
    mine = {"licences": treating.my_licences(ctx), "name": ctx.me.name, "senior": may(ctx.me, "override")}
    return {
        "beside": _beside(run.acts),
        "least": LEAST_S,
        "sheets": _sheets(file, run.acts),
        "head": head_told(file.findings.measures),
        "cards": adverse.cards(),
        "emergency": adverse.number_of(ctx),
        "reasons": REASONS,
        "heats": _heats(run.order.limits),
        "stop_word": _word(run.order.limits.heat_stop),
        "pains": _pains(run.order.limits),
        "ELSEWHERE": ELSEWHERE,
        "told": {
            "order": order,
            "state": state_of(run),
            "limits": run.order.limits.model_dump(mode="json"),
            "me": mine,
            "held": treating.holders(ctx),
        },
    }


class Key(NamedTuple):
    """A key of a scale: its value, what is written on it and below, and whether a tap on it halts."""

    value: float
    words: str
    means: str
    halts: bool


def _word(value: float) -> str:
    """A heat word as it is said: 3½."""
    return f"{value:g}".replace(".5", "½")


def _heats(limits: Limits) -> list[Key]:
    """The heat words, 1 warm to 4 hot."""
    means = {1: "warm", 2: "warmer", limits.heat_move: "very warm", limits.heat_stop: "stop", limits.heat_never: "hot"}
    return [Key(value, _word(value), said, value >= limits.heat_stop) for value, said in means.items()]


def _pains(limits: Limits) -> list[Key]:
    """Pain, 0 to 10, with what is done from where on."""
    means = {0: "none", limits.pain_lower: "gentler", limits.pain_stop: "stop", 10: "worst"}
    return [Key(n, f"{n}", means.get(n, ""), n >= limits.pain_stop) for n in range(11)]


def _sheets(file: VisitFile, acts: Sequence[Act]) -> list[PlateView]:
    """The plates that the treatment is done on, each with the margins of the first thing that is done there."""
    found: dict[str, PlateView] = {}
    for n, act in enumerate(acts):
        for plate in act.plates:
            if plate not in found:
                works = (about()[one.modality].work for one in acts if plate in one.plates and one.wanted)
                work = next(works, "") or usual_work()
                found[plate] = PlateView(plate, draw(file.brief.area(work, plate)), [])
            parts = [(k, part) for k, part in enumerate(act.parts) if (part.plate or act.plate) == plate]
            mine = {k for k, _ in parts}
            cells = [(k, cell) for k, cell in enumerate(act.cells) if cell.part in mine]
            found[plate].acts.append(ActView(n, act, parts, cells))
    return list(found.values())


def _beside(acts: Sequence[Act]) -> list[tuple[int, Act, list[tuple[int, Act]], int]]:
    """The second track, for each host: the room before it since the last one, the host, its guests, the room left of
    its wait.
    """
    found, room = [], 0
    for n, act in enumerate(acts):
        if act.beside is None:
            guests = [(k, acts[k]) for k in guests_of(acts, n)]
            if guests:
                left = max(1, act.seconds - sum(guest.seconds for _, guest in guests))
                found.append((max(1, room), act, guests, left))
                room = 0
            else:
                room += max(act.seconds, LEAST_S)
    if found:
        before, host, guests, left = found[-1]
        found[-1] = (before, host, guests, left + room)
    return found


@router.post("/treat/begin")
def begin(request: Request, visit_id: UUID, form: Form) -> Response:
    """Fixes the plan as the treatment's order."""
    with entered(request, form) as ctx:
        treating.begin(ctx, visit_id, form.get("another_day") == "yes", "cleaned" in form)
        return go(f"/visits/{visit_id}/treat")
