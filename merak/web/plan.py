"""Plan: proposals, the strip in time, every change computed anew, consent, what a senior allows, the tray list."""

from base64 import b64encode
from collections.abc import Sequence
from functools import partial
from typing import Any, NamedTuple
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import Response

from merak.auth import Form, entered
from merak.core.after.differences import clock
from merak.core.body.marks import Mark
from merak.core.body.plate import GROUPS, PLATES, SIDES, sided, where_words, zone_names
from merak.core.body.strokes import EVERY_PATH
from merak.core.body.treatable import BESIDE
from merak.core.knowledge import about, conditions, mark_kinds, methods, usual_work
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import scale_of
from merak.core.plan.brief import Brief, plates_of, workable
from merak.core.plan.fitting import Clash, title
from merak.core.plan.places import strokes_over
from merak.core.plan.screening import housekeeping, questions
from merak.core.plan.stage import Stage
from merak.core.plan.step import Step
from merak.exchange.pdf import pdf
from merak.services.context import Context, NotFound
from merak.services.forms import Shown, shown, texts
from merak.services.permission import may
from merak.services.visit import allowing, consenting, planning, routines, trays
from merak.web.drawing import Drawing, draw, ink_marks
from merak.web.lanes import lanes
from merak.web.pages import ENV, STATIC, blocks, go, page, phase_context

needs(
    __name__,
    """
    words: budget.load plan.price plan.slot
    """,
)

router = APIRouter(prefix="/visits/{visit_id}")
KIND_WORDS = {"gentle": "Gentle", "balanced": "Balanced", "strongest": "Strongest allowed today"}


def _context(ctx: Context, planned: planning.Planned, changed: str = "", whole: bool = True) -> dict[str, Any]:
    """What the page's blocks need; what only the whole page shows is left out where only some of
    them are drawn anew.
    """
    file = planned.file
    slot = min(file.brief.facts.slot, file.brief.facts.wish.minutes or file.brief.facts.slot)
    clashing = {one for clash in planned.computed.clashes for one in clash.steps}
    wrong = {*planned.computed.stopped, *(key.partition(".")[0] for key in planned.slips)}
    trouble = {*clashing, *(step.id for step in planned.plan.steps if wrong & {one.id for one in step.stages})}
    in_time = lanes(planned.computed.spans, planned.computed.seconds, trouble, planned.step.id if planned.step else "")
    consents = (
        {"wordings": consenting.wordings(planned.plan), "guardian": consenting.needs_guardian(file)}
        if planned.redraw or whole
        else {}
    )
    return {
        **phase_context(ctx, file, "plan"),
        "page": planned,
        "changed": changed,
        "whole": whole,
        "title_of": title,
        "keys": _keys(planned.computed.clashes),
        "slot": slot,
        "told": _told,
        "editable": may(ctx.me, "plan", file.visit),
        "currency": file.house.currency,
        "over": _over(planned, slot),
        "in_time": in_time,
        "number_of": {one.step: one.number for track in in_time.tracks for one in track if one.step},
        "general": consenting.GENERAL[consenting.VERSION],
        "wording_version": consenting.VERSION,
        "work_of": _work_of,
        "plates_of": partial(_plates_of, planned),
        "where_told": _where_told,
        "goes_beyond": lambda stage: about()[stage.modality].beyond,
        "groups_of": _groups_of,
        "sides": SIDES,
        "parts_of": _parts_of,
        "strokes_over": _strokes_over,
        "usual_work": usual_work(),
        "housekeeping": housekeeping(),
        "halves": {one.id for one in planned.plan.stages if MODALITIES[one.modality].WAYS.halves},
        "lined": {act.stage for act in planned.computed.acts if act.lines},
        "twins_of": {f"{planned.stage.id}.{name}" for name in _twins(planned.stage)} if planned.stage else set(),
        **consents,
        **(_whole(ctx, planned) if whole else {}),
    }


def _keys(clashes: Sequence[Clash]) -> list[tuple[str, str]]:
    """(operation, words) of the key beside each clash that puts it right, once for each stage; "" without."""
    keys = []
    for n, clash in enumerate(clashes):
        works = [title(one.mend).lower() for one in clashes if one.mend and one.stage == clash.stage]
        mends = bool(clash.mend) and all(one.stage != clash.stage for one in clashes[:n] if one.mend)
        lays = bool(clash.lay) and all(one.stage != clash.stage for one in clashes[:n] if one.lay)
        off = bool(clash.off) and all(one.stage != clash.stage for one in clashes[:n] if one.off)
        said = (
            (mends, ("mend", f"{', '.join(works)} first".capitalize())),
            (lays, ("lay", f"Lay {clash.lay}")),
            (off, ("off", "Keep it off that skin")),
        )
        keys.append(next((key for holds, key in said if holds), ("", "")))
    return keys


