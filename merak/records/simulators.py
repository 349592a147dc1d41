"""Simulated instruments as they stand."""

from typing import TypeVar

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from merak.records.bodies.upgrades import Raw
from merak.records.tables import Simulated

_KEEP = """
    INSERT INTO simulated (id, body) VALUES (%(id)s, %(body)s::jsonb)
    ON CONFLICT (id) DO UPDATE SET body = excluded.body
"""


Instrument = TypeVar("Instrument", bound=BaseModel)


def all_of(db: Session) -> dict[str, Raw]:
    """Every simulated instrument that was ever used."""
    return {id: body for id, body in db.execute(select(Simulated.id, Simulated.body))}  # noqa: C416 (rows)


def one(db: Session, id: str, model: type[Instrument]) -> Instrument | None:
    """One of them, as it was left; None before it was touched."""
    body = db.scalar(select(Simulated.body).where(Simulated.id == id))
    return model.model_validate(body) if body else None


def keep(db: Session, id: str, instrument: BaseModel) -> None:
    """As it stands now."""
    db.connection().exec_driver_sql(_KEEP, {"id": id, "body": instrument.model_dump_json()})
