"""Stand-ins as they stand."""

import json
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from merak.records.tables import Simulated

_KEEP = """
    INSERT INTO simulated (id, body) VALUES (%(id)s, %(body)s::jsonb)
    ON CONFLICT (id) DO UPDATE SET body = excluded.body
"""


def all_of(db: Session) -> dict[str, dict[str, Any]]:
    """Every simulated instrument that was ever used."""
    return {id: body for id, body in db.execute(select(Simulated.id, Simulated.body))}  # noqa: C416 (rows)


def one(db: Session, id: str) -> dict[str, Any] | None:
    """One of them, as it was left; None before it was touched."""
    return db.scalar(select(Simulated.body).where(Simulated.id == id))


def keep(db: Session, id: str, body: dict[str, Any]) -> None:
    """As it stands now."""
    db.connection().exec_driver_sql(_KEEP, {"id": id, "body": json.dumps(body)})
