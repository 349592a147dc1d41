"""What is due: test spots to be read, clients to be called; and what came of it."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Literal
from uuid import UUID

from merak.core.after.following import FollowUp, asked
from merak.core.knowledge import AskAfter, cited
from merak.core.plan.fitting import title
from merak.core.spots import SpotAnswer, SpotLook, SpotRule, answer
from merak.core.working import Caution
from merak.records import tasks
from merak.records.bodies.task import (
    AskTask,
    Called,
    CallTask,
    OrderTask,
    RaiseTask,
    SaidAfter,
    SpotFound,
    SpotTask,
    TaskAnswer,
)
from merak.records.tables import Client, Task
from merak.services.after import follow_ups
from merak.services.after.follow_ups import TITLES
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import Grade, Otherwise, TenGrade, TypedForm, cut
from merak.services.permission import Denied, may
from merak.services.visit.file import SENIORS

__all__ = ["AskTask", "CallTask", "OrderTask", "RaiseTask", "SpotTask"]  # what a task is about, for whoever shows it
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
    """What is due up to tomorrow, for those who may read notes, what asks for a senior at once before all else; nothing
    for others.
    """
    if not may(ctx.me, "read notes"):
        return []
    found = [_shown(ctx, task, client) for task, client in tasks.open_tasks(ctx.db, ctx.now + AHEAD)]
    return sorted(found, key=lambda one: not (isinstance(about := one.task.about, RaiseTask) and about.senior))


def left_by(ctx: Context, visit_id: UUID, client: str) -> list[Due]:
    """The tasks that a visit left."""
    return [_shown(ctx, task, client) for task in tasks.tasks_of(ctx.db, visit_id)]


def _shown(ctx: Context, task: Task, client: str) -> Due:
    return Due(task, client, _words(task), task.due_at.astimezone(ctx.zone), task.due_at <= ctx.now)


def _words(task: Task) -> str:
    match task.about:
        case SpotTask(modality=modality):
            return f"Read the test spot of {title(modality).lower()}"
        case AskTask(follow=follow):
            return f"{TITLES[follow]}: ask how the skin is"
        case OrderTask(remedy=remedy):
            return f"Order or refuse: {(cited(remedy) or ['a remedy'])[0]}"
        case RaiseTask(senior=senior, words=words):
            return f"{'Senior: ' if senior else 'Call: '}{' '.join(words)}"
        case CallTask(card=card):
            return f"Call after: {card or 'an incident'}"


@dataclass
class TaskPage:
    """A task with what was answered; `answer` is what the rule says to a spot."""

    due: Due
    form: dict[str, str]
    wrong: dict[str, str]
    answer: SpotAnswer | None = None
    rule: SpotRule | None = None
    questions: tuple[AskAfter, ...] = ()
    said: FollowUp | None = None
    reach: Client | None = None
    note: str = ""
    doctor: bool = False
    alarms: tuple[Caution, ...] = ()


def task_page(
    ctx: Context, task_id: UUID, form: dict[str, str] | None = None, wrong: dict[str, str] | None = None
) -> TaskPage:
    """One task. Raises NotFound, Denied."""
    ctx.demand("read notes")
    found = tasks.locked_task(ctx.db, task_id)
    if found is None:
        raise NotFound("There is no such task.")
    task, client = found
    page = TaskPage(_shown(ctx, task, client), form or {}, wrong or {}, reach=ctx.db.get(Client, task.client_id))
    about, came = task.about, task.came
    if isinstance(about, SpotTask):
        page.rule = about.spot
    if isinstance(about, AskTask):
        page.questions = asked(about.follow)
    if isinstance(about, RaiseTask):
        page.said = about.said
    if isinstance(came, SpotFound):
        page.answer, page.note = came.answer, came.note
    if isinstance(came, SaidAfter):
        page.said, page.alarms = came.said, came.alarms
    if isinstance(came, Called):
        page.note, page.doctor = came.note, came.doctor
    return page


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
        task.done(_answer(ctx, task, form), ctx.me.id, ctx.now)
    return task_page(ctx, task_id)


def _answer(ctx: Context, task: Task, form: dict[str, str]) -> TaskAnswer:
    match task.about:
        case SpotTask() as spot:
            return _spot_answer(ctx, task, spot, form)
        case AskTask() as ask:
            return follow_ups.answered(ctx, task, ask, form)
        case OrderTask():
            raise OutOfTurn("A remedy is ordered on the page of its visit.")
        case RaiseTask(senior=True) if ctx.me.role not in SENIORS:
            raise Denied("A senior answers this one.")
        case _:
            return _call_answer(form)


class SpotForm(TypedForm):
    """What is seen at a spot."""

    redness: Annotated[Grade | None, Otherwise("Redness: 0 to 4.", needed=True)] = None
    swelling: Annotated[Grade | None, Otherwise("Swelling: 0 to 4.", needed=True)] = None
    pain: Annotated[TenGrade | None, Otherwise("Pain: 0 to 10.", needed=True)] = None
    mark: Annotated[
        Literal["yes", "no"] | None, Otherwise("Did it leave a mark, a blister, white skin?", needed=True)
    ] = None
    note: Annotated[str, cut(400)] = ""


class CallForm(TypedForm):
    """What came of a call."""

    note: Annotated[str, cut(400), Otherwise("How are they? A few words.", needed=True)] = ""
    doctor: Annotated[Literal["yes", "no"] | None, Otherwise("Was a doctor asked, or is none needed?", needed=True)] = (
        None
    )


def _spot_answer(ctx: Context, task: Task, about: SpotTask, form: dict[str, str]) -> SpotFound:
    """What is seen at a spot, and what the rule says to it."""
    if ctx.now < task.due_at:
        raise OutOfTurn(f"Too soon: this spot is read from {task.due_at.astimezone(ctx.zone):%a %-d %b, %H:%M} on.")
    seen = SpotForm.read(form)
    look = SpotLook(
        redness=seen.redness or 0, swelling=seen.swelling or 0, pain=seen.pain or 0, mark=seen.mark == "yes"
    )
    return SpotFound(look=look, answer=answer(about.spot, about.at, look, stepped_up=False), note=seen.note)


def _call_answer(form: dict[str, str]) -> Called:
    said = CallForm.read(form)
    return Called(note=said.note, doctor=said.doctor == "yes")
