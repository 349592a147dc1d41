"""Visits: the day, one visit with its latest records, what came before it, its events."""

import json
from collections.abc import Sequence
from datetime import date, datetime
from functools import lru_cache
from typing import Any, NamedTuple
from uuid import UUID

from pydantic import BaseModel, TypeAdapter
from sqlalchemy import Text, cast, func, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session
from uuid_utils.compat import uuid7

from merak.core.body.marks import Mark
from merak.core.modality.exposed import Exposed
from merak.core.plan.screening import Report
from merak.core.spots import SpotAnswer, SpotRead
from merak.core.treatment.order import Ordered
from merak.records.bodies import PHASES, Body, opened, read, written
from merak.records.bodies.house import House, LetterBody
from merak.records.bodies.task import SaidAfter
from merak.records.bodies.upgrades import upgraded
from merak.records.bodies.visit import CloseBody, Given, PhotosBody
from merak.records.tables import Client, Course, Record, Visit


def between(db: Session, start: datetime, end: datetime, cancelled: bool = False) -> list[Visit]:
    """Visits that start in a span, in order; cancelled ones only where they are asked for."""
    found = select(Visit).where(Visit.starts_at >= start, Visit.starts_at < end)
    found = found if cancelled else found.where(Visit.status != "cancelled")
    return list(db.scalars(found.order_by(Visit.starts_at, Visit.id)))


class VisitRecord(NamedTuple):
    """The version of a phase that stands, as the database holds it; what it says, where this process wrote it."""

    version: int
    text: str
    said: BaseModel | None = None


class VisitRecords(dict[str, VisitRecord]):
    """Phase → the version that stands."""

    def body(self, model: type[Body]) -> Body | None:
        """What stands on the phase that a model is the body of; None when nothing does."""
        found = self.get(PHASES[model])
        if found is None:
            return None
        return found.said if isinstance(found.said, model) else opened(model, found.text)

    def version(self, model: type[BaseModel]) -> int:
        """The version that stands; 0 when none does."""
        found = self.get(PHASES[model])
        return found.version if found else 0


@lru_cache(maxsize=100)
def _last_seen(visit_id: UUID) -> dict[str, dict[str, VisitRecord]]:
    """What stood on a visit when it was opened last, by the records' ids: none ever changes, so none is sent twice."""
    return {}


def _seen(visit_id: UUID, key: UUID, record: VisitRecord) -> VisitRecord:
    """A record that was just written, kept for whoever opens the visit next; under its own id, should it be undone."""
    known = _last_seen(visit_id)
    known["records"] = {**known.get("records", {}), str(key): record}
    return record


# One step down the index for each phase, however many versions there are. Orders and sheets are long: their bodies are
# left out.
_STANDING = """
    FROM unnest({visits}) AS v (id)
    CROSS JOIN unnest(CAST(ARRAY[
        'ask', 'look', 'margins', 'plan', 'overrides', 'consent', 'order', 'answer', 'close', 'sheet', 'photos',
        'photos_after', 'scales'] AS varchar[])) AS s (phase)
    CROSS JOIN LATERAL (
        SELECT id, version, body FROM record
        WHERE visit_id = v.id AND record.phase = s.phase ORDER BY version DESC LIMIT 1
    ) AS r
"""
_SHORT = "CASE WHEN s.phase NOT IN ('order', 'sheet') THEN r.body::text ELSE '' END"
_LATEST = f"SELECT v.id, s.phase, r.version, {_SHORT} {_STANDING.format(visits='%(visits)s::uuid[]')}"


def latest(db: Session, visit_ids: Sequence[UUID]) -> dict[UUID, VisitRecords]:
    """visit → what stands on its phases; the bodies of orders and sheets, which are long, are left out."""
    standing = {visit_id: VisitRecords() for visit_id in visit_ids}
    for visit_id, phase, version, text in db.connection().exec_driver_sql(_LATEST, {"visits": list(visit_ids)}):
        standing[visit_id][phase] = VisitRecord(version, text)
    return standing


