"""the studio's own rule book, version by version"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0009'
down_revision = '0008'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('own_rules',
    sa.Column('version', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('rules', postgresql.JSONB(), nullable=False),
    sa.Column('changes', postgresql.JSONB(), nullable=False),
    sa.Column('by', sa.Uuid(), nullable=False),
    sa.Column('at', postgresql.TIMESTAMP(timezone=True), server_default=sa.text('now()'), nullable=False),
    sa.ForeignKeyConstraint(['by'], ['person.id'], ),
    sa.PrimaryKeyConstraint('version')
    )


def downgrade() -> None:
    op.drop_table('own_rules')
