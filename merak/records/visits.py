"""Visits: the day, one visit with its latest records, what came before it, its events."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import func, insert, select
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.orm import Session

from merak.records.tables import Client, Course, Record, TreatEvent, Visit


def between(db: Session, start: datetime, end: datetime) -> list[Visit]:
    """Visits that start in a span, in order; cancelled ones left out."""
    found = select(Visit).where(Visit.starts_at >= start, Visit.starts_at < end, Visit.status != "cancelled")
    return list(db.scalars(found.order_by(Visit.starts_at, Visit.id)))


def latest(db: Session, visit_ids: Sequence[UUID], stages: Sequence[str] = ()) -> dict[UUID, dict[str, Record]]:
    """visit → stage → the version that stands. All stages when none are named."""
    found = select(Record).distinct(Record.visit_id, Record.stage).where(Record.visit_id.in_(visit_ids))
    if stages:
        found = found.where(Record.stage.in_(stages))
    standing: dict[UUID, dict[str, Record]] = {visit_id: {} for visit_id in visit_ids}
    for record in db.scalars(found.order_by(Record.visit_id, Record.stage, Record.version.desc())):
        standing[record.visit_id][record.stage] = record
    return standing


def add_version(db: Session, visit_id: UUID, stage: str, body: dict[str, Any], by: UUID, at: datetime) -> None:
    """A new version of a stage. Two at once: the later waits on the unique key and fails, rather than hide the other."""
    last = select(func.coalesce(func.max(Record.version), 0) + 1).where(Record.visit_id == visit_id, Record.stage == stage)
    db.execute(insert(Record).values(visit_id=visit_id, stage=stage, version=last.scalar_subquery(), body=body, by=by, at=at))


def versions(db: Session, visit_id: UUID, stage: str) -> list[Record]:
    """Every version of a stage, oldest first."""
    return list(db.scalars(select(Record).where(Record.visit_id == visit_id, Record.stage == stage).order_by(Record.version)))


def before(db: Session, visit: Visit) -> Visit | None:
    """The client's last closed visit before this one."""
    found = select(Visit).where(Visit.client_id == visit.client_id, Visit.status == "closed", Visit.starts_at < visit.starts_at)
    return db.scalar(found.order_by(Visit.starts_at.desc()).limit(1))


def previous_of(db: Session, visits: Sequence[Visit]) -> dict[UUID, UUID]:
    """visit → the client's closed visit before it, for a whole day at once."""
    earlier = {}
    if visits:
        first = max(visit.starts_at for visit in visits)
        ids = {visit.client_id for visit in visits}
        closed = select(Visit.client_id, Visit.id, Visit.starts_at).where(Visit.client_id.in_(ids), Visit.status == "closed")
        rows = db.execute(closed.where(Visit.starts_at < first).order_by(Visit.starts_at)).all()
        for visit in visits:
            mine = [row.id for row in rows if row.client_id == visit.client_id and row.starts_at < visit.starts_at]
            if mine:
                earlier[visit.id] = mine[-1]
    return earlier


def after(db: Session, visit: Visit) -> Visit | None:
    """The client's next booked visit after this one."""
    found = select(Visit).where(Visit.client_id == visit.client_id, Visit.status == "booked", Visit.starts_at > visit.starts_at)
    return db.scalar(found.order_by(Visit.starts_at).limit(1))


def lock(db: Session, visit_id: UUID) -> None:
    """Makes writers of one visit take turns until this transaction ends."""
    db.execute(select(Visit.id).where(Visit.id == visit_id).with_for_update())


def clients_named(db: Session, part: str) -> list[Client]:
    """Clients whose name holds these letters."""
    return list(db.scalars(select(Client).where(Client.name.ilike(f"%{part}%")).order_by(Client.name).limit(50)))


def course_of(db: Session, client_id: UUID) -> Course | None:
    """The client's newest course."""
    return db.scalar(select(Course).where(Course.client_id == client_id).order_by(Course.id.desc()).limit(1))


def sessions_so_far(db: Session, course_id: UUID) -> int:
    """The highest session number of a course that was not cancelled."""
    return (
        db.scalar(select(func.coalesce(func.max(Visit.session_no), 0)).where(Visit.course_id == course_id, Visit.status != "cancelled"))
        or 0
    )


class EventRow(NamedTuple):
    """An event as the core's fold takes it, with the server's order and who sent it."""

    id: UUID
    kind: str
    at: datetime
    value: float | None
    words: str
    seq: int
    by: UUID


def add_events(db: Session, rows: list[dict[str, Any]]) -> None:
    """Appends events; those whose id is known already are left as they are."""
    db.execute(upsert(TreatEvent).on_conflict_do_nothing(index_elements=[TreatEvent.id]), rows)


def events(db: Session, visit_id: UUID) -> list[EventRow]:
    """The events of a treatment in the server's order."""
    t = TreatEvent
    rows = db.execute(select(t.id, t.kind, t.at, t.value, t.words, t.seq, t.by).where(t.visit_id == visit_id).order_by(t.seq))
    return [EventRow(*row) for row in rows]
