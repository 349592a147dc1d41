"""The connection to PostgreSQL."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session

MIGRATIONS = Path(__file__).parent / "migrations"


def url() -> str:
    """The server's address from MERAK_DATABASE_URL. Raises RuntimeError when it is not set."""
    address = os.environ.get("MERAK_DATABASE_URL", "")
    if not address:
        raise RuntimeError("MERAK_DATABASE_URL is not set; ./start sets it for its own PostgreSQL")
    return address.replace("postgresql://", "postgresql+psycopg://", 1)


@cache
def engine() -> Engine:
    """One pool for the process. Errors never show parameters: they hold what clients said."""
    return create_engine(url(), pool_size=10, max_overflow=20, hide_parameters=True)


@contextmanager
def session() -> Iterator[Session]:
    """A session; what was not committed is rolled back."""
    with Session(engine(), expire_on_commit=False) as db:
        yield db


def migrate() -> None:
    """Brings the tables up to this version."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    command.upgrade(config, "head")
