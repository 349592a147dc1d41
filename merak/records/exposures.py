"""What clients' skin was given, as the one indexed table of it holds it."""

from collections.abc import Iterable
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from merak.core.modality.exposed import Exposed
from merak.records.tables import ExposureRow, Visit


def write(db: Session, client_id: UUID, visit_id: UUID, given: Iterable[Exposed]) -> None:
    """What a visit gave, in place of what stood of it."""
    db.execute(delete(ExposureRow).where(ExposureRow.visit_id == visit_id))
    db.add_all(_row(client_id, one, visit_id=visit_id) for one in given)


def add_elsewhere(db: Session, client_id: UUID, given: Iterable[Exposed], by: UUID, at: datetime) -> None:
    """What was done elsewhere, as it was told, and who wrote it down."""
    db.add_all(_row(client_id, one, by=by, at=at) for one in given)


def take_back(db: Session, client_id: UUID, row_id: UUID, at: datetime) -> bool:
    """What was written of work elsewhere is not so; whether there was such a line."""
    mine = (ExposureRow.id == row_id, ExposureRow.client_id == client_id, ExposureRow.visit_id.is_(None))
    row = db.scalars(select(ExposureRow).where(*mine, ExposureRow.taken_back.is_(None))).first()
    if row is not None:
        row.taken_back = at
    return row is not None


def _row(client_id: UUID, one: Exposed, **more: object) -> ExposureRow:
    said = one.model_dump(exclude={"on", "zones"})
    return ExposureRow(client_id=client_id, **said, zones=list(one.zones), on_day=one.on, **more)


class KeptExposure(NamedTuple):
    """A line of the table: its id, the visit that it is of (None: elsewhere), what was given."""

    id: UUID
    visit_id: UUID | None
    given: Exposed


def of_client(db: Session, client_id: UUID) -> list[KeptExposure]:
    """All that is known of a client, what nobody can date first."""
    found = select(ExposureRow).where(ExposureRow.client_id == client_id, ExposureRow.taken_back.is_(None))
    rows = db.scalars(found.order_by(ExposureRow.on_day.nullsfirst(), ExposureRow.id))
    return [KeptExposure(row.id, row.visit_id, exposed(row)) for row in rows]


def exposed(row: ExposureRow) -> Exposed:
    """A line as a value."""
    return Exposed(
        agent=row.agent,
        modality=row.modality,
        degree=row.degree,
        amount=row.amount,
        unit=row.unit,
        zones=tuple(row.zones),
        on=row.on_day,
        measured=row.measured,
        elsewhere=row.elsewhere,
    )


def closed_visits(db: Session) -> list[tuple[UUID, UUID, datetime]]:
    """(visit, client, start) of what is closed, in its order."""
    found = select(Visit.id, Visit.client_id, Visit.starts_at).where(Visit.status == "closed")
    return [(row.id, row.client_id, row.starts_at) for row in db.execute(found.order_by(Visit.starts_at, Visit.id))]


def any_kept(db: Session) -> bool:
    """Whether anything was written yet."""
    return db.scalar(select(ExposureRow.id).limit(1)) is not None
