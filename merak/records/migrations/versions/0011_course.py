"""The rules of a course are no modality's: the studio's own versions of them follow their new names.

Revision ID: 0011
Revises: 0010
"""

from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def renamed(was: str, now: str) -> None:
    """Both columns, every version."""
    for column in ("rules", "changes"):
        op.execute(f"""UPDATE own_rules SET {column} = replace({column}::text, '"{was}', '"{now}')::jsonb""")


def upgrade() -> None:
    renamed("course.microcurrent.", "course.")


def downgrade() -> None:
    for name in ("gap_least", "gap_most", "sessions", "keep"):
        renamed(f"course.{name}", f"course.microcurrent.{name}")
