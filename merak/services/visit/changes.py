"""One change of a plan at a time: what each does to the draft that stands. Nothing is kept here."""

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field, ValidationError
from uuid_utils.compat import uuid7

from merak.core.body.plate import GROUPS, PLATES, zone_names
from merak.core.body.treatable import BESIDE
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import methods, rule
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import fits
from merak.core.modality.shared import incremented
from merak.core.modality.ways import Twin
from merak.core.plan.brief import plate_of
from merak.core.plan.draft import Draft
from merak.core.plan.fitting import rank, title
from merak.core.plan.inverse import Overtaken, taken_back
from merak.core.plan.proposals import proposals
from merak.core.plan.stage import Stage, begin
from merak.core.plan.step import Step, begin_step
from merak.core.plan.visit_plan import Plan, beside_fits, in_force
from merak.records import visits
from merak.services.context import Context
from merak.services.forms import Prefixed, TypedForm, Whole, decimal, said, shown
from merak.services.visit.file import VisitFile

needs(
    __name__,
    """
    words: plan.order plan.senior
    """,
)

#: How many changes may be taken back.
BACK = 60
TOOK_BACK, AGAIN = "took back: ", "again: "


#: Where it is kept who last touched what is no step: side, methods, the order of steps.
WHOLE = "plan"


def draft_of(file: VisitFile) -> tuple[Draft, int]:
    """The plan's draft as it stands, and its version; an empty one before anything was planned."""
    return file.body(Draft) or Draft(), file.version(Draft)


class EditForm(TypedForm):
    """One change of a plan as it is sent: what, to which step or stage of one, from which version of which page; `sent`
    holds every field as it was typed.
    """

    step: str = ""
    stage: str = ""
    kind: str = ""
    modality: str = ""
    after: str = ""
    by: str = "1"
    host: str = ""
    machine: str = ""
    side: str = ""
    method: str = ""
    school: str = ""
    group: str = ""
    zones: Annotated[dict[str, str], Prefixed("zone.")] = Field(default_factory=dict)
    changed: str = ""
    next: str | None = None
    version: Whole | None = None
    page: str = ""
    sent: Annotated[dict[str, str], Prefixed("")] = Field(default_factory=dict)

    @property
    def about(self) -> str:
        """The id of the stage that it is about; of the step where it names none, whose first stage carries it."""
        return self.stage or self.step


Op = Callable[[Context, VisitFile, Draft, EditForm], Draft]


def _with(draft: Draft, plan: Plan, what: str, **changes: Any) -> Draft:
    return draft.model_copy(update={"plan": plan, "what": what, **changes})


