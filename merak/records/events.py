"""The taps of a treatment: appended, never changed, read in the server's order."""

import json
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session


class EventRow(NamedTuple):
    """A tap as it is kept, with the server's order and who sent it."""

    id: UUID
    kind: str
    at: datetime
    value: float | None
    words: str
    act: int | None
    data: dict[str, Any] | None
    seq: int
    by: UUID


class NewEvent(NamedTuple):
    """A tap on its way in."""

    id: UUID
    kind: str
    at: datetime
    value: float | None
    words: str
    act: int | None = None
    data: dict[str, Any] | None = None
    clock: dict[str, Any] | None = None


class TakenId(Exception):
    """A tap of another visit has this id already."""


# One question, which the database answers by itself (`keep_taps`, in the migrations): outside a transaction it is one of its own.
_KEEP = """
    SELECT status, before, id, kind, at, value, words, act, data, seq, by
    FROM keep_taps(%(visit)s::uuid, %(by)s::uuid, %(taps)s::jsonb)
"""
_SINCE = """
    SELECT id, kind, at, value, words, act, data, seq, by FROM treat_event WHERE visit_id = %(visit)s AND seq > %(seen)s ORDER BY seq
"""


def keep(db: Session, visit_id: UUID, by: UUID, new: Sequence[NewEvent], seen: int) -> tuple[str, list[EventRow]]:
    """Appends taps, in one's turn, and gives the visit's status ("" when there is no such visit; a closed one takes none) and its taps
    after number `seen`, in the server's order, which is the order of commit. Taps whose id is known already are left as they are.

    `before` is the number of the visit's last tap before these: whoever has folded up to there needs to read no other. Raises TakenId,
    with nothing kept, where an id is that of a tap of another visit.
    """
    taps = json.dumps([tap._asdict() for tap in new], default=str)
    try:
        head, *rows = db.connection().exec_driver_sql(_KEEP, {"visit": visit_id, "by": by, "taps": taps}).all()
    except IntegrityError as taken:
        raise TakenId from taken
    if rows and (head[1] or 0) == seen:
        return head[0], [EventRow(*row[2:]) for row in rows]
    return head[0], events(db, visit_id, seen)


def events(db: Session, visit_id: UUID, seen: int = 0) -> list[EventRow]:
    """The taps of a treatment after number `seen`, in the server's order."""
    return [EventRow(*row) for row in db.connection().exec_driver_sql(_SINCE, {"visit": visit_id, "seen": seen})]


_LAST_OF = """
    SELECT (SELECT at FROM record WHERE visit_id = %(visit)s AND phase = 'order' ORDER BY version LIMIT 1), last.at, last.mono
    FROM (SELECT 1) AS always LEFT JOIN LATERAL (
        SELECT at, (clock ->> 'mono_s')::float8 AS mono FROM treat_event
        WHERE visit_id = %(visit)s AND by = %(by)s AND clock IS NOT NULL AND clock ->> 'load' IS NOT DISTINCT FROM %(load)s::text
        ORDER BY at DESC, seq DESC LIMIT 1) AS last ON true
"""


class LastOf(NamedTuple):
    """When the visit's order was fixed, and a device's last tap: its moment and the reading of its steady clock (s)."""

    begun: datetime | None
    at: datetime | None
    mono_s: float | None


def last_of(db: Session, visit_id: UUID, by: UUID, load: str | None) -> LastOf:
    """The last tap that somebody gave in one load of the page (None: by a device that does not say)."""
    return LastOf(*db.connection().exec_driver_sql(_LAST_OF, {"visit": visit_id, "by": by, "load": load}).one())
