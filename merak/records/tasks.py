"""Tasks: what is due, for whom, and what came of it."""

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from merak.core.after.following import FollowUp
from merak.records.bodies import written
from merak.records.bodies.task import KINDS, SaidAfter, TaskBody
from merak.records.tables import Client, Task, Visit


class NewTask(NamedTuple):
    """A task on its way in; its id is that of the tap that made it, so that a repeated send makes no second one."""

    id: UUID
    due_at: datetime
    body: TaskBody
    link_hash: str | None = None


_ADD = """
    INSERT INTO task (id, client_id, visit_id, kind, due_at, body, by, at, link_hash)
    SELECT %(id)s, client_id, id, %(kind)s, %(due)s, %(body)s::jsonb, %(by)s, %(at)s, %(link)s FROM visit
        WHERE id = %(visit)s
    ON CONFLICT (id) DO NOTHING
"""


def add_tasks(db: Session, visit_id: UUID, by: UUID, at: datetime, new: Sequence[NewTask]) -> None:
    """Adds tasks of a visit, each once."""
    for one in new:
        values = {"id": one.id, "kind": KINDS[type(one.body)], "due": one.due_at, "body": written(one.body)}
        values |= {"by": by, "at": at, "visit": visit_id, "link": one.link_hash}
        db.connection().exec_driver_sql(_ADD, values)


def open_tasks(db: Session, until: datetime) -> list[tuple[Task, str]]:
    """What is due up to a moment and not done, with the client's name, the longest due first."""
    found = (
        select(Task, Client.name)
        .join(Client, Client.id == Task.client_id)
        .where(Task.done_at.is_(None), Task.due_at <= until)
    )
    return [(task, name) for task, name in db.execute(found.order_by(Task.due_at, Task.id))]


def tasks_of(db: Session, visit_id: UUID) -> list[Task]:
    """The tasks that a visit left."""
    return list(db.scalars(select(Task).where(Task.visit_id == visit_id).order_by(Task.due_at, Task.id)))


def asked_of(db: Session, client_id: UUID) -> list[Task]:
    """The questions that a client is asked, those due first coming first."""
    found = select(Task).where(Task.client_id == client_id, Task.kind == "ask", Task.done_at.is_(None))
    return list(db.scalars(found.order_by(Task.due_at, Task.id)))


def said_after(db: Session, visit_ids: Sequence[UUID]) -> dict[UUID, list[FollowUp]]:
    """visit → what the client said of it, and of any earlier one since, in order."""
    since = (Task.visit_id == Visit.id) | (Task.done_at > Visit.starts_at)
    found = select(Visit.id, Task.answer).join(Task, (Task.client_id == Visit.client_id) & since)
    found = found.where(Visit.id.in_(visit_ids), Task.kind == "ask", Task.done_at.is_not(None))
    said: dict[UUID, list[FollowUp]] = {}
    for visit_id, raw in db.execute(found.order_by(Task.done_at)):
        answer = SaidAfter.model_validate(raw or {})
        if answer.said:
            said.setdefault(visit_id, []).append(answer.said)
    return said


def by_link(db: Session, link_hash: str) -> tuple[Task, Client] | None:
    """The task behind a secret address, and whose it is, held until this transaction ends."""
    found = select(Task, Client).join(Client, Client.id == Task.client_id).where(Task.link_hash == link_hash)
    row = db.execute(found.with_for_update(of=Task)).first()
    return (row[0], row[1]) if row else None


def locked_task(db: Session, task_id: UUID) -> tuple[Task, str] | None:
    """A task and the client's name, held until this transaction ends."""
    row = db.execute(
        select(Task, Client.name)
        .join(Client, Client.id == Task.client_id)
        .where(Task.id == task_id)
        .with_for_update(of=Task)
    ).first()
    return (row[0], row[1]) if row else None
