"""The taps of a treatment: appended, never changed, read in the server's order."""

import json
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy.orm import Session


class EventRow(NamedTuple):
    """A tap as it is kept, with the server's order and who sent it."""

    id: UUID
    kind: str
    at: datetime
    value: float | None
    words: str
    step: int | None
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
    step: int | None = None
    data: dict[str, Any] | None = None


# Written out, and the taps as JSON, so that any number of them is one statement that the server has already planned. `before` is the
# number of the visit's last event before these: whoever has folded up to there needs to read no other.
_APPEND = """
    INSERT INTO treat_event (id, visit_id, kind, at, value, words, step, data, by)
    SELECT id, %(visit)s, kind, at, value, words, step, data, %(by)s
    FROM jsonb_to_recordset(%(taps)s::jsonb)
        AS tap (id uuid, kind text, at timestamptz, value float8, words text, step int, data jsonb)
    ON CONFLICT (id) DO NOTHING
    RETURNING id, kind, at, value, words, step, data, seq, by,
        (SELECT seq FROM treat_event WHERE visit_id = %(visit)s ORDER BY seq DESC LIMIT 1) AS before
"""
_SINCE = """
    SELECT id, kind, at, value, words, step, data, seq, by FROM treat_event WHERE visit_id = %(visit)s AND seq > %(seen)s ORDER BY seq
"""


def add_events(db: Session, visit_id: UUID, by: UUID, new: Sequence[NewEvent], seen: int) -> list[EventRow]:
    """Appends taps and gives those of the visit that came after number `seen`, in the server's order.

    Taps whose id is known already are left as they are. The caller holds the visit's lock, so that order of number is order of commit.
    """
    taps = json.dumps([tap._asdict() for tap in new], default=str)
    rows = db.connection().exec_driver_sql(_APPEND, {"visit": visit_id, "by": by, "taps": taps}).all()
    if rows and (rows[0].before or 0) == seen:
        return [EventRow(*row[:9]) for row in rows]
    return events(db, visit_id, seen)


def events(db: Session, visit_id: UUID, seen: int = 0) -> list[EventRow]:
    """The taps of a treatment after number `seen`, in the server's order."""
    return [EventRow(*row) for row in db.connection().exec_driver_sql(_SINCE, {"visit": visit_id, "seen": seen})]