def _whole(ctx: Context, planned: planning.Planned) -> dict[str, Any]:
    file, in_plan = planned.file, {one.modality for one in planned.plan.stages}
    return {
        "scale_of": partial(_scale, planned),
        "hosts_of": partial(planning.hosts, planned),
        "machines_of": partial(planning.machines_for, planned),
        "main_of": partial(_main, planned),
        "area_of": partial(_area, planned),
        "programmes_of": partial(planning.programmes_for, ctx),
        "more_of": planning.more_for,
        "splits_of": partial(planning.splits_for, planned),
        "how_told": _how_told,
        "may_keep": may(ctx.me, "keep routines"),
        "time_of": partial(_time, planned),
        "paths": EVERY_PATH,
        "addable": planning.addable(planned),
        "gap": None,
        "KIND_WORDS": KIND_WORDS,
        "unanswered": len(
            [q for q in questions(file.previous is not None, file.brief.offered) if q.id not in file.answers]
        ),
        "CONDITIONS": conditions(),
        "hours": consenting.hours,
        "routines": routines.suggested(ctx, file.brief),
        "methods_for": [m for m in methods().values() if any(not s.on or in_plan & set(s.on) for s in m.schools)],
    }


def _told(stage: Stage, placed: bool = True) -> str:
    """What a stage is set to, in a line: its strength, how often, how it is done; if `placed` how long, and where."""
    module = MODALITIES[stage.modality]
    shown_ = {one.name: one for one in shown(module.Settings, texts(stage.settings))}
    told = ("kind", "colour", "acid", module.INCREMENT.field, "minutes", "passes", "rounds", "repeats")
    parts = [_said(shown_[n]) for n in dict.fromkeys(told) if n in shown_ and (placed or n != "minutes")]
    where = _where_told(stage) if placed else ""
    return "; ".join(filter(None, [", ".join(parts), where]))


def _gap(planned: planning.Planned, after: str) -> dict[str, Any]:
    """The step after which something is added, and what that may be; nothing where the plan has no such step."""
    step = next((one for one in planned.plan.steps if one.id == after), None)
    return {"gap": step, "addable": planning.addable(planned, between=True)} if step else {}


def _over(planned: planning.Planned, slot: float) -> set[str]:
    """The totals that are past their limit."""
    rules = {clash.rule for clash in planned.computed.clashes}
    limits = {"visit.minutes": "plan.slot", "visit.price": "plan.price", "visit.load": "budget.load"}
    return {key for key, rule in limits.items() if rule in rules}


def _twins(stage: Stage) -> tuple[str, ...]:
    """A setting and what it is told by as well."""
    twin = MODALITIES[stage.modality].WAYS.twin
    return (twin.field, twin.name) if twin else ()


def _scale(planned: planning.Planned, stage: Stage) -> str:
    machine = planned.file.brief.machine(stage.modality, stage.machine)
    return scale_of(machine.card) if machine else ""


class PlateChoice(NamedTuple):
    """A plate that a stage may lie on: what it is called, its zones with what is open of each in cm² (0: closed), those
    that it is on, each side by itself, and its drawing, whose ground the page lends to what is drawn often; whether the
    stage goes to parts that are `drawn` on it instead.
    """

    name: str
    title: str
    zones: dict[str, float]
    worked: frozenset[str]
    drawing: Drawing
    lent: bool = False
    drawn: bool = False

    @property
    def cm2(self) -> float:
        """All that is open."""
        return sum(self.zones.values())


def _plates_of(planned: planning.Planned, stage: Stage | None) -> tuple[PlateChoice, ...]:
    """The plates of a stage's work, the one that it usually lies on first; all that are worked where none is open."""
    brief = planned.file.brief
    if stage is None:
        there = {plate for one in planned.plan.stages for plate in plates_of(one.zones, one.modality)} | {"face"}
        return tuple(_bare_plate(brief, name) for name in PLATES if name in there)
    worked, usual = stage.zones or planned.computed.zones.get(stage.id, {}), brief.area(usual_work())
    drawn = {mark.plate for mark in brief.facts.marks if mark.id in stage.parts}
    found = []
    for name in about()[stage.modality].plates:
        beside = BESIDE - {*about()[stage.modality].also}
        names = tuple(zone for zone in zone_names(name) if zone not in beside)
        able = workable(brief, stage.modality, names)
        area = brief.own_area(stage.modality, name)
        zones = {zone: able.get(zone, 0) for zone in names}
        on = frozenset() if name in drawn else sided(worked) & sided(zones)
        found.append(PlateChoice(name, PLATES[name].title, zones, on, draw(area), area is usual, name in drawn))
    return tuple(found)


def _bare_plate(brief: Brief, name: str) -> PlateChoice:
    """A plate where no stage is open: what may be treated on it with what is usual."""
    drawing = draw(brief.area(usual_work(), name))
    return PlateChoice(name, PLATES[name].title, {}, frozenset(), drawing, lent=name == "face")


