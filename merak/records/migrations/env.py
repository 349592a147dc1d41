"""Alembic's entry: runs the migrations on the configured server."""

from alembic import context

from merak.records.db import engine
from merak.records.tables import Base

with engine().connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