def order(db: Session, visit_id: UUID) -> Ordered | None:
    """The plan that a treatment was begun with, whole; None before it began."""
    return standing(db, visit_id, Ordered)


def is_ordered(db: Session, visit_id: UUID) -> bool:
    """Whether a treatment began."""
    return db.scalar(select(Record.id).where(Record.visit_id == visit_id, Record.phase == "order").limit(1)) is not None


_BEGUN = """
    SELECT id FROM visit WHERE status <> 'closed' AND EXISTS (SELECT 1 FROM record
        WHERE visit_id = visit.id AND phase = 'order')
        AND EXISTS (SELECT 1 FROM treat_event WHERE visit_id = visit.id)
"""


def begun(db: Session) -> list[UUID]:
    """Visits that are not closed and whose treatment has had a tap."""
    return list(db.connection().exec_driver_sql(_BEGUN).scalars())


_ADD_VERSION = """
    INSERT INTO record (id, visit_id, phase, version, body, by, at)
    SELECT %(id)s, %(visit)s, %(phase)s::varchar, coalesce(max(version), 0) + 1, %(body)s::jsonb, %(by)s, %(at)s
    FROM record WHERE visit_id = %(visit)s AND phase = %(phase)s::varchar RETURNING version
"""


def add_version(db: Session, visit_id: UUID, body: BaseModel, by: UUID, at: datetime) -> VisitRecord:
    """A new version of the phase that this is the body of. The caller holds the turn (`lock`)."""
    key, text = uuid7(), written(body)
    values = {"id": key, "visit": visit_id, "phase": PHASES[type(body)], "body": text, "by": by, "at": at}
    version = int(db.connection().exec_driver_sql(_ADD_VERSION, values).scalar_one())
    return _seen(visit_id, key, VisitRecord(version, text, body))


class Taken(Exception):
    """Another wrote this version meanwhile, or the visit was closed."""


# `synchronous_commit` is the setting of this one statement's transaction: off acknowledges before the disk has it.
_ADD_NEXT = """
    INSERT INTO record (id, visit_id, phase, version, body, by, at)
    SELECT %(id)s, visit.id, %(phase)s::varchar, %(version)s, %(body)s::jsonb, %(by)s, %(at)s
    FROM visit WHERE visit.id = %(visit)s AND visit.status <> 'closed'
        AND set_config('synchronous_commit', 'off', true) <> ''
"""


def add_next(db: Session, visit_id: UUID, version: int, body: BaseModel, by: UUID, at: datetime) -> VisitRecord:
    """The version after the one that was read, as a draft (acknowledged before the disk has it). Raises Taken when
    another was quicker.
    """
    key, phase, text = uuid7(), PHASES[type(body)], written(body)
    values = {"id": key, "visit": visit_id, "phase": phase, "version": version, "body": text, "by": by, "at": at}
    try:
        if db.connection().exec_driver_sql(_ADD_NEXT, values).rowcount != 1:
            raise Taken
    except IntegrityError as quicker:
        raise Taken from quicker
    return _seen(visit_id, key, VisitRecord(version, text, body))


def version_of(db: Session, visit_id: UUID, model: type[Body], version: int) -> Body | None:
    """One version of a phase; None when there is none."""
    found = select(cast(Record.body, Text)).where(
        Record.visit_id == visit_id, Record.phase == PHASES[model], Record.version == version
    )
    text = db.scalar(found)
    return read(model, text) if text else None


def standing(db: Session, visit_id: UUID, model: type[Body]) -> Body | None:
    """The whole of a phase as it stands, however long; None when nothing does."""
    found = select(cast(Record.body, Text)).where(Record.visit_id == visit_id, Record.phase == PHASES[model])
    text = db.scalar(found.order_by(Record.version.desc()).limit(1))
    return read(model, text) if text else None


