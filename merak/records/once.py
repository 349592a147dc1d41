"""Forms that were taken, so that none counts twice."""

from datetime import datetime, timedelta

from sqlalchemy.orm import Session

KEPT_FOR = timedelta(days=2)


_swept: list[datetime] = []


def claim(db: Session, key: str, now: datetime) -> bool:
    """Whether this form is new; from now on it is not. Old ones are forgotten, once an hour."""
    run = db.connection().exec_driver_sql
    if not _swept or now - _swept[-1] > timedelta(hours=1):
        run("DELETE FROM once WHERE at < %(old)s", {"old": now - KEPT_FOR})
        _swept[:] = [now]
    return run("INSERT INTO once (key, at) VALUES (%(key)s, %(at)s) ON CONFLICT DO NOTHING", {"key": key, "at": now}).rowcount == 1


def give_back(db: Session, key: str) -> None:
    """The form did nothing: it may be sent once more."""
    db.connection().exec_driver_sql("DELETE FROM once WHERE key = %(key)s", {"key": key})
