"""What is due: test spots to be read, clients to be called; and what came of it."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from pydantic import ValidationError

from merak.core.after.following import FollowUp, asked
from merak.core.errors import BadInput
from merak.core.knowledge import AskAfter, cited
from merak.core.plan.fitting import title
from merak.core.plan.spots import SpotAnswer, SpotLook, SpotRule, answer
from merak.core.whole import whole
from merak.records import tasks
from merak.records.bodies import upgraded
from merak.records.tables import Client, Task
from merak.services.after import follow_ups
from merak.services.after.follow_ups import TITLES, said_of
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.permission import Denied, may
from merak.services.visit.file import SENIORS

#: Field of a look at a spot → (words, most).
LOOKS = {"redness": ("Redness", 4), "swelling": ("Swelling", 4), "pain": ("Pain", 10)}
AHEAD = timedelta(days=1)


@dataclass
class Due:
    """One task as it is shown: whom it is about, what, since when or when."""

    task: Task
    client: str
    words: str
    due: datetime
    now: bool


def due(ctx: Context) -> list[Due]:
    """What is due up to tomorrow, for those who may read notes, what asks for a senior at once before all else; nothing for others."""
    if not may(ctx.me, "read notes"):
        return []
    found = [_shown(ctx, task, client) for task, client in tasks.open_tasks(ctx.db, ctx.now + AHEAD)]
    return sorted(found, key=lambda one: not (one.task.kind == "raise" and one.task.body.get("senior")))


def left_by(ctx: Context, visit_id: UUID, client: str) -> list[Due]:
    """The tasks that a visit left."""
    return [_shown(ctx, task, client) for task in tasks.tasks_of(ctx.db, visit_id)]


def _shown(ctx: Context, task: Task, client: str) -> Due:
    return Due(task, client, _words(task), task.due_at.astimezone(ctx.zone), task.due_at <= ctx.now)


def _words(task: Task) -> str:
    match task.kind:
        case "spot":
            return f"Read the test spot of {title(task.body['modality']).lower()}"
        case "ask":
            return f"{TITLES[task.body['follow']]}: ask how the skin is"
        case "order":
            return f"Order or refuse: {(cited(task.body['remedy']) or ['a remedy'])[0]}"
        case "raise":
            return f"{'Senior: ' if task.body.get('senior') else 'Call: '}{' '.join(task.body['words'])}"
    return f"Call after: {task.body.get('card') or 'an incident'}"


@dataclass
class TaskPage:
    """A task with what was answered; `answer` is what the rule says to a spot."""

    due: Due
    form: dict[str, str]
    wrong: dict[str, str]
    answer: SpotAnswer | None
    rule: SpotRule | None
    questions: tuple[AskAfter, ...] = ()
    said: FollowUp | None = None
    reach: Client | None = None


def task_page(ctx: Context, task_id: UUID, form: dict[str, str] | None = None, wrong: dict[str, str] | None = None) -> TaskPage:
    """One task. Raises NotFound, Denied."""
    ctx.demand("read notes")
    found = tasks.locked_task(ctx.db, task_id)
    if found is None:
        raise NotFound("There is no such task.")
    task, client = found
    kept = task.answer or {}
    told = SpotAnswer.model_validate(kept["answer"]) if "answer" in kept else None
    spot = _spot_rule(task) if task.kind == "spot" else None
    questions = asked(task.body["follow"]) if task.kind == "ask" else ()
    said = said_of(task) or (FollowUp.model_validate(task.body["said"]) if task.kind == "raise" else None)
    return TaskPage(_shown(ctx, task, client), form or {}, wrong or {}, told, spot, questions, said, ctx.db.get(Client, task.client_id))


def finish(ctx: Context, task_id: UUID, form: dict[str, str]) -> TaskPage:
    """Keeps what came of a task, once. Raises BadInput by field, OutOfTurn when it is done already or not due yet."""
    ctx.demand("close")
    with ctx.saving("task", task_id) as db:
        found = tasks.locked_task(db, task_id)
        if found is None:
            raise NotFound("There is no such task.")
        task = found[0]
        if task.done_at is not None:
            raise OutOfTurn("This was done already; what was found then stands.")
        task.answer = _answer(ctx, task, form)
        task.done_by, task.done_at = ctx.me.id, ctx.now
    return task_page(ctx, task_id)


def _answer(ctx: Context, task: Task, form: dict[str, str]) -> dict[str, Any]:
    if task.kind == "spot":
        return _spot_answer(ctx, task, form)
    if task.kind == "ask":
        return follow_ups.answered(ctx, task, form)
    if task.kind == "order":
        raise OutOfTurn("A remedy is ordered on the page of its visit.")
    if task.kind == "raise" and task.body.get("senior") and ctx.me.role not in SENIORS:
        raise Denied("A senior answers this one.")
    return _call_answer(form)


def _spot_answer(ctx: Context, task: Task, form: dict[str, str]) -> dict[str, Any]:
    """What is seen at a spot, and what the rule says to it."""
    if ctx.now < task.due_at:
        raise OutOfTurn(f"Too soon: this spot is read from {task.due_at.astimezone(ctx.zone):%a %-d %b, %H:%M} on.")
    wrong = {key: f"{words}: 0 to {most}." for key, (words, most) in LOOKS.items() if whole(form.get(key), most) is None}
    if form.get("mark") not in ("yes", "no"):
        wrong["mark"] = "Did it leave a mark, a blister, white skin?"
    if wrong:
        raise BadInput(wrong)
    try:
        look = SpotLook(mark=form["mark"] == "yes", **{key: int(form[key]) for key in LOOKS})
    except ValidationError as broken:
        raise BadInput({"redness": str(broken.errors()[0]["msg"])}) from broken
    said = answer(_spot_rule(task), float(task.body["at"]), look, stepped_up=False)
    return {"look": look.model_dump(), "answer": said.model_dump(), "note": form.get("note", "").strip()[:400]}


def _call_answer(form: dict[str, str]) -> dict[str, Any]:
    note = form.get("note", "").strip()[:400]
    if not note:
        raise BadInput({"note": "How are they? A few words."})
    if form.get("doctor") not in ("yes", "no"):
        raise BadInput({"doctor": "Was a doctor asked, or is none needed?"})
    return {"note": note, "doctor": form["doctor"] == "yes"}


def _spot_rule(task: Task) -> SpotRule:
    """The rule of a spot that waits to be read, as it stood when the spot was placed."""
    return SpotRule.model_validate(upgraded("task", task.body)["spot"])