_LOTS = """
    SELECT DISTINCT ON (p ->> 'product') p ->> 'product', p ->> 'lot' FROM record
    CROSS JOIN LATERAL jsonb_array_elements(body -> 'products') AS p
    WHERE phase = 'close' AND body ? 'products' AND at > %(since)s ORDER BY p ->> 'product', at DESC
"""


def last_lots(db: Session, since: datetime) -> dict[str, str]:
    """Product → the lot that was used last in this studio since a moment."""
    return {row[0]: row[1] for row in db.connection().exec_driver_sql(_LOTS, {"since": since})}


_CLEANED = """
    SELECT DISTINCT ON (tool.key) tool.key, tool.value FROM record
    CROSS JOIN LATERAL jsonb_each_text(body -> 'cleaned') AS tool
    WHERE phase = 'close' AND body ? 'cleaned' AND at > %(since)s ORDER BY tool.key, at DESC
"""


def uncleaned(db: Session, since: datetime) -> frozenset[str]:
    """The machines (ids) that nobody said were cleaned after they were used last, since a moment."""
    rows = db.connection().exec_driver_sql(_CLEANED, {"since": since})
    return frozenset(row[0] for row in rows if row[1] != "true")


_PHOTOS = """
    SELECT that.starts_at, r.body::text FROM visit AS that
    CROSS JOIN LATERAL (SELECT body FROM record
        WHERE visit_id = that.id AND phase = 'photos' ORDER BY version DESC LIMIT 1) AS r
    WHERE that.client_id = %(client)s AND that.status = 'closed' AND that.starts_at < %(before)s ORDER BY that.starts_at
"""


def photos_before(db: Session, visit: "VisitSeen") -> list[tuple[datetime, PhotosBody]]:
    """The photographs of the client's closed visits before this one, with when, the oldest first."""
    rows = db.connection().exec_driver_sql(_PHOTOS, {"client": visit.client_id, "before": visit.starts_at})
    return [(at, opened(PhotosBody, text)) for at, text in rows]


class EarlierVisit(NamedTuple):
    """The client's last closed visit before another."""

    id: UUID
    starts_at: datetime


