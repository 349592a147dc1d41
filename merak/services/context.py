"""Somebody at work: the database, who it is, and the time."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from merak.core.errors import MerakError
from merak.records import people
from merak.records.db import transaction
from merak.records.people import Worker
from merak.records.tables import Audit, Studio
from merak.services.permission import Action, Sealable, demand


class NotFound(MerakError):
    """There is no such thing, or not for this person."""


class OutOfTurn(MerakError):
    """It cannot be done yet, or no longer: something else comes first."""


@dataclass
class Context:
    """Everything that a service needs. `now` is aware, UTC; `jumped` is how far it has run away from the process's
    steady clock.
    """

    db: Session
    me: Worker
    now: datetime
    jumped: timedelta = timedelta(0)
    #: What was opened in this request, by visit, so that it is opened once; None: everything is read anew whenever it
    #: is asked for.
    files: dict[UUID, Any] | None = None

    @cached_property
    def studio(self) -> Studio:
        """The studio. Raises NotFound before it was set up."""
        found = people.studio(self.db)
        if found is None:
            raise NotFound("The studio has not been set up yet.")
        return found

    @cached_property
    def zone(self) -> ZoneInfo:
        """The studio's time zone."""
        return ZoneInfo(self.studio.time_zone)

    @property
    def today(self) -> date:
        """Today where the studio is."""
        return self.now.astimezone(self.zone).date()

    def demand(self, action: Action, thing: Sealable | None = None) -> None:
        """Raises Denied or Sealed unless I may."""
        demand(self.me, action, thing)

    @contextmanager
    def saving(self, action: str, thing: UUID | str = "", draft: bool = False) -> Iterator[Session]:
        """One transaction, with its line in the audit; nothing is kept when anything in it fails.

        A draft is one statement, which is a transaction of its own, and has no line in the audit.
        """
        if draft:
            yield self.db
            return
        with transaction(self.db):
            self.db.add(Audit(person_id=self.me.id, action=action, thing=str(thing)))
            yield self.db

    def note_reading(self, thing: UUID | str) -> None:
        """Keeps that a clinical record was read."""
        with self.saving("read", thing):
            pass
