"""The reactions register: what stands of each line, and what was used in which visit."""

from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from sqlalchemy import cast, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from merak.records.bodies.house import ReactionBody
from merak.records.bodies.visit import CloseBody, Given, UsedProduct
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
    body: ReactionBody
    at: datetime
    visit: UUID
    client_id: UUID
    client: str
    on: datetime


def register(db: Session) -> list[ReactionLine]:
    """Every line as it stands, the newest visit first."""
    rows = db.connection().exec_driver_sql(_REGISTER)
    return [ReactionLine._make([*row[:2], ReactionBody.model_validate(row[2]), *row[3:]]) for row in rows]


def versions(db: Session, reaction_id: UUID) -> list[ReactionVersion]:
    """Every version of a line, the newest first, held until this transaction ends."""
    found = (
        select(ReactionVersion)
        .where(ReactionVersion.reaction_id == reaction_id)
        .order_by(ReactionVersion.version.desc())
    )
    return list(db.scalars(found.with_for_update()))


def of_visit(db: Session, visit_id: UUID, source: str) -> ReactionVersion | None:
    """The line that a visit already has from this source."""
    whence = cast(ReactionVersion.body, JSONB)["source"].astext
    found = select(ReactionVersion).where(ReactionVersion.visit_id == visit_id, whence == source)
    return db.scalar(found.order_by(ReactionVersion.version.desc()).limit(1))


_USED = """
    SELECT that.id, r.body -> 'did', r.body -> 'products' FROM visit AS that
    CROSS JOIN LATERAL (SELECT body FROM record
        WHERE visit_id = that.id AND phase = 'close' ORDER BY version DESC LIMIT 1) AS r
    WHERE that.status = 'closed'
"""


def used(db: Session) -> list[tuple[UUID, dict[str, Given], tuple[UsedProduct, ...]]]:
    """What was done in every closed visit, and which products with which lots."""
    rows = db.connection().exec_driver_sql(_USED)
    closed = ((row[0], CloseBody.model_validate({"did": row[1] or {}, "products": row[2] or ()})) for row in rows)
    return [(visit, close.did, close.products) for visit, close in closed]
