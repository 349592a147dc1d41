"""The studio's own rule book, version by version: each is kept whole, and none is ever changed."""

from datetime import datetime
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from merak.core.knowledge.own import OwnRules
from merak.records.bodies.house import RuleChange
from merak.records.tables import OwnRulesVersion, Person, Studio


class Version(NamedTuple):
    """One version: the rules as they stood, what was changed, by whom, when."""

    rules: OwnRules
    changes: tuple[RuleChange, ...]
    by: str
    at: datetime


def standing(db: Session) -> OwnRules:
    """The rules as they stand."""
    newest = select(OwnRulesVersion.rules).order_by(OwnRulesVersion.version.desc()).limit(1)
    return db.scalar(newest) or OwnRules()


def versions(db: Session) -> list[Version]:
    """Every version, the newest first."""
    found = (
        select(OwnRulesVersion.rules, OwnRulesVersion.changes, Person.name, OwnRulesVersion.at)
        .join(Person, Person.id == OwnRulesVersion.by)
        .order_by(OwnRulesVersion.version.desc())
    )
    return [Version(*row) for row in db.execute(found)]


def hold(db: Session) -> None:
    """One at a time: whoever else changes them waits until this transaction has ended."""
    db.execute(select(Studio.id).with_for_update())
