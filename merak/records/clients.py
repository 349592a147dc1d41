"""Clients: one with their newest visits, everything that shows progress, and what the studio as a whole has seen."""

from collections import Counter
from datetime import date, datetime
from typing import NamedTuple
from uuid import UUID

from pydantic import BaseModel, TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session

from merak.core.after.following import FollowUp
from merak.core.after.incidents import PastIncident
from merak.core.client import Findings
from merak.core.client.names import plain
from merak.records.bodies import opened
from merak.records.bodies.house import Habits
from merak.records.bodies.task import SaidAfter
from merak.records.bodies.visit import CloseBody, Given, PhotosAfterBody, PhotosBody, ScalesBody
from merak.records.tables import Client

_STANDS = (
    "LEFT JOIN LATERAL (SELECT body FROM record WHERE visit_id = that.id AND phase = '{0}' ORDER BY version DESC LIMIT"
    " 1) AS {0} ON true"
)
_SAID = (
    "(SELECT json_agg(answer ORDER BY done_at) FROM task WHERE visit_id = that.id AND kind = 'ask' AND done_at IS NOT"
    " NULL)"
)

# A body is long and packed: it is unpacked once for all that is read of it.
_CLIENT = f"""
    SELECT client.id, client.name, client.born, client.phone, client.email, client.language, client.habits,
        (SELECT count(*) FROM visit WHERE client_id = client.id AND status = 'closed'),
        (SELECT json_agg(row_to_json(v))::text FROM (
            SELECT that.id, that.starts_at, that.minutes, that.status, that.session_no, course.name AS course,
                course.sessions,
                person.name AS therapist, close.note, close.redness, close.swelling, close.did, close.stopped,
                close.incidents,
                CASE WHEN that.status = 'closed' THEN {_SAID} END AS said
            FROM (SELECT * FROM visit WHERE client_id = client.id AND status <> 'cancelled'
                ORDER BY starts_at DESC LIMIT %(most)s OFFSET %(skip)s) AS that
            JOIN course ON course.id = that.course_id
            JOIN person ON person.id = that.therapist_id
            LEFT JOIN LATERAL (SELECT told.* FROM record, jsonb_to_record(body)
                AS told (note text, redness int, swelling int, did jsonb, stopped text, incidents jsonb)
                WHERE visit_id = that.id AND phase = 'close' ORDER BY version DESC LIMIT 1) AS close ON true
            ORDER BY that.starts_at DESC) AS v)
    FROM client WHERE client.id = %(client)s
"""  # noqa: S608 (constants)


class VisitTold(BaseModel):
    """One visit of a client as their page tells it: what was kept at its close, and what was said after."""

    id: UUID
    starts_at: datetime
    minutes: int
    status: str
    session_no: int
    course: str
    sessions: int
    therapist: str
    note: str | None
    redness: int | None
    swelling: int | None
    did: dict[str, Given] | None
    stopped: str | None
    incidents: tuple[PastIncident, ...] | None
    said: tuple[SaidAfter, ...] | None


class ClientSeen(NamedTuple):
    """A client as their page shows one: how they are reached, how many visits are closed, the newest visits as they
    were kept.
    """

    id: UUID
    name: str
    born: date
    phone: str
    email: str
    language: str
    habits: Habits
    closed: int
    visits: list[VisitTold]


_VISITS: TypeAdapter[list[VisitTold]] = TypeAdapter(list[VisitTold])


def client(db: Session, client_id: UUID, most: int, skip: int = 0) -> ClientSeen | None:
    """A client and `most` visits from the newest down, in one question. None when there is no such client."""
    row = db.connection().exec_driver_sql(_CLIENT, {"client": client_id, "most": most, "skip": skip}).first()
    if row is None:
        return None
    return ClientSeen._make([*row[:6], Habits.model_validate(row[6]), row[7], _VISITS.validate_json(row[8] or "[]")])


