"""The bench: calculations by themselves, modalities tried; every change computes everything anew."""

from typing import Any, get_args
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.bench.catalogue import CALCULATIONS
from merak.core.knowledge import About, about
from merak.core.modality.muscle_stimulation import layout
from merak.services.context import Context
from merak.services.studio import bench
from merak.services.studio.rule_book import all_zones
from merak.web.limbs import limbs, told
from merak.web.pages import blocks, go, page
from merak.web.plot import plot

router = APIRouter(prefix="/bench")
#: The order of the shelf.
GROUPS: tuple[str, ...] = get_args(About.model_fields["group"].annotation)


def _shelves(ctx: Context, visit: str, here: str) -> dict[str, Any]:
    """Both shelves by group, and whose plan is open."""
    calculations: dict[str, list[tuple[str, str]]] = {}
    for one in CALCULATIONS.values():
        calculations.setdefault(one.group, []).append((one.id, one.title))
    modalities: dict[str, list[tuple[str, str]]] = {}
    for words in sorted(about().values(), key=lambda one: GROUPS.index(one.group)):
        modalities.setdefault(words.group.capitalize(), []).append((words.id, words.title))
    whose = bench.client_of(ctx, UUID(visit)) if visit else ""
    return {"calculations": calculations, "modalities": modalities, "visit_id": visit, "whose": whose, "here": here}


def _visit(text: str) -> str:
    """A visit's id, "" for anything that is none."""
    try:
        return str(UUID(text)) if text else ""
    except ValueError:
        return ""


def _open_plan(form: dict[str, str]) -> UUID | None:
    """The visit whose plan is open."""
    visit = _visit(form.get("visit", ""))
    return UUID(visit) if visit else None


@router.get("")
def shelf(request: Request, visit: str = "") -> Response:
    """The first calculation."""
    return go(f"/bench/{next(iter(CALCULATIONS))}" + (f"?visit={_visit(visit)}" if _visit(visit) else ""))


@router.get("/modality/{name}")
def modality_page(request: Request, name: str, visit: str = "", machine: str = "") -> Response:
    """A modality tried on a described skin."""
    with entered(request) as ctx:
        trial = bench.tried(ctx, name, {"machine": machine} if machine else {})
        return page(request, ctx, "bench/modality.html", **_tried(trial), **_shelves(ctx, _visit(visit), name))


@router.post("/modality/{name}")
def modality_again(request: Request, name: str, form: Form) -> Response:
    """The same with other settings, or with start values for another skin or machine."""
    with entered(request, form) as ctx:
        trial = bench.tried(ctx, name, form)
        shelves = _shelves(ctx, _visit(form.get("visit", "")), name)
        if "hx-request" not in request.headers:
            return page(request, ctx, "bench/modality.html", **_tried(trial), **shelves)
        refitted = form.get("again") == "yes" or form.get("fitted") != trial.fitted
        names: tuple[str, ...] = ("answer", "settings") if refitted and not trial.wrong else ("answer", "slips")
        if request.headers.get("x-changed") == "zone":  # a zone brings its own bone, thin skin and area
            names = (*names, "skin")
        return blocks(request, ctx, "bench/modality.html", names, **_tried(trial), **shelves)


def _tried(trial: bench.Trial) -> dict[str, Any]:
    site = next((one.value for one in trial.settings if one.name == "settings.limb"), "")
    session = next((one.value for one in trial.settings if one.name == "settings.session"), "")
    crossed = site == "thigh" and session == "1"
    pads = layout("arm" if site == "arm" else "thigh", "crossed" if crossed else "parallel") if site else ()
    zones = [("", "as described below"), *((zone, zone) for zone in all_zones())]
    return {
        "zones": zones,
        "modality": True,
        "trial": trial,
        "pads": pads,
        "limbs": limbs(pads),
        "pads_told": told(pads),
        "usable": trial.dose is not None and not trial.slips,
    }


@router.post("/modality/{name}/use")
def modality_use(request: Request, name: str, form: Form) -> Response:
    """Takes the settings into the plan that is open."""
    with entered(request, form) as ctx:
        bench.use_trial(ctx, _open_plan(form), name, form)
        return go(f"/visits/{form['visit']}/plan")


@router.get("/{name}")
def calculation_page(request: Request, name: str, visit: str = "") -> Response:
    """A calculation."""
    with entered(request) as ctx:
        return page(
            request,
            ctx,
            "bench/calculation.html",
            **_laid(bench.laid_out(ctx, name)),
            **_shelves(ctx, _visit(visit), name),
        )


@router.post("/{name}")
def calculate(request: Request, name: str, form: Form) -> Response:
    """The same with other fields."""
    with entered(request, form) as ctx:
        found = bench.laid_out(ctx, name, form)
        shelves = _shelves(ctx, _visit(form.get("visit", "")), name)
        if "hx-request" not in request.headers:
            return page(request, ctx, "bench/calculation.html", **_laid(found), **shelves)
        return blocks(request, ctx, "bench/calculation.html", ("answer", "slips"), **_laid(found), **shelves)


def _laid(found: bench.Bench) -> dict[str, Any]:
    drawn = [plot(curve) for curve in found.answer.curves] if found.answer else []
    return {
        "modality": False,
        "found": found,
        "plots": drawn,
        "usable": bool(found.what.fills) and found.answer is not None and not found.slips,
    }


@router.post("/{name}/use")
def use(request: Request, name: str, form: Form) -> Response:
    """Takes what was found into the plan that is open."""
    with entered(request, form) as ctx:
        bench.use(ctx, _open_plan(form), name, form)
        return go(f"/visits/{form['visit']}/plan")