# Written out: it is asked for every page, and putting it together costs more than asking it.
#: So far back is read what skin was given: longer than anything waits.
READ_BACK_DAYS = 200
_AROUND = f"""
    SELECT visit.id, visit.client_id, visit.session_no, visit.starts_at, visit.minutes, visit.status,
        client.name, client.born, course.name, course.sessions,
        person.id, person.name, person.finger_mm, person.role, person.licences, person.careful_hands,
        last.id, last.starts_at, studio.time_zone, studio.house::text,
        (SELECT json_agg(id ORDER BY id) FROM device WHERE active),
        (SELECT json_agg(json_build_array(v.id, s.phase, r.version,
            CASE WHEN r.id = ANY(%(known)s::uuid[]) THEN '' ELSE {_SHORT} END, r.id))
            {_STANDING.format(visits="ARRAY[visit.id, last.id]")}),
        (SELECT json_agg(json_build_array(body::text, version) ORDER BY mark_id) FROM (
            SELECT DISTINCT ON (mark_id) mark_id, body, version, removed FROM mark
            WHERE client_id = visit.client_id AND (visit.status <> 'closed' OR at <= (
                SELECT max(at) FROM record WHERE record.visit_id = visit.id AND phase = 'close'))
            ORDER BY mark_id, version DESC) AS m WHERE NOT removed),
        (SELECT json_agg(body ORDER BY letter_id)::text FROM (
            SELECT DISTINCT ON (letter_id) letter_id, body || jsonb_build_object('id', letter_id, 'file',
                file_id) AS body FROM letter
            WHERE client_id = visit.client_id ORDER BY letter_id, version DESC) AS l),
        (SELECT json_agg(json_build_array(that.starts_at, did.key, did.value, r.body - 'facts' - 'did',
                coalesce((SELECT json_agg(task.answer || jsonb_build_object('told', task.done_at)
                    ORDER BY task.done_at) FROM task
                    WHERE task.visit_id = that.id AND task.kind = 'ask' AND task.done_at IS NOT NULL), '[]'))
                        ORDER BY that.starts_at)::text
            FROM visit AS that
            CROSS JOIN LATERAL (
                SELECT body FROM record WHERE visit_id = that.id AND phase = 'close' ORDER BY version DESC LIMIT 1) AS r
            CROSS JOIN LATERAL jsonb_each(coalesce(r.body -> 'did', '{{}}'::jsonb)) AS did
            WHERE that.client_id = visit.client_id AND that.status = 'closed' AND that.starts_at < visit.starts_at),
        (SELECT json_agg(json_build_array(body ->> 'modality', answer -> 'answer', done_at) ORDER BY done_at)::text
            FROM task WHERE client_id = visit.client_id AND kind = 'spot' AND done_at IS NOT NULL),
        (SELECT json_agg(json_build_object('agent', agent, 'modality', modality, 'degree', degree, 'amount', amount,
                'unit', unit, 'zones', zones, 'on', on_day, 'measured', measured, 'elsewhere', elsewhere)
                ORDER BY on_day NULLS FIRST, exposure.id)::text
            FROM exposure LEFT JOIN visit AS that ON that.id = exposure.visit_id
            WHERE exposure.client_id = visit.client_id AND taken_back IS NULL
                AND (on_day IS NULL OR on_day BETWEEN (visit.starts_at - interval '{READ_BACK_DAYS} days')::date
                    AND (visit.starts_at + interval '1 day')::date)
                AND (that.starts_at IS NULL OR that.starts_at < visit.starts_at)),
        (SELECT json_agg(json_build_object('modality', body ->> 'modality', 'what', body ->> 'what', 'on',
                (that.starts_at AT TIME ZONE studio.time_zone)::date))::text
            FROM (SELECT DISTINCT ON (reaction_id) body, visit_id FROM reaction
                WHERE client_id = visit.client_id ORDER BY reaction_id, version DESC) AS r
            JOIN visit AS that ON that.id = r.visit_id
            WHERE that.starts_at < visit.starts_at AND body ->> 'modality' <> '' AND body ->> 'source' LIKE 'incident%%'
                AND coalesce(body ->> 'closed_on', body ->> 'settled', '') = '')
    FROM visit
    JOIN client ON client.id = visit.client_id
    JOIN course ON course.id = visit.course_id
    JOIN person ON person.id = visit.therapist_id
    CROSS JOIN studio
    LEFT JOIN LATERAL (
        SELECT id, starts_at FROM visit AS that
        WHERE that.client_id = visit.client_id AND that.status = 'closed' AND that.starts_at < visit.starts_at
        ORDER BY that.starts_at DESC LIMIT 1
    ) AS last ON true
    WHERE visit.id = %(visit)s
"""  # noqa: S608 (constants)


class WhoseVisit(NamedTuple):
    """The client, as the phases need one."""

    name: str
    born: date


class WhichCourse(NamedTuple):
    """The course, as the phases need one."""

    name: str
    sessions: int


class WhoTreats(NamedTuple):
    """The therapist, as the phases need one; the finger breadth in mm, None when it was not measured."""

    id: UUID
    name: str
    finger_mm: float | None
    role: str
    licences: list[str]
    careful_hands: bool


class VisitSeen(NamedTuple):
    """A visit to be read."""

    id: UUID
    client_id: UUID
    session_no: int
    starts_at: datetime
    minutes: int
    status: str
    client: WhoseVisit
    course: WhichCourse
    therapist: WhoTreats


class LetterSeen(LetterBody):
    """A doctor's letter as it stands, with its file."""

    id: UUID
    file: UUID | None = None


