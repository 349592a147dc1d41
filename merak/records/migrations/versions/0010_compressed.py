"""Bodies of records are packed by the quicker of the server's two ways, where it has both.

Revision ID: 0010
Revises: 0009
"""

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

QUICKER = """
DO $$ BEGIN
    IF EXISTS (
        SELECT FROM pg_settings WHERE name = 'default_toast_compression' AND 'lz4' = ANY(enumvals)
    ) THEN
        ALTER TABLE record ALTER COLUMN body SET COMPRESSION lz4;
    END IF;
END $$
"""


def upgrade() -> None:
    op.execute(QUICKER)


def downgrade() -> None:
    op.execute("ALTER TABLE record ALTER COLUMN body SET COMPRESSION default")
