"""What clients' skin was given: one indexed table, which follows from the records.

Revision ID: 0012
Revises: 0011
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "exposure",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("client_id", sa.Uuid(), nullable=False),
        sa.Column("visit_id", sa.Uuid(), nullable=True),
        sa.Column("agent", sa.String(), nullable=False),
        sa.Column("modality", sa.String(), nullable=False),
        sa.Column("degree", sa.Integer(), nullable=True),
        sa.Column("amount", sa.Float(), nullable=True),
        sa.Column("unit", sa.String(), nullable=False),
        sa.Column("zones", postgresql.ARRAY(sa.Text()), nullable=False),
        sa.Column("on_day", sa.Date(), nullable=True),
        sa.Column("measured", sa.Boolean(), nullable=False),
        sa.Column("elsewhere", sa.String(), nullable=False),
        sa.Column("by", sa.Uuid(), nullable=True),
        sa.Column("at", postgresql.TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("taken_back", postgresql.TIMESTAMP(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["client_id"], ["client.id"]),
        sa.ForeignKeyConstraint(["visit_id"], ["visit.id"]),
        sa.ForeignKeyConstraint(["by"], ["person.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("exposure_of_client", "exposure", ["client_id", "on_day"])
    op.create_index(op.f("ix_exposure_visit_id"), "exposure", ["visit_id"])
    op.create_index(op.f("ix_reaction_client_id"), "reaction", ["client_id"])


def downgrade() -> None:
    op.drop_index(op.f("ix_reaction_client_id"), "reaction")
    op.drop_table("exposure")