def _where_told(stage: Stage) -> str:
    """Where a stage goes, in a few words; "" where it goes everywhere and nowhere else."""
    if stage.how.where == "worked":
        return "all that is worked"
    named = [area.name for area in stage.beyond if area.name not in stage.zones]
    zones = [where_words(stage.zones)] if stage.zones or named else []
    seen = [f"where seen, at most {stage.how.most_cm2:g} cm²" if stage.how.most_cm2 else "where seen"]
    drawn = [f"{len(stage.parts)} drawn part{'s' * (len(stage.parts) > 1)}"] if stage.parts else []
    return ", ".join([*zones, *drawn, *named, *(seen if stage.how.where == "chair" else [])])


def _strokes_over(planned: planning.Planned, stage: Stage, plate: str) -> tuple[tuple[tuple[float, float], ...], ...]:
    """How a stage is gone over on a plate, as its laying says; one that follows the visit where it really goes."""
    if stage.how.where == "worked":
        stage = stage.model_copy(update={"zones": tuple(planned.computed.zones.get(stage.id, ()))})
    return dict(strokes_over(planned.file.brief, stage)).get(plate, ())


class PartChoice(NamedTuple):
    """What is marked on a plate and a stage may go to alone: what and where it is, how much of it is open, its outline
    on the drawing.
    """

    id: str
    words: str
    cm2: float
    plate: str
    d: str
    chosen: bool


def _may_be_worked(mark: Mark) -> bool:
    """Whether a mark is of a kind that work may be meant for."""
    kind = mark_kinds()[mark.kind]
    return not kind.measured and not kind.keeps_out


def _parts_of(planned: planning.Planned, stage: Stage) -> tuple[PartChoice, ...]:
    """What is marked on the plates of a stage's work, but for readings and what keeps work off."""
    brief, found = planned.file.brief, []
    for name in about()[stage.modality].plates:
        marks = tuple(one for one in brief.facts.marks if one.plate == name and _may_be_worked(one))
        for one in ink_marks(marks, brief.whole(name).plate) if marks else ():
            cm2 = sum(workable(brief, stage.modality, (), (one.mark.id,)).values())
            words = f"{one.mark.words}, {one.zone}"
            found.append(PartChoice(f"{one.mark.id}", words, cm2, name, one.d, one.mark.id in stage.parts))
    return tuple(found)


def _groups_of(stage: Stage) -> tuple[str, ...]:
    """The named groups of zones that a stage may go to as a whole."""
    own = {zone for name in about()[stage.modality].plates for zone in zone_names(name)}
    return ("everywhere", *(name for name, members in GROUPS.items() if set(members) <= own))


def _work_of(stage: Stage | None) -> str:
    """The plate's name for a stage's work."""
    return (about()[stage.modality].work if stage else "") or usual_work()


def _main(planned: planning.Planned, step: Step) -> str:
    """A step's time, for the list."""
    span = next((one for one in planned.computed.spans if one.step == step.id), None)
    return "stopped" if span is None else f"{span.seconds // 60}:{span.seconds % 60:02d}"


def _said(one: Shown) -> str:
    """A setting in a word or two: a choice and a time speak for themselves."""
    if one.kind == "choice":
        return one.value
    return f"{'' if one.unit == 'min' else one.label.lower()} {one.value} {one.unit}".strip()


def _how_told(stage: Stage) -> str:
    """How a stage is worked, in a line."""
    how = stage.how
    clock_ = f"{how.clock} {how.most_min or how.least_min or 0:g} min" if how.clock else ""
    return ", ".join(filter(None, (how.product, how.laying, "half by half" if how.half else "", clock_, how.ends)))


def _time(planned: planning.Planned, stage: Stage) -> str:
    """A stage's time, for its row."""
    seconds = planned.computed.times.get(stage.id)
    return "stopped" if seconds is None else clock(seconds)


def _area(planned: planning.Planned, stage: Stage) -> str:
    """How much skin a stage works on, for its row."""
    areas = planned.computed.zones.get(stage.id)
    return f"{sum(areas.values()):.0f} cm²" if areas else ""


@router.get("/plan")
def plan_page(request: Request, visit_id: UUID, step: str = "", propose: str = "", after: str = "") -> Response:
    """The plan; with what may be added right `after` a step, where one is named."""
    with entered(request) as ctx:
        planned = planning.planned(ctx, visit_id, step, propose == "yes")
        ctx.note_reading(visit_id)
        return page(request, ctx, "plan/page.html", **{**_context(ctx, planned), **_gap(planned, after)})


