"""Doctors' letters, and the studio's routines: what stands of each."""

from uuid import UUID

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from merak.records.tables import LetterVersion, RoutineVersion


def latest(db: Session, client_id: UUID, letter_id: UUID) -> LetterVersion | None:
    """A client's letter as it stands."""
    found = select(LetterVersion).where(LetterVersion.client_id == client_id, LetterVersion.letter_id == letter_id)
    return db.scalar(found.order_by(LetterVersion.version.desc()).limit(1))


def routines(db: Session) -> list[RoutineVersion]:
    """The studio's routines as they stand, by when they were first kept."""
    newest = distinct_on(RoutineVersion.routine_id)
    found = select(RoutineVersion).ext(newest).order_by(RoutineVersion.routine_id, RoutineVersion.version.desc())
    return [one for one in db.scalars(found) if not one.removed]
