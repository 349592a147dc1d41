"""What clients' skin was given: the table of it, made again from the records that it follows from."""

from datetime import datetime
from uuid import UUID
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from merak.core.after.exposures import unknown_of
from merak.core.modality.exposed import Exposed
from merak.records import db as database
from merak.records import exposures, visits
from merak.records.bodies.visit import CloseBody
from merak.records.tables import Studio
from merak.records.visits import VisitSeen
from merak.services.context import Context


def given_in(db: Session, visit_id: UUID, starts_at: datetime, zone: ZoneInfo) -> tuple[Exposed, ...]:
    """What a closed visit gave, by its own record. One that was closed before that was kept says which work was done,
    and its order where: how much nobody knows.
    """
    close = visits.standing(db, visit_id, CloseBody)
    if close is None:
        return ()
    if close.exposures is not None:
        return close.exposures
    order, on = visits.order(db, visit_id), starts_at.astimezone(zone).date()
    zones: dict[str, dict[str, float]] = {}
    for stage in order.plan.stages if order else ():
        zones.setdefault(stage.modality, {}).update(order.zones.get(stage.id, {}) if order else {})
    return tuple(one for modality in close.did for one in unknown_of(modality, zones.get(modality, {}), on))


def rewrite(ctx: Context, visit: VisitSeen) -> None:
    """A closed visit's lines, from its record as it stands now."""
    exposures.write(ctx.db, visit.client_id, visit.id, given_in(ctx.db, visit.id, visit.starts_at, ctx.zone))


def recount(db: Session) -> int:
    """Every line of every closed visit anew; how many visits those are. What was done elsewhere has no other record,
    and stays.
    """
    zone, closed = ZoneInfo(db.scalars(select(Studio.time_zone)).one()), exposures.closed_visits(db)
    for visit_id, client_id, starts_at in closed:
        exposures.write(db, client_id, visit_id, given_in(db, visit_id, starts_at, zone))
    return len(closed)


def recount_once() -> None:
    """The table for records from before there was one."""
    with database.session() as db, db.begin():
        if not exposures.any_kept(db) and exposures.closed_visits(db):
            recount(db)
