"""Marks on the plates: their versions, who drew them, and what was taken back."""

from typing import NamedTuple
from uuid import UUID

from sqlalchemy import exists, select
from sqlalchemy.orm import Session, aliased

from merak.records.tables import MarkVersion, Person


def versions(db: Session, client_id: UUID, mark_id: UUID) -> list[MarkVersion]:
    """All versions of a mark of a client, the oldest first; empty when there is none."""
    found = select(MarkVersion).where(MarkVersion.client_id == client_id, MarkVersion.mark_id == mark_id)
    return list(db.scalars(found.order_by(MarkVersion.version)))


class MarkRow(NamedTuple):
    """A version with the name of who made it."""

    version: MarkVersion
    by: str


def history(db: Session, client_id: UUID, mark_id: UUID) -> list[MarkRow]:
    """All versions of a mark with their makers, the newest first."""
    found = select(MarkVersion, Person.name).join(Person, Person.id == MarkVersion.by)
    mine = found.where(MarkVersion.client_id == client_id, MarkVersion.mark_id == mark_id)
    return [MarkRow(version, name) for version, name in db.execute(mine.order_by(MarkVersion.version.desc()))]


def last_done(db: Session, visit_id: UUID, by: UUID) -> MarkVersion | None:
    """The last version that a person made in a visit and neither took back nor made by taking back."""
    later = aliased(MarkVersion)
    standing = select(MarkVersion).where(
        MarkVersion.visit_id == visit_id,
        MarkVersion.by == by,
        MarkVersion.undoes.is_(None),
        ~exists().where(later.undoes == MarkVersion.id),
    )
    return db.scalar(standing.order_by(MarkVersion.seq.desc()).limit(1))
