"""The connection to PostgreSQL."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from time import monotonic
from typing import Any

from psycopg import Error
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import DisconnectionError, InterfaceError, OperationalError
from sqlalchemy.orm import Session

IDLE_S = 0.5
MIGRATIONS = Path(__file__).parent / "migrations"
#: Every question here is small and asked often: planned once a connection, not once a request, and never compiled.
PLANNING = {"options": "-c plan_cache_mode=force_generic_plan -c jit=off", "prepare_threshold": 1}


def url() -> str:
    """The server's address from MERAK_DATABASE_URL. Raises RuntimeError when it is not set."""
    address = os.environ.get("MERAK_DATABASE_URL", "")
    if not address:
        raise RuntimeError("MERAK_DATABASE_URL is not set; ./start sets it for its own PostgreSQL")
    return address.replace("postgresql://", "postgresql+psycopg://", 1)


@cache
def engine() -> Engine:
    """One pool for the process. Errors never show parameters: they hold what clients said."""
    made = create_engine(
        url(), pool_size=10, max_overflow=20, pool_use_lifo=True, hide_parameters=True, connect_args=PLANNING
    )
    event.listen(made, "checkin", _note_idle)
    event.listen(made, "checkout", _try_first)
    return made


@cache
def _reading() -> Engine:
    return engine().execution_options(isolation_level="AUTOCOMMIT")


def _note_idle(connection: Any, record: Any) -> None:
    record.info["idle_since"] = monotonic()


def _try_first(connection: Any, record: Any, proxy: Any) -> None:
    """Tries a connection that was idle before it is used, so that a restarted server costs nobody a request; a busy one
    is not asked.
    """
    if monotonic() - record.info.get("idle_since", monotonic()) > IDLE_S:
        try:
            connection.execute("SELECT 1")
            connection.rollback()
        except Error as gone:
            raise DisconnectionError from gone


def away(error: Exception) -> bool:
    """Whether an error means that the database is not there, or was restarted in the middle of it."""
    return isinstance(error, (OperationalError, InterfaceError))


@contextmanager
def work_session() -> Iterator[Session]:
    """A session that reads without a transaction around it, and writes inside `transaction`: half as many round trips
    for a page.
    """
    with Session(_reading(), expire_on_commit=False) as db:
        yield db


@contextmanager
def transaction(db: Session) -> Iterator[None]:
    """One transaction of a session: all of what is written in it, or nothing."""
    connection = db.connection()
    connection.exec_driver_sql("BEGIN")
    try:
        yield
        db.flush()
        connection.exec_driver_sql("COMMIT")
    except BaseException:
        connection.exec_driver_sql("ROLLBACK")
        db.rollback()
        raise


@contextmanager
def session() -> Iterator[Session]:
    """A session; what was not committed is rolled back."""
    with Session(engine(), expire_on_commit=False) as db:
        yield db


def migrate() -> None:
    """Brings the tables up to this version."""
    from alembic import command  # not for who only serves: it brings nine megabytes along
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    command.upgrade(config, "head")
