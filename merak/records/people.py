"""Who works here, and who is signed in."""

from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from sqlalchemy import Text, bindparam, cast, delete, func, select
from sqlalchemy.orm import Session

from merak.records.tables import Device, OwnRulesVersion, Person, SetUpCode, SignedIn, Studio


def studio(db: Session) -> Studio | None:
    """The studio, or None before it was set up."""
    return db.get(Studio, 1)


def by_login(db: Session, login: str) -> Person | None:
    """The person who signs in with this name, whatever its case."""
    return db.scalar(select(Person).where(func.lower(Person.login) == login.strip().lower(), Person.active))


class Worker(NamedTuple):
    """Somebody at work, as the services need them."""

    id: UUID
    name: str
    role: str
    csrf: str = ""
    #: The studio's own rule book as it stands, as JSON; "" for none.
    own_rules: str = ""


_OWN_RULES = func.coalesce(
    select(cast(OwnRulesVersion.rules, Text)).order_by(OwnRulesVersion.version.desc()).limit(1).scalar_subquery(), ""
)
_HELD = (
    select(Person.id, Person.name, Person.role, SignedIn.csrf, _OWN_RULES)
    .join(SignedIn, SignedIn.person_id == Person.id)
    .where(SignedIn.token_hash == bindparam("token"), SignedIn.expires_at > bindparam("now"), Person.active)
)


def signed_in(db: Session, token_hash: str, now: datetime) -> Worker | None:
    """Whoever is behind a token, while the sign-in lasts."""
    row = db.execute(_HELD, {"token": token_hash, "now": now}).first()
    return Worker(*row) if row else None


def end_sign_ins(db: Session, token_hash: str, now: datetime) -> None:
    """Ends one sign-in, and sweeps those that have expired."""
    db.execute(delete(SignedIn).where((SignedIn.token_hash == token_hash) | (SignedIn.expires_at <= now)))


def end_access(db: Session, person_id: str) -> None:
    """Somebody who no longer works here: not active, and signed out everywhere."""
    for person in everyone(db):
        if str(person.id) == person_id:
            person.active = False
            db.execute(delete(SignedIn).where(SignedIn.person_id == person.id))


def give_back(db: Session, person_id: str) -> None:
    """Somebody who works here again."""
    for person in everyone(db):
        if str(person.id) == person_id:
            person.active = True


def everyone(db: Session) -> list[Person]:
    """All who work here, by name."""
    return list(db.scalars(select(Person).order_by(Person.name)))


def treating(db: Session) -> list[Person]:
    """Those who may be booked."""
    return [person for person in everyone(db) if person.active and person.role in ("owner", "senior", "therapist")]


def licences(db: Session, person_id: UUID) -> list[str]:
    """The licences that somebody holds."""
    return list(db.scalar(select(Person.licences).where(Person.id == person_id)) or [])


def devices(db: Session, active: bool = True) -> list[Device]:
    """The machines in use (or those put away), in the order in which they were added."""
    return list(db.scalars(select(Device).where(Device.active == active).order_by(Device.id)))


def device(db: Session, device_id: str) -> Device | None:
    """One machine, in use or put away."""
    try:
        return db.get(Device, UUID(device_id))
    except ValueError:
        return None


def use_code(db: Session, code_hash: str) -> bool:
    """Takes the one-time code; False when it is not the one."""
    return bool(
        db.execute(delete(SetUpCode).where(SetUpCode.code_hash == code_hash).returning(SetUpCode.code_hash)).first()
    )
