"""what a tap belongs to, tasks, stand-ins"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None

NOW = sa.text('now()')


def upgrade() -> None:
    json = postgresql.JSONB(astext_type=sa.Text())
    moment = postgresql.TIMESTAMP(timezone=True)
    op.add_column('treat_event', sa.Column('step', sa.Integer(), nullable=True))
    op.add_column('treat_event', sa.Column('data', json, nullable=True))
    op.create_table('task',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('client_id', sa.Uuid(), sa.ForeignKey('client.id'), nullable=False),
    sa.Column('visit_id', sa.Uuid(), sa.ForeignKey('visit.id'), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('due_at', moment, nullable=False),
    sa.Column('body', json, nullable=False),
    sa.Column('answer', json, nullable=True),
    sa.Column('by', sa.Uuid(), sa.ForeignKey('person.id'), nullable=False),
    sa.Column('at', moment, server_default=NOW, nullable=False),
    sa.Column('done_by', sa.Uuid(), sa.ForeignKey('person.id'), nullable=True),
    sa.Column('done_at', moment, nullable=True),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_task_client_id'), 'task', ['client_id'])
    op.create_index(op.f('ix_task_due_at'), 'task', ['due_at'])
    op.create_table('stand_in',
    sa.Column('id', sa.String(), nullable=False),
    sa.Column('body', json, nullable=False),
    sa.PrimaryKeyConstraint('id')
    )


def downgrade() -> None:
    op.drop_table('stand_in')
    op.drop_table('task')
    op.drop_column('treat_event', 'data')
    op.drop_column('treat_event', 'step')
