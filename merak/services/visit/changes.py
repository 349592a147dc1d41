"""One change of a plan at a time: what each does to the draft that stands. Nothing is kept here."""

from merak.core.errors import BadInput, Refused
from merak.core.knowledge import methods, rule
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.draft import Draft
from merak.core.plan.fitting import rank, title
from merak.core.plan.inverse import Overtaken, taken_back
from merak.core.plan.proposals import proposals
from merak.core.plan.step import Step, begin_step
from merak.core.plan.visit_plan import Plan, beside_fits, in_force
from merak.records import visits
from merak.services.context import Context
from merak.services.visit.change import EditForm, Op, changed, left_out, new_id, removed
from merak.services.visit.file import VisitFile
from merak.services.visit.stage_changes import STAGE_OPS

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


def _take(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A proposal becomes the plan."""
    kind = form.kind
    found = next((one for one in proposals(file.brief) if one.kind == kind), None)
    if found is None:
        raise BadInput({"kind": "There is no such proposal now. Look at the proposals again."})
    return changed(draft, with_new_ids(found.plan), f"took the {kind} proposal", typed={}, wrong={})


def _clear(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    return changed(draft, Plan(methods=draft.plan.methods), "began anew", typed={}, wrong={})


def _add(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A modality with its start values, at its place in the order, or right `after` a step. Raises Refused where
    screening or a machine stops it.
    """
    name = form.modality
    if name not in MODALITIES:
        raise BadInput({"modality": "Which treatment?"})
    of = in_force(file.brief, draft.plan)
    step, left = begin_step(file.brief, name, new_id(), of)
    steps = list(draft.plan.steps)
    if form.after:
        at = steps.index(draft.plan.of(form.after)) + 1
    else:
        at = next((n for n, one in enumerate(steps) if rank(one.modality, of) > rank(name, of)), len(steps))
    steps.insert(at, step)
    return changed(draft, draft.plan.model_copy(update={"steps": tuple(steps)}), f"added {title(name)}{left_out(left)}")


def _remove(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    return removed(draft, draft.plan.of(form.step))


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
    return changed(draft, draft.plan.model_copy(update={"steps": tuple(steps)}), f"moved {title(step.modality)}")


def _beside(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A step into the waiting time of another, or out of it. Raises Refused where that may not be."""
    step = draft.plan.of(form.step)
    host_id = form.host
    if not host_id:
        return changed(
            draft, draft.plan.with_step(step.model_copy(update={"beside": ""})), f"{title(step.modality)} by itself"
        )
    host = draft.plan.of(host_id)
    if not beside_fits(host, step, in_force(file.brief, draft.plan)) or host.beside or host.id == step.id:
        raise Refused(f"{title(step.modality)} does not run beside {title(host.modality)}.", "plan.order")
    if any(one.beside == step.id for one in draft.plan.steps):
        raise Refused(f"Something runs beside {title(step.modality)} already.", "plan.order")
    return changed(
        draft,
        draft.plan.with_step(step.model_copy(update={"beside": host_id})),
        f"{title(step.modality)} beside {title(host.modality)}",
    )


def _side(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    side = form.side
    plan = Plan.model_validate(draft.plan.model_dump() | {"side": side if side in ("right", "left") else None})
    return changed(draft, plan, f"begin on {side or 'the higher side'}")


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
            plan = plan.with_stage(stage.with_settings(stage.values | school.set[stage.modality]))
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
    return changed(draft, plan, f"{method.words}: {school.words}")


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
    return changed(draft, plan, words + what, **kept)


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


def with_new_ids(plan: Plan) -> Plan:
    """A plan whose steps and stages are this visit's own: each with a new id."""
    ids = {key: new_id() for key in plan.ids}

    def renamed(step: Step) -> Step:
        stages = tuple(one.model_copy(update={"id": ids[one.id]}) for one in step.stages)
        return step.model_copy(update={"id": ids[step.id], "beside": ids.get(step.beside, ""), "stages": stages})

    steps = map(renamed, plan.steps)
    return plan.model_copy(update={"steps": tuple(steps)})


OPS: dict[str, Op] = {
    **STAGE_OPS,
    "take": _take,
    "clear": _clear,
    "add": _add,
    "remove": _remove,
    "move": _move,
    "beside": _beside,
    "side": _side,
    "method": _method,
    "undo": _undo,
    "redo": _redo,
}
