"""Asking afterwards: tasks with their questions, links for clients, answers; a bad answer raises the senior at once."""

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from uuid import UUID

from limits import parse
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from uuid_utils.compat import uuid7

from merak.core.after.following import FollowKind, alarms, asked, due_before, dues, read
from merak.core.errors import BadInput, MerakError
from merak.core.knowledge import AskAfter, number
from merak.core.knowledge.own import working_with
from merak.core.knowledge.register import needs
from merak.exchange.language import LANGUAGES, later
from merak.exchange.letters import follow_up_words
from merak.records import db as database
from merak.records import messages, own_rules, tasks
from merak.records.bodies.task import AskTask, RaiseTask, SaidAfter
from merak.records.people import Worker
from merak.records.tables import Client, Task, Visit
from merak.records.tasks import NewTask
from merak.services.after import outbox, registering
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.studio.signing_in import token_hash

needs(
    __name__,
    """
    days: follow.link
    h: follow.hour
    """,
)

TITLES: dict[FollowKind, str] = {"day1": "The day after", "day7": "A week after", "before": "Before the next session"}
_TRIES = MovingWindowRateLimiter(MemoryStorage())
_BY_ADDRESS = parse("60 per 5 minutes")


def leave(ctx: Context, visit_id: UUID, ended: datetime, next_at: datetime | None, base: str) -> None:
    """The follow-ups of a visit that was just closed, each with its message; inside the caller's transaction."""
    for kind, due in dues(ended, ctx.zone).items():
        _leave(ctx, visit_id, kind, due, base)
    if next_at:
        leave_before(ctx, visit_id, next_at, base)


def leave_before(ctx: Context, visit_id: UUID, next_at: datetime, base: str) -> None:
    """The follow-up before the next session, once it is booked; inside the caller's transaction."""
    due = due_before(next_at, ctx.zone)
    if due > ctx.now:
        _leave(ctx, visit_id, "before", due, base)


def _leave(ctx: Context, visit_id: UUID, kind: FollowKind, due: datetime, base: str) -> None:
    there = [task for task in tasks.tasks_of(ctx.db, visit_id) if task.about == AskTask(follow=kind)]
    if any(task.done_at is None for task in there):
        return
    token, task_id = secrets.token_urlsafe(24), uuid7()
    tasks.add_tasks(
        ctx.db, visit_id, ctx.me.id, ctx.now, [NewTask(task_id, due, AskTask(follow=kind), token_hash(token))]
    )
    visit = ctx.db.get(Visit, visit_id)
    client = ctx.db.get(Client, visit.client_id) if visit else None
    if client is not None:
        link = f"{base.rstrip('/')}/answer/{token}"
        language = client.language if client.language in LANGUAGES else "en"
        subject, words = follow_up_words(kind, ctx.studio.name, link, language)
        outbox.post(ctx, client, visit_id, subject, words, at=due, task_id=task_id)


def drop_before(ctx: Context, visit_id: UUID) -> None:
    """The next session was taken off the diary: nothing is asked before it. Inside the caller's transaction."""
    asked_before = AskTask(follow="before")
    gone = [task for task in tasks.tasks_of(ctx.db, visit_id) if task.done_at is None and task.about == asked_before]
    for task in gone:
        task.done(SaidAfter(dropped=True), ctx.me.id, ctx.now)
        task.link_hash = None
    messages.recall(ctx.db, [task.id for task in gone], ctx.now)


def answered(ctx: Context, task: Task, about: AskTask, form: dict[str, str]) -> SaidAfter:
    """What a client said, as it is kept; a bad answer leaves a task for a senior, due now, and a line in the register.

    Inside the caller's transaction. Raises BadInput by field, OutOfTurn before it is due.
    """
    if ctx.now < task.due_at - timedelta(hours=number("follow.hour")):
        raise OutOfTurn(f"Not before {task.due_at.astimezone(ctx.zone):%a %-d %b}.")
    said = read(about.follow, form)
    against = alarms(said)
    if against or said.call:
        words = [one.words for one in against] or ["The client asks for a call."]
        body = RaiseTask(
            words=tuple(words), grade=3 if against else 0, said=said, senior=bool(against), follow=about.follow
        )
        tasks.add_tasks(ctx.db, task.visit_id, task.by, ctx.now, [NewTask(uuid7(), ctx.now, body)])
    if against:
        registering.from_answer(ctx, task, said)
    return SaidAfter(said=said, alarms=against)


@dataclass
class AnswerPage:
    """What the client's own page holds: the questions, and nothing of whose they are; `state` is open, early, done or
    gone.
    """

    kind: FollowKind
    questions: tuple[AskAfter, ...]
    state: str
    language: str
    form: dict[str, str]
    wrong: dict[str, str]
    studio: str
    number: str
    alarm: bool = False


class TooMany(MerakError):
    """Too many tries from one address."""


@contextmanager
def _visitor() -> Iterator[Context]:
    """A context without a person: for the holder of a secret address alone."""
    with database.work_session() as db, working_with(own_rules.standing(db)):
        yield Context(db, Worker(None, "a client", "client"), datetime.now(UTC))  # type: ignore[arg-type]


def asked_by(token: str, address: str, form: dict[str, str] | None = None, language: str = "") -> AnswerPage:
    """The page behind a secret address; with a form its answers are kept, once. Raises NotFound for a wrong address,
    TooMany.
    """
    if not _TRIES.hit(_BY_ADDRESS, "address", address):
        raise TooMany(later("Too many tries. Wait five minutes, then try again."))
    with _visitor() as ctx:
        if form is None:
            return _asked(ctx, token, None, language)
        try:
            with ctx.saving("client's answer", "") as db:
                task, client = _task(ctx, token)
                page = _page(ctx, task, client, form, language)
                if page.state != "open":
                    return page
                said = answered(ctx, task, _about(task), form)
                task.done(said, None, ctx.now)
                db.flush()
                page.state, page.alarm = "done", bool(said.alarms)
            return page
        except BadInput as bad:
            page = _asked(ctx, token, form, language)
            page.wrong = bad.fields
            return page


def _asked(ctx: Context, token: str, form: dict[str, str] | None, language: str) -> AnswerPage:
    task, client = _task(ctx, token)
    return _page(ctx, task, client, form or {}, language)


def _task(ctx: Context, token: str) -> tuple[Task, Client]:
    found = tasks.by_link(ctx.db, token_hash(token))
    if found is None:
        raise NotFound(later("There is nothing here. The address may have been typed wrongly, or is too old."))
    return found


def _page(ctx: Context, task: Task, client: Client, form: dict[str, str], language: str) -> AnswerPage:
    from merak.services.treatment.adverse import number_of

    old = ctx.now > task.due_at + timedelta(days=number("follow.link"))
    early = ctx.now < task.due_at - timedelta(hours=number("follow.hour"))
    state = "done" if task.done_at else "gone" if old else "early" if early else "open"
    spoken = language if language in LANGUAGES else client.language if client.language in LANGUAGES else "en"
    kind = _about(task).follow
    return AnswerPage(kind, asked(kind), state, spoken, form, {}, ctx.studio.name, number_of(ctx))


def _about(task: Task) -> AskTask:
    """What the client is asked. Raises NotFound for a task of another kind, which has no address."""
    if not isinstance(task.about, AskTask):
        raise NotFound(later("There is nothing here. The address may have been typed wrongly, or is too old."))
    return task.about