class DoneBefore(NamedTuple):
    """A modality that was done before: when, how, how the visit ended, and what the client said afterwards."""

    at: datetime
    modality: str
    did: Given
    close: CloseBody
    said: list[SaidAfter]


class Around(NamedTuple):
    """A visit and what it stands in: the client's last closed visit, the studio's time zone, choices and machines as
    (id, card), what stands on the phases of both visits, the client's marks as they stand, with their versions (for a
    closed visit, as they stood then), letters, what was done before, the test spots that were read, by modality, what
    skin was given lately, and incidents that nobody has closed.
    """

    visit: VisitSeen
    previous: EarlierVisit | None
    time_zone: str
    house: House
    cards: list[tuple[str, str]]
    records: VisitRecords
    earlier: VisitRecords
    marks: list[tuple[int, Mark]]
    letters: list[LetterSeen]
    done: list[DoneBefore]
    spots: dict[str, SpotRead]
    exposed: tuple[Exposed, ...]
    reports: tuple[Report, ...]


def around(db: Session, visit_id: UUID) -> Around | None:
    """All of it in one question. None when there is no such visit."""
    known = _last_seen(visit_id)
    held = known.get("records", {})
    row: Any = db.connection().exec_driver_sql(_AROUND, {"visit": visit_id, "known": [*held]}).first()
    if row is None:
        return None
    around_it = (WhoseVisit(*row[6:8]), WhichCourse(*row[8:10]), WhoTreats(*row[10:16]))
    visit = VisitSeen._make([*row[:6], *around_it])
    last_id, last_at, zone, house, cards, found, drawn, letters, done, spots, given, reports = row[16:]
    both = {str(visit_id): VisitRecords(), str(last_id): VisitRecords()}
    seen = {key: held.get(key) or VisitRecord(version, text) for _, _, version, text, key in found or ()}
    for of, phase, _, _, key in found or ():
        both[of][phase] = seen[key]
    known["records"] = seen
    return Around(
        visit,
        EarlierVisit(last_id, last_at) if last_id else None,
        zone,
        opened(House, house),
        _cards(db, cards or []),
        both[str(visit_id)],
        both[str(last_id)],
        [(version, opened(Mark, text)) for text, version in drawn or ()],
        _letters(letters),
        _done(done),
        _spots(spots),
        _exposed(given),
        _REPORTS.validate_json(reports) if reports else (),
    )


_LETTERS: TypeAdapter[list[LetterSeen]] = TypeAdapter(list[LetterSeen])
_DONE: TypeAdapter[list[DoneBefore]] = TypeAdapter(list[DoneBefore])
_EXPOSED: TypeAdapter[tuple[Exposed, ...]] = TypeAdapter(tuple[Exposed, ...])
_REPORTS: TypeAdapter[tuple[Report, ...]] = TypeAdapter(tuple[Report, ...])
_SPOTS: TypeAdapter[list[tuple[str, SpotAnswer, datetime]]] = TypeAdapter(list[tuple[str, SpotAnswer, datetime]])


# What the same words say is read once: most of a client's past stays as it was from one page to the next.
@lru_cache(maxsize=200)
def _letters(text: str | None) -> list[LetterSeen]:
    return _LETTERS.validate_json(text) if text else []


@lru_cache(maxsize=200)
def _done(text: str | None) -> list[DoneBefore]:
    rows = json.loads(text) if text else []
    return _DONE.validate_python(
        [(at, modality, did, upgraded("close", close), said) for at, modality, did, close, said in rows]
    )


@lru_cache(maxsize=200)
def _spots(text: str | None) -> dict[str, SpotRead]:
    read_ = _SPOTS.validate_json(text) if text else []
    return {modality: SpotRead(answer=answer, on=at.date()) for modality, answer, at in read_}


@lru_cache(maxsize=200)
def _exposed(text: str | None) -> tuple[Exposed, ...]:
    return _EXPOSED.validate_json(text) if text else ()


