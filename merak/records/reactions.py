"""The reactions register: what stands of each line, and what was used in which visit."""

from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from merak.records.tables import ReactionVersion

_REGISTER = """
    SELECT r.reaction_id, r.version, r.body, r.at, r.visit_id, r.client_id, client.name, visit.starts_at FROM (
        SELECT DISTINCT ON (reaction_id) * FROM reaction ORDER BY reaction_id, version DESC) AS r
    JOIN client ON client.id = r.client_id
    JOIN visit ON visit.id = r.visit_id
    ORDER BY visit.starts_at DESC, r.reaction_id
"""


class ReactionLine(NamedTuple):
    """A line of the register as it stands."""

    id: UUID
    version: int
    body: dict[str, Any]
    at: datetime
    visit: UUID
    client_id: UUID
    client: str
    on: datetime


def register(db: Session) -> list[ReactionLine]:
    """Every line as it stands, the newest visit first."""
    return [ReactionLine(*row) for row in db.connection().exec_driver_sql(_REGISTER)]


def versions(db: Session, reaction_id: UUID) -> list[ReactionVersion]:
    """Every version of a line, the newest first, held until this transaction ends."""
    found = select(ReactionVersion).where(ReactionVersion.reaction_id == reaction_id).order_by(ReactionVersion.version.desc())
    return list(db.scalars(found.with_for_update()))


def of_visit(db: Session, visit_id: UUID, source: str) -> ReactionVersion | None:
    """The line that a visit already has from this source."""
    found = select(ReactionVersion).where(ReactionVersion.visit_id == visit_id, ReactionVersion.body["source"].astext == source)
    return db.scalar(found.order_by(ReactionVersion.version.desc()).limit(1))


_USED = """
    SELECT that.id, r.body -> 'did', r.body -> 'products' FROM visit AS that
    CROSS JOIN LATERAL (SELECT body FROM record WHERE visit_id = that.id AND phase = 'close' ORDER BY version DESC LIMIT 1) AS r
    WHERE that.status = 'closed'
"""


def used(db: Session) -> list[tuple[UUID, dict[str, Any], list[dict[str, Any]]]]:
    """What was done in every closed visit, and which products with which lots."""
    return [(row[0], row[1] or {}, row[2] or []) for row in db.connection().exec_driver_sql(_USED)]