@router.post("/plan/routine")
def take_routine(request: Request, visit_id: UUID, form: Form) -> Response:
    """A routine of the house, fitted to this client."""
    with entered(request, form) as ctx:
        routines.fit(ctx, visit_id, form.get("routine", ""))
        return go(f"/visits/{visit_id}/plan")


@router.post("/plan/keep-routine")
def keep_routine(request: Request, visit_id: UUID, form: Form) -> Response:
    """This plan is kept as a routine of the house."""
    with entered(request, form) as ctx:
        step, name = form.get("step", ""), form.get("name", "").strip()
        routines.keep(ctx, visit_id, name, step)
        kind = "programme" if step else "routine"
        return go(f"/visits/{visit_id}/plan" + (f"?step={step}" if step else ""), f"Kept as the {kind} {name}.")


@router.post("/plan/{op}")
def change(request: Request, visit_id: UUID, op: str, form: Form) -> Response:
    """One change: everything follows from it anew."""
    with entered(request, form) as ctx:
        changed = request.headers.get("x-changed", "") if op == "set" else ""
        planned = planning.edit(
            ctx, visit_id, op, {**form, "changed": changed, "page": request.headers.get("x-page", "")[:40]}
        )
        if "hx-request" not in request.headers:
            if planned.refusal:
                return page(request, ctx, "plan/page.html", 409, **_context(ctx, planned))
            return go(f"/visits/{visit_id}/plan" + (f"?step={planned.chosen}" if planned.step else ""))
        if op == "set" and not planned.refusal:
            drawn = ("plate",) if ".path." in changed or changed.endswith((".place", ".limb")) else ()
            names = ("totals", *sorted(planned.redraw), *drawn, "numbers", "slips")
            return blocks(request, ctx, "plan/page.html", names, **_context(ctx, planned, changed, whole=False))
        answer = blocks(request, ctx, "plan/page.html", ("all",), **_context(ctx, planned))
        if op == "set":  # somebody else was there first: the whole page is drawn anew
            answer.headers["hx-retarget"], answer.headers["hx-reswap"] = "#plan", "outerHTML"
        return answer


@router.post("/consent")
def consent(request: Request, visit_id: UUID, form: Form) -> Response:
    """The client agrees, or does not."""
    with entered(request, form) as ctx:
        try:
            consenting.consent(ctx, visit_id, form, form.get("shown", ""))
        except consenting.NotAsShown as changed:
            return page(request, ctx, "plan/page.html", 409, **_context(ctx, changed.page))
        return go(f"/visits/{visit_id}/treat" if form.get("agreed") == "yes" else f"/visits/{visit_id}/plan")


@router.get("/consent.pdf")
def consent_pdf(request: Request, visit_id: UUID) -> Response:
    """The words of consent, to be read, signed and filed."""
    with entered(request) as ctx:
        sheet = consenting.consent_sheet(ctx, visit_id)
        ctx.note_reading(visit_id)
        picture = f"data:image/png;base64,{b64encode(sheet.signature).decode()}" if sheet.signature else ""
        html = ENV.get_template("plan/consent_pdf.html").render(
            sheet=sheet,
            studio=ctx.studio,
            general=consenting.GENERAL[consenting.VERSION],
            version=consenting.VERSION,
            picture=picture,
            guardian=consenting.needs_guardian(sheet.file),
            start=sheet.file.visit.starts_at.astimezone(ctx.zone),
        )
        return Response(
            pdf(html, STATIC),
            media_type="application/pdf",
            headers={"content-disposition": 'inline; filename="consent.pdf"'},
        )


@router.get("/tray")
def tray(request: Request, visit_id: UUID) -> Response:
    """What has to lie ready: to be ticked, and printed."""
    with entered(request) as ctx:
        found = trays.tray(ctx, visit_id)
        ctx.note_reading(visit_id)
        return page(request, ctx, "plan/tray.html", tray=found, **phase_context(ctx, found.file, "plan"))


@router.post("/allow")
def allow(request: Request, visit_id: UUID, form: Form) -> Response:
    """A senior's word."""
    with entered(request, form) as ctx:
        allowing.allow(ctx, visit_id, form)
        return go(f"/visits/{visit_id}/{'ask' if form.get('back') == 'ask' else 'plan'}")


@router.post("/allow/{number}/withdraw")
def withdraw(request: Request, visit_id: UUID, number: int, form: Form) -> Response:
    """A senior takes a word back."""
    with entered(request, form) as ctx:
        allowing.withdraw(ctx, visit_id, number)
        return go(f"/visits/{visit_id}/plan")


@router.get("/plan/working/{key}")
def working(request: Request, visit_id: UUID, key: str) -> Response:
    """How one number came about."""
    with entered(request) as ctx:
        found = planning.planned(ctx, visit_id).computed.numbers
        if key not in found:
            raise NotFound("There is no such number in this plan.")
        return blocks(request, ctx, "plan/working.html", ("working",), quantity=found[key])
