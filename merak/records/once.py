"""Forms that were taken, so that none counts twice."""

from datetime import datetime, timedelta

from sqlalchemy.orm import Session

KEPT_FOR = timedelta(days=2)


#: A form's number, for taking turns.
_NUMBER = "hashtextextended(%(key)s, 11)"
_swept: list[datetime] = []


def claim(db: Session, key: str, now: datetime) -> bool:
    """Whether this form is new; from now on it is not. Whoever sends it a second time waits until the first is through
    (`through`).

    Old ones are forgotten, once an hour.
    """
    run = db.connection().exec_driver_sql
    if not _swept or now - _swept[-1] > timedelta(hours=1):
        run("DELETE FROM once WHERE at < %(old)s", {"old": now - KEPT_FOR})
        _swept[:] = [now]
    run(f"SELECT pg_advisory_lock({_NUMBER})", {"key": key})
    new = (
        run(
            "INSERT INTO once (key, at) VALUES (%(key)s, %(at)s) ON CONFLICT DO NOTHING", {"key": key, "at": now}
        ).rowcount
        == 1
    )
    if not new:
        through(db, key)
    return new


def through(db: Session, key: str) -> None:
    """Whoever waits for this form goes on."""
    db.connection().exec_driver_sql(f"SELECT pg_advisory_unlock({_NUMBER})", {"key": key})


def give_back(db: Session, key: str) -> None:
    """The form did nothing: it may be sent once more."""
    db.connection().exec_driver_sql("DELETE FROM once WHERE key = %(key)s", {"key": key})
