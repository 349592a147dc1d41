"""Signing in and out. Passwords are hashed with Argon2id; the cookie's token is kept only as a hash."""

import hashlib
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from time import monotonic

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from limits import parse
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from sqlalchemy.orm import Session

from merak.core.errors import MerakError
from merak.core.knowledge.own import OwnRules, working_with
from merak.records import db as database
from merak.records import people
from merak.records.people import Worker
from merak.records.tables import Audit, SignedIn
from merak.services.context import Context

#: Argon2id with 19 MiB, two passes: the least that OWASP's password storage sheet asks; from memory.
HASHER = PasswordHasher(time_cost=2, memory_cost=19456, parallelism=1)
LASTS = timedelta(hours=12)
_TRIES = MovingWindowRateLimiter(MemoryStorage())
_BY_NAME, _BY_ADDRESS = parse("8 per 5 minutes"), parse("40 per 5 minutes")
#: The clock and the steady clock as this process began.
_BEGAN = (datetime.now(UTC), monotonic())
#: Checked when nobody has the name, so that the answer takes as long.
_NOBODY = HASHER.hash(secrets.token_hex(8))


class SignInFailed(MerakError):
    """Wrong name or password, or too many tries."""


def token_hash(token: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(login: str, password: str, address: str) -> str:
    """The token of a new sign-in. Raises SignInFailed, the same for a wrong name as for a wrong password."""
    allowed = _TRIES.test(_BY_NAME, "name", login.strip().lower()) and _TRIES.test(_BY_ADDRESS, "address", address)
    if not allowed:
        raise SignInFailed("Too many tries. Wait five minutes, then try again.")
    with database.session() as db:
        person = people.by_login(db, login)
        try:
            HASHER.verify(person.password_hash if person else _NOBODY, password)
        except (VerifyMismatchError, InvalidHashError):
            person = None
        if person is None:
            _TRIES.hit(_BY_NAME, "name", login.strip().lower())
            _TRIES.hit(_BY_ADDRESS, "address", address)
            db.add(Audit(person_id=None, action="sign-in failed"))
            db.commit()
            raise SignInFailed("That name and password do not belong together.")
        token = secrets.token_urlsafe(32)
        now = datetime.now(UTC)
        people.end_sign_ins(db, "", now)
        db.add(
            SignedIn(
                token_hash=token_hash(token),
                person_id=person.id,
                csrf=secrets.token_urlsafe(24),
                expires_at=now + LASTS,
            )
        )
        db.add(Audit(person_id=person.id, action="sign in"))
        db.commit()
        return token


def sign_out(ctx: Context, token: str) -> None:
    """Ends this sign-in."""
    with ctx.saving("sign out") as db:
        people.end_sign_ins(db, token_hash(token), ctx.now)
    _known.pop(token_hash(token), None)


@contextmanager
def at_work(token: str | None) -> Iterator[Context | None]:
    """The context of whoever holds this token, with the studio's own rule book in force; None when nobody does."""
    with database.work_session() as db:
        now = datetime.now(UTC)
        held = _held(db, token_hash(token), now) if token else None
        jumped = now - _BEGAN[0] - timedelta(seconds=monotonic() - _BEGAN[1])
        if held is None:
            yield None
        else:
            with working_with(own_rules_of(held.own_rules)):
                yield Context(db, held, now, jumped)


@lru_cache(maxsize=4)
def own_rules_of(text: str) -> OwnRules:
    """The studio's own rule book, as it is kept."""
    return OwnRules.model_validate_json(text) if text else OwnRules()


#: Token's hash → (who, when looked up). Every request asks, so for a few seconds the last answer stands.
_known: dict[str, tuple[Worker, datetime]] = {}
_KNOWN_FOR = timedelta(seconds=5)


def forget() -> None:
    """Every request asks the database again from now on: somebody's access was ended."""
    _known.clear()


def known(token: str | None) -> Worker | None:
    """Who held this token a few seconds ago, without asking the database; None where that is not known."""
    return _lately(token_hash(token), datetime.now(UTC)) if token else None


def _lately(hashed: str, now: datetime) -> Worker | None:
    worker, asked = _known.get(hashed, (None, now))
    return worker if now - asked < _KNOWN_FOR else None


def _held(db: Session, hashed: str, now: datetime) -> Worker | None:
    worker = _lately(hashed, now)
    if worker is not None:
        return worker
    _known.pop(hashed, None)
    if len(_known) > 500:
        _known.clear()
    found = people.signed_in(db, hashed, now)
    if found:
        _known[hashed] = (found, now)
    return found