#: Machine → its card as JSON. A card is written once and never changed, so it is read once a process.
_card_texts: dict[str, str] = {}


def _cards(db: Session, ids: list[str]) -> list[tuple[str, str]]:
    """The cards of these machines, in their order."""
    if any(one not in _card_texts for one in ids):
        rows = db.connection().exec_driver_sql("SELECT id::text, card::text FROM device")
        _card_texts.update({key: text for key, text in rows})  # noqa: C416 (rows)
    return [(one, _card_texts[one]) for one in ids]


def previous_of(db: Session, visits: Sequence[Visit]) -> dict[UUID, UUID]:
    """visit → the client's closed visit before it, for a whole day at once."""
    earlier = {}
    if visits:
        first = max(visit.starts_at for visit in visits)
        ids = {visit.client_id for visit in visits}
        closed = select(Visit.client_id, Visit.id, Visit.starts_at).where(
            Visit.client_id.in_(ids), Visit.status == "closed"
        )
        rows = db.execute(closed.where(Visit.starts_at < first).order_by(Visit.starts_at)).all()
        for visit in visits:
            mine = [row.id for row in rows if row.client_id == visit.client_id and row.starts_at < visit.starts_at]
            if mine:
                earlier[visit.id] = mine[-1]
    return earlier


def set_status(db: Session, visit_id: UUID, status: str) -> None:
    """Booked, closed or cancelled. Raises Booked when its time is taken by now."""
    try:
        db.execute(update(Visit).where(Visit.id == visit_id).values(status=status))
    except IntegrityError as taken:
        raise Booked from taken


def after(db: Session, visit: Visit | VisitSeen) -> Visit | None:
    """The client's next booked visit after this one."""
    found = select(Visit).where(
        Visit.client_id == visit.client_id, Visit.status == "booked", Visit.starts_at > visit.starts_at
    )
    return db.scalar(found.order_by(Visit.starts_at).limit(1))


_LOCK = "SELECT status FROM visit WHERE id = %(visit)s FOR UPDATE"


class Locked(NamedTuple):
    """A visit's status, held so that writers of one visit take turns until this transaction ends."""

    status: str


def lock(db: Session, visit_id: UUID) -> Locked | None:
    """Takes the turn to write. None when there is no such visit."""
    status = db.connection().exec_driver_sql(_LOCK, {"visit": visit_id}).scalar()
    return Locked(status) if status else None


def clients_named(db: Session, part: str, most: int = 50) -> list[Client]:
    """Clients whose name holds these letters."""
    named = Client.name.icontains(part, autoescape=True)
    return list(
        db.scalars(
            select(Client).where(named, Client.merged_into.is_(None)).order_by(Client.name, Client.born).limit(most)
        )
    )


def hold_name(db: Session, name: str) -> None:
    """Whoever adds a client of this name takes turns, until this transaction ends: two at once
    would both see nobody.
    """
    db.connection().exec_driver_sql("SELECT pg_advisory_xact_lock(hashtextextended(%(name)s, 7))", {"name": name})


class Booked(Exception):
    """Another visit of this therapist stands then."""


def add(db: Session, visit: Visit) -> None:
    """A visit into the diary. Raises Booked when it would overlap another that is booked with the same therapist."""
    db.add(visit)
    try:
        db.flush()
    except IntegrityError as taken:
        if "visit_no_double" in str(taken.orig):
            raise Booked from taken
        raise


def course_of(db: Session, client_id: UUID) -> Course | None:
    """The client's newest course."""
    return db.scalar(select(Course).where(Course.client_id == client_id).order_by(Course.id.desc()).limit(1))


def sessions_so_far(db: Session, course_id: UUID) -> int:
    """The highest session number of a course that was not cancelled."""
    return (
        db.scalar(
            select(func.coalesce(func.max(Visit.session_no), 0)).where(
                Visit.course_id == course_id, Visit.status != "cancelled"
            )
        )
        or 0
    )