_TOLD = ("look", "scales", "close", "photos", "photos_after")
_PROGRESS = f"""
    SELECT that.id, that.starts_at, look.body::text, scales.body::text, (close.body - 'facts')::text, photos.body::text,
        photos_after.body::text, {_SAID}::text
    FROM visit AS that
    {" ".join(_STANDS.format(phase) for phase in _TOLD)}
    WHERE that.client_id = %(client)s AND that.status = 'closed' ORDER BY that.starts_at, that.id
"""  # noqa: S608 (constants)


class ClosedVisit(NamedTuple):
    """One closed visit of a course as progress needs it, and what was said after."""

    visit: UUID
    at: datetime
    look: Findings
    scales: ScalesBody
    close: CloseBody
    photos: PhotosBody
    photos_after: PhotosAfterBody
    said: list[FollowUp]


_ANSWERS: TypeAdapter[list[SaidAfter]] = TypeAdapter(list[SaidAfter])


def progress(db: Session, client_id: UUID) -> list[ClosedVisit]:
    """A client's closed visits, the oldest first."""
    rows = db.connection().exec_driver_sql(_PROGRESS, {"client": client_id})
    return [
        ClosedVisit(
            visit,
            at,
            opened(Findings, look or "{}"),
            opened(ScalesBody, scales or "{}"),
            opened(CloseBody, close or "{}"),
            opened(PhotosBody, photos or "{}"),
            opened(PhotosAfterBody, after or "{}"),
            [one.said for one in _ANSWERS.validate_json(said or "[]") if one.said],
        )
        for visit, at, look, scales, close, photos, after, said in rows
    ]


_CHANGES = f"""
    SELECT that.client_id, that.starts_at, look.body -> 'grades', close.body -> 'did', close.body ->> 'routine'
    FROM visit AS that {_STANDS.format("look")} {_STANDS.format("close")}
    WHERE that.status = 'closed' ORDER BY that.client_id, that.starts_at
"""  # noqa: S608 (constants)


class Graded(NamedTuple):
    """What was graded at a closed visit and then done at it; no name."""

    client: UUID
    at: datetime
    grades: dict[str, dict[str, int]]
    did: frozenset[str]
    routine: str


def graded(db: Session) -> list[Graded]:
    """Every closed visit of the studio, client by client, the oldest first."""
    rows = db.connection().exec_driver_sql(_CHANGES)
    return [Graded(row[0], row[1], row[2] or {}, frozenset(row[3] or ()), row[4] or "") for row in rows]


def named(db: Session, name: str, born: date) -> list[Client]:
    """Clients of this plain name (`core.client.names`) and birth date."""
    found = db.scalars(select(Client).where(Client.merged_into.is_(None), Client.born == born).order_by(Client.id))
    return [one for one in found if plain(one.name) == name]


def one(db: Session, client_id: str) -> Client | None:
    """A client by what a form says; None for what is no id, and for a record that went into another."""
    try:
        found = db.get(Client, UUID(client_id))
    except ValueError:
        return None
    return found if found and found.merged_into is None else None


def names_alike(db: Session, names: list[str]) -> set[str]:
    """Those of these plain names that more than one client bears."""
    if not names:
        return set()
    wanted = set(names)
    bearers = Counter(plain(name) for name in db.scalars(select(Client.name).where(Client.merged_into.is_(None))))
    return {name for name in wanted if bearers[name] > 1}


#: Everything that belongs to a client.
_OWNED = ("course", "visit", "task", "message", "reaction", "mark", "letter", "kept_file", "exposure")


def merge(db: Session, into: UUID, other: UUID) -> None:
    """Everything of one client's record goes into another's of the same person; the emptied one points there."""
    run = db.connection().exec_driver_sql
    for table in _OWNED:
        run(f"UPDATE {table} SET client_id = %(into)s WHERE client_id = %(other)s", {"into": into, "other": other})  # noqa: S608
    run("UPDATE client SET merged_into = %(into)s WHERE id = %(other)s", {"into": into, "other": other})