def _take(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A proposal becomes the plan."""
    kind = form.kind
    found = next((one for one in proposals(file.brief) if one.kind == kind), None)
    if found is None:
        raise BadInput({"kind": "There is no such proposal now. Look at the proposals again."})
    return _with(draft, with_new_ids(found.plan), f"took the {kind} proposal", typed={}, wrong={})


def _clear(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    return _with(draft, Plan(methods=draft.plan.methods), "began anew", typed={}, wrong={})


def _add(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A modality with its start values, at its place in the order. Raises Refused where screening or a machine stops
    it.
    """
    name = form.modality
    if name not in MODALITIES:
        raise BadInput({"modality": "Which treatment?"})
    of = in_force(file.brief, draft.plan)
    step = begin_step(file.brief, name, new_id(), of)
    steps = list(draft.plan.steps)
    at = next((n for n, one in enumerate(steps) if rank(one.modality, of) > rank(name, of)), len(steps))
    steps.insert(at, step)
    return _with(draft, draft.plan.model_copy(update={"steps": tuple(steps)}), f"added {title(name)}")


def _remove(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    step = draft.plan.of(form.step)
    steps = tuple(
        one.model_copy(update={"beside": ""}) if one.beside == step.id else one
        for one in draft.plan.steps
        if one.id != step.id
    )
    return _without(
        draft, step.stages, draft.plan.model_copy(update={"steps": steps}), f"removed {title(step.modality)}"
    )


def _without(draft: Draft, stages: tuple[Stage, ...], plan: Plan, what: str) -> Draft:
    """A plan that some stages are gone from, with what was typed in them."""
    gone = {one.id for one in stages}
    kept = {
        name: {key: text for key, text in getattr(draft, name).items() if key.partition(".")[0] not in gone}
        for name in ("typed", "wrong")
    }
    return _with(draft, plan, what, **kept)


def _again(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage once more, right behind it: to be set otherwise or to go elsewhere."""
    step, stage = draft.plan.of(form.about), draft.plan.stage(form.about)
    n = step.stages.index(stage) + 1
    copy = stage.model_copy(update={"id": new_id()})
    plan = draft.plan.with_step(step.model_copy(update={"stages": (*step.stages[:n], copy, *step.stages[n:])}))
    return _with(draft, plan, f"{title(stage.modality)} again")


def _leave(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage out of its step; the last of what leads it takes the step with it."""
    step, stage = draft.plan.of(form.about), draft.plan.stage(form.about)
    stages = tuple(one for one in step.stages if one.id != stage.id)
    if all(one.modality != step.modality for one in stages):
        return _remove(ctx, file, draft, form.model_copy(update={"step": step.id}))
    plan = draft.plan.with_step(step.model_copy(update={"stages": stages}))
    return _without(draft, (stage,), plan, f"left a stage of {title(step.modality)} out")


def _shift(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage to another place in its step: `after` which stage ("" first), or `by` how many places."""
    step, stage = draft.plan.of(form.about), draft.plan.stage(form.about)
    rest = [one for one in step.stages if one.id != stage.id]
    if "after" in form.sent:
        named = [n for n, one in enumerate(rest) if one.id == form.after]
        if form.after and not named:
            raise BadInput({"after": "To which place in its step?"})
        to = named[0] + 1 if form.after else 0
    elif form.by in ("1", "-1") and "by" in form.sent:
        to = min(max(step.stages.index(stage) + int(form.by), 0), len(rest))
    else:
        raise BadInput({"after": "To which place?"})
    rest.insert(to, stage)
    plan = draft.plan.with_step(step.model_copy(update={"stages": tuple(rest)}))
    return _with(draft, plan, f"moved a stage of {title(step.modality)}")


def _move(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A step to another place: `after` which step it comes ("" first), or `by` how many places it moves. Out of
    another's waiting time it comes when it is moved; what runs beside it stays beside it.
    """
    step = draft.plan.of(form.step)
    steps = [one for one in draft.plan.steps if one.id != step.id]
    if "after" in form.sent:
        to = steps.index(draft.plan.of(form.after)) + 1 if form.after else 0
    elif form.by in ("1", "-1") and "by" in form.sent:
        main = [one for one in draft.plan.steps if not one.beside or one.id == step.id]
        here = main.index(step) + int(form.by)
        if not 0 <= here < len(main):
            return draft
        to = steps.index(main[here]) + (1 if form.by == "1" else 0)
    else:
        raise BadInput({"after": "To which place?"})
    steps.insert(to, step.model_copy(update={"beside": ""}) if "after" in form.sent else step)
    return _with(draft, draft.plan.model_copy(update={"steps": tuple(steps)}), f"moved {title(step.modality)}")


def _set(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """Fields of one stage, as typed. A twin leads when it is what changed; what cannot be read is kept as typed and
    told beside it.
    """
    stage = draft.plan.stage(form.about)
    prefix = f"{stage.id}."
    model = MODALITIES[stage.modality].Settings
    texts_ = {key.removeprefix(prefix): value for key, value in form.sent.items() if key.startswith(prefix)}
    changed = form.changed.removeprefix(prefix)
    settings, wrong = dict(stage.settings), {}
    kinds = {one.name: one.kind for one in shown(model, {})}
    if kinds.get(changed) == "yes":  # an empty box is not sent
        texts_.setdefault(changed, "")
    for name, text in texts_.items():
        if name not in kinds or changed not in ("", name):
            continue
        value: Any = (
            text in ("on", "yes", "true")
            if kinds[name] == "yes"
            else decimal(text.strip())
            if kinds[name] == "number"
            else text
        )
        tried = settings | {name: value}
        problem = _misfit(stage, tried, name)
        if problem:
            wrong[name] = problem
        else:
            settings = tried
    if changed.startswith("path."):
        paths = [
            key.partition("path.")[2] for key, value in texts_.items() if key.startswith("path.") and value == "on"
        ]
        if paths:
            settings["paths"] = paths
        else:
            wrong["paths"] = "At least one line."
    twin = MODALITIES[stage.modality].WAYS.twin
    if twin and twin.name == changed:
        try:
            settings = _by_twin(file, stage, settings, twin, texts_.get(twin.name, ""))
        except BadInput as bad:
            wrong |= bad.fields
    new = stage.with_settings(settings)
    pair = {twin.field, twin.name} if twin else set()
    typed = {key: text for key, text in draft.typed.items() if not _same_field(key, prefix, texts_, changed, pair)}
    told = {key: text for key, text in draft.wrong.items() if not _same_field(key, prefix, texts_, changed, pair)}
    typed |= {prefix + name: texts_.get(name, "") for name in wrong}
    told |= {prefix + name: words for name, words in wrong.items()}
    what = _said_change(stage, new)
    return _with(draft, draft.plan.with_stage(new), what, typed=typed, wrong=told)


def _same_field(key: str, prefix: str, sent: dict[str, str], changed: str, pair: set[str]) -> bool:
    """Whether a field's old slip is answered by what was sent now; of a `pair` of twins either answers both."""
    name = key.removeprefix(prefix)
    return key.startswith(prefix) and (name == changed or (not changed and name in sent) or {name, changed} == pair)


def _misfit(stage: Stage, settings: dict[str, Any], name: str) -> str:
    """Why a value cannot be one of this field; "" when it can."""
    try:
        MODALITIES[stage.modality].Settings.model_validate(settings)
    except ValidationError as broken:
        for error in broken.errors():
            if not error["loc"] or error["loc"][0] == name:
                return said(dict(error))
    return ""


def _by_twin(file: VisitFile, stage: Stage, settings: dict[str, Any], twin: Twin, text: str) -> dict[str, Any]:
    """The setting that gives what was typed as its twin. Raises BadInput on the twin."""
    machine = file.brief.machine(stage.modality, stage.machine)
    try:
        value = float(decimal(text))
    except ValueError:
        raise BadInput({twin.name: f"“{text}” is not a number that fits here."}) from None
    set_now: Any = MODALITIES[stage.modality].Settings.model_validate(settings)
    found = getattr(set_now.twin_for(value, machine.card if machine else None), twin.field)
    problem = _misfit(stage, settings | {twin.field: found}, twin.field)
    if problem:
        raise BadInput({twin.name: f"That would be {found:g} {twin.field}. {problem}"})
    return settings | {twin.field: found}


def _said_change(before: Stage, after: Stage) -> str:
    """What changed in a stage, in words."""
    model = MODALITIES[before.modality].Settings
    old = model.model_validate(before.settings).model_dump(mode="json")
    parts = []
    for key, value in after.settings.items():
        if old.get(key) != value:
            words = (model.model_fields[key].title or key).lower()
            parts.append(f"{words} {_short(old.get(key))} → {_short(value)}")
    return f"{title(before.modality)}: {', '.join(parts)}" if parts else f"{title(before.modality)} as it was"


def _short(value: Any) -> str:
    if isinstance(value, float):
        return f"{value:g}"
    return (
        f"{len(value)} lines"
        if isinstance(value, list)
        else "on"
        if value is True
        else "off"
        if value is False
        else str(value)
    )


def _lengthen(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage longer or shorter by one of its own: minutes where it has them, else repeats, passes or rounds."""
    stage = draft.plan.stage(form.about)
    up = form.by != "-1"
    model = MODALITIES[stage.modality].Settings
    name = next((one for one in LENGTHS if one in model.model_fields), "")
    if not name:
        raise BadInput({"step": f"{title(stage.modality)} takes as long as its settings make it."})
    settings = model.model_validate(stage.settings)
    value = getattr(settings, name)
    size = 1 if isinstance(value, int) or value >= 4 else 0.5
    tried = dict(stage.settings) | {name: value + size if up else value - size}
    problem = _misfit(stage, tried, name)
    if problem:
        raise BadInput({name: problem})
    new = stage.with_settings(tried)
    return _with(draft, draft.plan.with_stage(new), _said_change(stage, new))


#: Settings that lengthen a stage, the first that a modality has.
LENGTHS = ("minutes", "timer_min", "activator_min", "hold_min", "repeats", "passes", "rounds", "strokes")


def _strength(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """An increment of the machine up or down."""
    stage = draft.plan.stage(form.about)
    machine = file.brief.machine(stage.modality, stage.machine)
    module = MODALITIES[stage.modality]
    settings = incremented(
        module,
        module.Settings.model_validate(stage.settings),
        machine.card if machine else None,
        up=form.by != "-1",
    )
    new = stage.with_settings(settings)
    return _with(draft, draft.plan.with_stage(new), _said_change(stage, new))


def _zones(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """Where a stage goes: zones ticked, or a named group; none means everywhere."""
    stage = draft.plan.stage(form.about)
    named = form.group
    if named in GROUPS:
        wanted = GROUPS[named]
    elif named == "everywhere":
        wanted = ()
    else:
        every = [zone for name in PLATES for zone in zone_names(name) if zone not in BESIDE]
        wanted = tuple(zone for zone in dict.fromkeys(every) if form.zones.get(zone) == "on")
    if not wanted and named != "everywhere":
        raise BadInput({"zones": "At least one zone, or everywhere."})
    plate = plate_of(wanted, stage.modality)
    able = set(zone_names(plate)) - BESIDE
    wanted = tuple(zone for zone in wanted if zone in able)
    if set(wanted) == able:
        wanted = ()
    new = stage.model_copy(update={"zones": wanted})
    where = ", ".join(wanted) if len(wanted) < 4 else f"{len(wanted)} zones"
    return _with(draft, draft.plan.with_stage(new), f"{title(stage.modality)}: {where or 'everywhere'}")


def _beside(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A step into the waiting time of another, or out of it. Raises Refused where that may not be."""
    step = draft.plan.of(form.step)
    host_id = form.host
    if not host_id:
        return _with(
            draft, draft.plan.with_step(step.model_copy(update={"beside": ""})), f"{title(step.modality)} by itself"
        )
    host = draft.plan.of(host_id)
    if not beside_fits(host, step, in_force(file.brief, draft.plan)) or host.beside or host.id == step.id:
        raise Refused(f"{title(step.modality)} does not run beside {title(host.modality)}.", "plan.order")
    if any(one.beside == step.id for one in draft.plan.steps):
        raise Refused(f"Something runs beside {title(step.modality)} already.", "plan.order")
    return _with(
        draft,
        draft.plan.with_step(step.model_copy(update={"beside": host_id})),
        f"{title(step.modality)} beside {title(host.modality)}",
    )


def _machine(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """Another machine for a stage; settings begin anew, since a level means nothing across machines."""
    stage = draft.plan.stage(form.about)
    machine = next((one for one in file.machines if one.id == form.machine and fits(one.card, stage.modality)), None)
    if machine is None:
        raise BadInput({"machine": "There is no such machine for this."})
    rest = (one for one in file.machines if one.id != machine.id)
    brief = file.brief.but(machines=(machine, *rest))
    fresh = begin(brief, stage.modality, stage.id, in_force(file.brief, draft.plan), zones=stage.zones)
    new = fresh.model_copy(update={"machine": machine.id})
    return _with(draft, draft.plan.with_stage(new), f"{title(stage.modality)} with the {machine.card.name}")


def _side(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    side = form.side
    plan = Plan.model_validate(draft.plan.model_dump() | {"side": side if side in ("right", "left") else None})
    return _with(draft, plan, f"begin on {side or 'the higher side'}")


def _method(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """Another school for this plan; what it sets is set in the steps that it touches, what it adds is added.

    Raises Refused for a school that asks for a senior, from anyone else.
    """
    name, school_id = form.method, form.school
    method = methods().get(name)
    school = next((one for one in method.schools if one.id == school_id), None) if method else None
    if method is None or school is None:
        raise BadInput({"school": "There is no such school."})
    if school.senior and not (ctx.me.role in ("senior", "owner") or file.house.methods.get(name) == school_id):
        raise Refused(f"“{school.words}” is for a senior to choose. {rule('plan.senior').reason}", "plan.senior")
    plan = draft.plan.model_copy(update={"methods": draft.plan.methods | {name: school_id}})
    for stage in plan.stages:
        if stage.modality in school.set:
            plan = plan.with_stage(stage.with_settings(stage.settings | school.set[stage.modality]))
    of = in_force(file.brief, plan)
    if school.rank or any(one.rank for one in method.schools):
        plan = plan.model_copy(update={"steps": tuple(sorted(plan.steps, key=lambda one: rank(one.modality, of)))})
    for extra in school.adds:
        if (
            plan.steps
            and any(one.modality in school.on for one in plan.steps)
            and all(one.modality != extra for one in plan.steps)
        ):
            added = _add(
                ctx, file, draft.model_copy(update={"plan": plan}), EditForm.model_validate({"modality": extra})
            )
            plan = added.plan
    return _with(draft, plan, f"{method.words}: {school.words}")


def _undo(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    return _back(ctx, file, draft, "changes", "undone", TOOK_BACK)


def _redo(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    return _back(ctx, file, draft, "undone", "changes", AGAIN)


def _back(ctx: Context, file: VisitFile, draft: Draft, out_of: str, into: str, words: str) -> Draft:
    """My own last change taken out of what stands; taking it back is itself a change, which may be taken back.

    Raises Refused where what it changed was changed again since.
    """
    me, stack, other = str(ctx.me.id), getattr(draft, out_of), getattr(draft, into)
    if not stack.get(me):
        return draft
    *rest, version = stack[me]
    before, after = _draft_at(ctx, file, version - 1), _draft_at(ctx, file, version)
    what = after.what.removeprefix(TOOK_BACK).removeprefix(AGAIN)
    try:
        plan = taken_back(before.plan, after.plan, draft.plan)
    except Overtaken as met:
        touched = draft.touched.get(str(met) or WHOLE)
        who = f"{touched.who} changed it since: {touched.what}" if touched else "It was changed since"
        raise Refused(f"“{what}” cannot be taken back. {who}.", "plan.order") from None
    ids = {one.id for one in plan.stages}
    kept = {
        "typed": _texts_back(before.typed, after.typed, draft.typed, ids),
        "wrong": _texts_back(before.wrong, after.wrong, draft.wrong, ids),
        out_of: {**stack, me: tuple(rest)},
        into: {**other, me: (*other.get(me, ()), file.version(Draft) + 1)[-BACK:]},
    }
    return _with(draft, plan, words + what, **kept)


def _texts_back(before: dict[str, str], after: dict[str, str], now: dict[str, str], stages: set[str]) -> dict[str, str]:
    """What is typed and cannot be kept, without what one change did to it; what was typed since stays."""
    mine = {key for key in before | after if before.get(key) != after.get(key) and now.get(key) == after.get(key)}
    found = {key: text for key, text in now.items() if key not in mine} | {
        key: before[key] for key in mine & before.keys()
    }
    return {key: text for key, text in found.items() if key.partition(".")[0] in stages}


def _draft_at(ctx: Context, file: VisitFile, version: int) -> Draft:
    """The draft of a version; an empty one before the first."""
    return (visits.version_of(ctx.db, file.visit.id, Draft, version) if version else None) or Draft()


def new_id() -> str:
    """An id that no step or stage ever had."""
    return str(uuid7())


def with_new_ids(plan: Plan) -> Plan:
    """A plan whose steps and stages are this visit's own: each with a new id."""
    ids = {key: new_id() for key in plan.ids}

    def renamed(step: Step) -> Step:
        stages = tuple(one.model_copy(update={"id": ids[one.id]}) for one in step.stages)
        return step.model_copy(update={"id": ids[step.id], "beside": ids.get(step.beside, ""), "stages": stages})

    steps = map(renamed, plan.steps)
    return plan.model_copy(update={"steps": tuple(steps)})


OPS: dict[str, Op] = {
    "take": _take,
    "clear": _clear,
    "add": _add,
    "again": _again,
    "leave": _leave,
    "shift": _shift,
    "remove": _remove,
    "move": _move,
    "set": _set,
    "lengthen": _lengthen,
    "strength": _strength,
    "zones": _zones,
    "beside": _beside,
    "machine": _machine,
    "side": _side,
    "method": _method,
    "undo": _undo,
    "redo": _redo,
}
