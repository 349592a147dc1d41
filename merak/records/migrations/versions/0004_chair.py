"""what a tap belongs to, tasks, stand-ins"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None

NOW = sa.text('now()')

# One errand for a tap: it takes the visit's turn, looks where the visit's taps stand, appends what is new, and says whether the visit is
# open. Each statement in it sees what was committed before it began, so that order of number is order of commit. The first row always
# comes, with the visit's status ('' when there is none); the others are the taps that were new.
KEEP_TAPS = """
CREATE FUNCTION keep_taps(the_visit uuid, the_person uuid, taps jsonb)
RETURNS TABLE (status text, before bigint, id uuid, kind text, at timestamptz, value float8, words text, step int, data jsonb, seq bigint, by uuid)
LANGUAGE plpgsql AS $$
#variable_conflict use_column
DECLARE
    stands text;
    last bigint;
BEGIN
    SELECT v.status INTO stands FROM visit v WHERE v.id = the_visit FOR UPDATE;
    SELECT e.seq INTO last FROM treat_event e WHERE e.visit_id = the_visit ORDER BY e.seq DESC LIMIT 1;
    RETURN QUERY SELECT coalesce(stands, ''), last, NULL::uuid, NULL::text, NULL::timestamptz, NULL::float8, NULL::text, NULL::int,
        NULL::jsonb, NULL::bigint, NULL::uuid;
    IF stands IS NULL OR stands = 'closed' THEN
        RETURN;
    END IF;
    RETURN QUERY INSERT INTO treat_event AS e (id, visit_id, kind, at, value, words, step, data, by)
        SELECT tap.id, the_visit, tap.kind, tap.at, tap.value, tap.words, tap.step, tap.data, the_person
        FROM jsonb_to_recordset(taps)
            AS tap (id uuid, kind text, at timestamptz, value float8, words text, step int, data jsonb)
        ON CONFLICT (id) DO NOTHING
        RETURNING stands, last, e.id, e.kind::text, e.at, e.value, e.words::text, e.step, e.data, e.seq, e.by;
END
$$
"""


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
    op.execute(KEEP_TAPS)
    op.create_table('stand_in',
    sa.Column('id', sa.String(), nullable=False),
    sa.Column('body', json, nullable=False),
    sa.PrimaryKeyConstraint('id')
    )


def downgrade() -> None:
    op.execute('DROP FUNCTION keep_taps')
    op.drop_table('stand_in')
    op.drop_table('task')
    op.drop_column('treat_event', 'data')
    op.drop_column('treat_event', 'step')
