"""Messages to clients as the outbox holds them."""

from datetime import datetime
from uuid import UUID

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from merak.records.tables import Client, Message


def outbox(db: Session, most: int = 100) -> list[tuple[Message, str]]:
    """The newest messages with their clients' names."""
    found = (
        select(Message, Client.name)
        .join(Client, Client.id == Message.client_id)
        .order_by(Message.send_at.desc(), Message.id.desc())
    )
    return [(row[0], row[1]) for row in db.execute(found.limit(most))]


def sent_of(db: Session, visit_id: UUID) -> list[Message]:
    """What was sent, or will be, of a visit."""
    return list(db.scalars(select(Message).where(Message.visit_id == visit_id).order_by(Message.send_at, Message.id)))


def recall(db: Session, task_ids: list[UUID], now: datetime) -> None:
    """Takes back what these tasks would still have sent."""
    waiting = update(Message).where(Message.task_id.in_(task_ids), Message.send_at > now)
    db.execute(waiting.values(recalled=True))
