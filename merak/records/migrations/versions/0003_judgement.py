"""letters, files, routines, licences, the house's choices"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0003'
down_revision = '0002'
branch_labels = None
depends_on = None

NOW = sa.text('now()')


def upgrade() -> None:
    json = postgresql.JSONB(astext_type=sa.Text())
    op.add_column('studio', sa.Column('house', json, server_default='{}', nullable=False))
    op.add_column('person', sa.Column('licences', json, server_default='[]', nullable=False))
    op.add_column('person', sa.Column('careful_hands', sa.Boolean(), server_default='false', nullable=False))
    op.create_table('kept_file',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('client_id', sa.Uuid(), sa.ForeignKey('client.id'), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('content', sa.LargeBinary(), nullable=False),
    sa.Column('by', sa.Uuid(), sa.ForeignKey('person.id'), nullable=False),
    sa.Column('at', postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_kept_file_client_id'), 'kept_file', ['client_id'])
    op.create_table('letter',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('letter_id', sa.Uuid(), nullable=False),
    sa.Column('client_id', sa.Uuid(), sa.ForeignKey('client.id'), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('body', json, nullable=False),
    sa.Column('file_id', sa.Uuid(), sa.ForeignKey('kept_file.id'), nullable=True),
    sa.Column('by', sa.Uuid(), sa.ForeignKey('person.id'), nullable=False),
    sa.Column('at', postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('letter_id', 'version')
    )
    op.create_index(op.f('ix_letter_client_id'), 'letter', ['client_id'])
    op.create_table('routine',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('routine_id', sa.Uuid(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('body', json, nullable=False),
    sa.Column('removed', sa.Boolean(), nullable=False),
    sa.Column('by', sa.Uuid(), sa.ForeignKey('person.id'), nullable=False),
    sa.Column('at', postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('routine_id', 'version')
    )


def downgrade() -> None:
    for table in ('routine', 'letter', 'kept_file'):
        op.drop_table(table)
    op.drop_column('person', 'careful_hands')
    op.drop_column('person', 'licences')
    op.drop_column('studio', 'house')
