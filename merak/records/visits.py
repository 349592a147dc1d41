"""Visits: the day, one visit with its latest records, what came before it, its events."""

import json
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import bindparam, func, select, text, true
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import Session, aliased
from uuid_utils.compat import uuid7

from merak.records.tables import Client, Course, Device, Record, Studio, Visit


def between(db: Session, start: datetime, end: datetime) -> list[Visit]:
    """Visits that start in a span, in order; cancelled ones left out."""
    found = select(Visit).where(Visit.starts_at >= start, Visit.starts_at < end, Visit.status != "cancelled")
    return list(db.scalars(found.order_by(Visit.starts_at, Visit.id)))


class Standing(NamedTuple):
    """The version of a stage that stands."""

    visit_id: UUID
    stage: str
    version: int
    body: dict[str, Any]


STAGES = ("ask", "look", "plan", "consent", "order", "close", "sheet")
# One step down the index for each stage, however many versions there are.
_LATEST = text("""
    SELECT visit.id AS visit_id, stage, record.version, CASE WHEN stage NOT IN ('order', 'sheet') THEN record.body END AS body
    FROM unnest(CAST(:visits AS uuid[])) AS visit (id)
    CROSS JOIN unnest(CAST(:stages AS varchar[])) AS stage
    CROSS JOIN LATERAL (
        SELECT version, body FROM record WHERE visit_id = visit.id AND record.stage = stage.stage ORDER BY version DESC LIMIT 1
    ) AS record
""")


def latest(db: Session, visit_ids: Sequence[UUID]) -> dict[UUID, dict[str, Standing]]:
    """visit → stage → the version that stands; the bodies of orders and sheets, which are long, are left out."""
    standing: dict[UUID, dict[str, Standing]] = {visit_id: {} for visit_id in visit_ids}
    for row in db.execute(_LATEST, {"visits": list(visit_ids), "stages": list(STAGES)}):
        standing[row.visit_id][row.stage] = Standing(row.visit_id, row.stage, row.version, row.body or {})
    return standing


def order(db: Session, visit_id: UUID) -> dict[str, Any] | None:
    """The plan that a treatment was begun with, whole; None before it began."""
    return db.scalar(select(Record.body).where(Record.visit_id == visit_id, Record.stage == "order"))


_ADD_VERSION = text("""
    INSERT INTO record (id, visit_id, stage, version, body, by, at)
    SELECT :id, :visit, CAST(:stage AS varchar), coalesce(max(version), 0) + 1, CAST(:body AS jsonb), :by, :at
    FROM record WHERE visit_id = :visit AND stage = CAST(:stage AS varchar)
""")


def add_version(db: Session, visit_id: UUID, stage: str, body: dict[str, Any], by: UUID, at: datetime) -> None:
    """A new version of a stage. Two at once: the later waits on the unique key and fails, rather than hide the other."""
    db.execute(_ADD_VERSION, {"id": uuid7(), "visit": visit_id, "stage": stage, "body": json.dumps(body), "by": by, "at": at})


class Earlier(NamedTuple):
    """The client's last closed visit before another."""

    id: UUID
    starts_at: datetime


# Put together once: building it anew for every page costs more than asking it.
_THAT = aliased(Visit)
_LAST = (
    select(_THAT.id, _THAT.starts_at)
    .where(_THAT.client_id == Visit.client_id, _THAT.status == "closed", _THAT.starts_at < Visit.starts_at)
    .order_by(_THAT.starts_at.desc())
    .limit(1)
    .correlate(Visit)
    .lateral()
)
_CARDS = select(func.jsonb_agg(aggregate_order_by(func.jsonb_build_array(Device.modality, Device.card), Device.id))).where(Device.active)
_AROUND = (
    select(Visit, _LAST.c.id, _LAST.c.starts_at, Studio, _CARDS.scalar_subquery())
    .select_from(Visit)
    .join(Studio, true())
    .outerjoin(_LAST, true())
    .where(Visit.id == bindparam("visit"))
)


class Around(NamedTuple):
    """A visit and what it stands in: the client's last closed visit, the studio, the (modality, card) pairs of its machines."""

    visit: Visit
    previous: Earlier | None
    studio: Studio
    cards: list[tuple[str, dict[str, Any]]]


def around(db: Session, visit_id: UUID) -> Around | None:
    """All of it in one question. None when there is no such visit."""
    row = db.execute(_AROUND, {"visit": visit_id}).first()
    return Around(row[0], Earlier(row[1], row[2]) if row[1] else None, row[3], row[4] or []) if row else None


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


_LOCK = select(Visit.status).where(Visit.id == bindparam("visit")).with_for_update()


class Locked(NamedTuple):
    """A visit's status, held so that writers of one visit take turns until this transaction ends."""

    status: str


def lock(db: Session, visit_id: UUID) -> Locked | None:
    """Takes the turn to write. None when there is no such visit."""
    status = db.scalar(_LOCK, {"visit": visit_id})
    return Locked(status) if status else None


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


# Written out, and as arrays, so that any number of taps is one statement that the server has already planned. `before` is the
# number of the visit's last event before these: whoever has folded up to there needs to read no other.
_APPEND = text("""
    INSERT INTO treat_event (id, visit_id, kind, at, value, words, by)
    SELECT id, :visit, kind, at, value, words, :by
    FROM unnest(
        CAST(:ids AS uuid[]), CAST(:kinds AS text[]), CAST(:ats AS timestamptz[]), CAST(:values AS float8[]), CAST(:words AS text[])
    ) AS tap (id, kind, at, value, words)
    ON CONFLICT (id) DO NOTHING
    RETURNING id, kind, at, value, words, seq, by,
        (SELECT seq FROM treat_event WHERE visit_id = :visit ORDER BY seq DESC LIMIT 1) AS before
""")
_SINCE = text("SELECT id, kind, at, value, words, seq, by FROM treat_event WHERE visit_id = :visit AND seq > :seen ORDER BY seq")


class NewEvent(NamedTuple):
    """An event on its way in."""

    id: UUID
    kind: str
    at: datetime
    value: float | None
    words: str


def add_events(db: Session, visit_id: UUID, by: UUID, new: Sequence[NewEvent], seen: int) -> list[EventRow]:
    """Appends events and gives those of the visit that came after number `seen`, in the server's order.

    Events whose id is known already are left as they are. The caller holds the visit's lock, so that order of number is order of commit.
    """
    ids, kinds, ats, values, words = (list(column) for column in zip(*new, strict=True))
    taps = {"ids": ids, "kinds": kinds, "ats": ats, "values": values, "words": words}
    rows = db.execute(_APPEND, {"visit": visit_id, "by": by} | taps).all()
    if rows and (rows[0].before or 0) == seen:
        return [EventRow(*row[:7]) for row in rows]
    return events(db, visit_id, seen)


def events(db: Session, visit_id: UUID, seen: int = 0) -> list[EventRow]:
    """The events of a treatment after number `seen`, in the server's order."""
    return [EventRow(*row) for row in db.execute(_SINCE, {"visit": visit_id, "seen": seen})]
