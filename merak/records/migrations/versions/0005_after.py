"""after the treatment: how a client is reached, messages, links, reactions"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0005'
down_revision = '0004'
branch_labels = None
depends_on = None

NOW = sa.text('now()')


def upgrade() -> None:
    json = postgresql.JSONB(astext_type=sa.Text())
    moment = postgresql.TIMESTAMP(timezone=True)
    op.add_column('client', sa.Column('email', sa.String(), server_default='', nullable=False))
    op.add_column('client', sa.Column('language', sa.String(), server_default='en', nullable=False))
    op.add_column('client', sa.Column('habits', json, server_default='{}', nullable=False))
    op.add_column('task', sa.Column('link_hash', sa.String(), nullable=True))
    op.create_unique_constraint('task_link_hash_key', 'task', ['link_hash'])
    op.create_index(op.f('ix_task_visit_id'), 'task', ['visit_id'])
    op.create_table('message',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('client_id', sa.Uuid(), sa.ForeignKey('client.id'), nullable=False),
    sa.Column('visit_id', sa.Uuid(), sa.ForeignKey('visit.id'), nullable=False),
    sa.Column('task_id', sa.Uuid(), sa.ForeignKey('task.id'), nullable=True),
    sa.Column('channel', sa.String(), nullable=False),
    sa.Column('address', sa.String(), nullable=False),
    sa.Column('subject', sa.String(), nullable=False),
    sa.Column('words', sa.String(), nullable=False),
    sa.Column('attached', sa.String(), server_default='', nullable=False),
    sa.Column('send_at', moment, nullable=False),
    sa.Column('recalled', sa.Boolean(), server_default='false', nullable=False),
    sa.Column('by', sa.Uuid(), sa.ForeignKey('person.id'), nullable=False),
    sa.Column('at', moment, server_default=NOW, nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_message_send_at'), 'message', ['send_at'])
    op.create_index(op.f('ix_message_visit_id'), 'message', ['visit_id'])
    op.create_table('reaction',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('reaction_id', sa.Uuid(), nullable=False),
    sa.Column('client_id', sa.Uuid(), sa.ForeignKey('client.id'), nullable=False),
    sa.Column('visit_id', sa.Uuid(), sa.ForeignKey('visit.id'), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('body', json, nullable=False),
    sa.Column('by', sa.Uuid(), sa.ForeignKey('person.id'), nullable=False),
    sa.Column('at', moment, server_default=NOW, nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('reaction_id', 'version')
    )
    op.create_index(op.f('ix_reaction_visit_id'), 'reaction', ['visit_id'])


def downgrade() -> None:
    op.drop_table('reaction')
    op.drop_table('message')
    op.drop_index(op.f('ix_task_visit_id'), 'task')
    op.drop_constraint('task_link_hash_key', 'task')
    op.drop_column('task', 'link_hash')
    op.drop_column('client', 'habits')
    op.drop_column('client', 'language')
    op.drop_column('client', 'email')
