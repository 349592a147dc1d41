"""The taps of a treatment: appended, never changed, read in the server's order."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from pydantic import TypeAdapter
from pydantic_core import to_json
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from merak.core.treatment.taps import Tap


class TakenId(Exception):
    """A tap of another visit has this id already."""


# One question, which the database answers by itself (`keep_taps`, in the migrations): outside a transaction it is one
# of its own.
_KEEP = """
    SELECT status, before, id, kind, at, value, words, act, data, seq, (SELECT name FROM person
        WHERE person.id = kept.by)
    FROM keep_taps(%(visit)s::uuid, %(by)s::uuid, %(taps)s::jsonb) AS kept
"""
_SINCE = """
    SELECT treat_event.id, kind, at, value, words, act, data, seq, person.name FROM treat_event
        JOIN person ON person.id = by
    WHERE visit_id = %(visit)s AND seq > %(seen)s ORDER BY seq
"""
_ROW = ("id", "kind", "at", "value", "words", "act", "data", "seq", "by")
_TAPS: TypeAdapter[list[Tap]] = TypeAdapter(list[Tap])


def keep(db: Session, visit_id: UUID, by: UUID, new: Sequence[Tap], seen: int) -> tuple[str, list[Tap]]:
    """Appends taps, in one's turn, and gives the visit's status ("" when there is no such visit; a closed one takes
    none) and its taps after number `seen`, in the server's order, which is the order of commit. Taps whose id is known
    already are left as they are.

    `before` is the number of the visit's last tap before these: whoever has folded up to there needs to read no other.
    Raises TakenId, with nothing kept, where an id is that of a tap of another visit.
    """
    taps = to_json([_row(tap) for tap in new]).decode()
    try:
        head, *rows = db.connection().exec_driver_sql(_KEEP, {"visit": visit_id, "by": by, "taps": taps}).all()
    except IntegrityError as taken:
        raise TakenId from taken
    if rows and (head[1] or 0) == seen:
        return head[0], _read([row[2:] for row in rows])
    return head[0], since(db, visit_id, seen)


def since(db: Session, visit_id: UUID, seen: int = 0) -> list[Tap]:
    """The taps of a treatment after number `seen`, in the server's order."""
    return _read(db.connection().exec_driver_sql(_SINCE, {"visit": visit_id, "seen": seen}).all())


def _row(tap: Tap) -> dict[str, Any]:
    """A tap as its table has it; `clock` is how its moment was found, nothing for one that the server made itself."""
    clock: dict[str, Any] = {"load": tap.load, "mono_s": tap.mono_s}
    if tap.marked:
        clock |= {"marked": tap.marked, "told": tap.told}
    return {
        "id": tap.id,
        "kind": tap.kind,
        "at": tap.at,
        "value": tap.value,
        "words": tap.words,
        "act": tap.act,
        "data": tap.data.model_dump(exclude_defaults=True) or None,
        "clock": None if tap.own else clock,
    }


def _read(rows: Sequence[Any]) -> list[Tap]:
    """Rows as taps; what an older program wrote more is left out."""
    named = [dict(zip(_ROW, row, strict=True)) for row in rows]
    return _TAPS.validate_python([{**row, "data": row["data"] or {}} for row in named], extra="ignore")


_LAST_OF = """
    SELECT (SELECT at FROM record WHERE visit_id = %(visit)s AND phase = 'order'
        ORDER BY version LIMIT 1), last.at, last.mono
    FROM (SELECT 1) AS always LEFT JOIN LATERAL (
        SELECT at, (clock ->> 'mono_s')::float8 AS mono FROM treat_event
        WHERE visit_id = %(visit)s AND by = %(by)s AND clock IS NOT NULL AND clock ->> 'load' IS NOT DISTINCT
            FROM %(load)s::text
        ORDER BY at DESC, seq DESC LIMIT 1) AS last ON true
"""


class LastOf(NamedTuple):
    """When the visit's order was fixed, and a device's last tap: its moment and the reading of its steady clock (s)."""

    begun: datetime | None
    at: datetime | None
    mono_s: float | None


def last_of(db: Session, visit_id: UUID, by: UUID, load: UUID | None) -> LastOf:
    """The last tap that somebody gave in one load of the page (None: by a device that does not say)."""
    found = db.connection().exec_driver_sql(
        _LAST_OF, {"visit": visit_id, "by": by, "load": str(load) if load else None}
    )
    return LastOf(*found.one())
