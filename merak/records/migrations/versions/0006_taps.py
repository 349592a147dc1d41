"""how a tap's moment was found; a tap's id belongs to one visit"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0006'
down_revision = '0005'
branch_labels = None
depends_on = None

# As before, and two things more: what a tap tells of its clock is kept, and where an id belongs to another visit's tap, nothing is. Only
# where fewer taps were new than came is it looked at why.
KEEP_TAPS = """
CREATE OR REPLACE FUNCTION keep_taps(the_visit uuid, the_person uuid, taps jsonb)
RETURNS TABLE (status text, before bigint, id uuid, kind text, at timestamptz, value float8, words text, step int, data jsonb, seq bigint, by uuid)
LANGUAGE plpgsql AS $$
#variable_conflict use_column
DECLARE
    stands text;
    last bigint;
    new int;
BEGIN
    SELECT v.status INTO stands FROM visit v WHERE v.id = the_visit FOR UPDATE;
    SELECT e.seq INTO last FROM treat_event e WHERE e.visit_id = the_visit ORDER BY e.seq DESC LIMIT 1;
    RETURN QUERY SELECT coalesce(stands, ''), last, NULL::uuid, NULL::text, NULL::timestamptz, NULL::float8, NULL::text, NULL::int,
        NULL::jsonb, NULL::bigint, NULL::uuid;
    IF stands IS NULL OR stands = 'closed' THEN
        RETURN;
    END IF;
    RETURN QUERY INSERT INTO treat_event AS e (id, visit_id, kind, at, value, words, step, data, clock, by)
        SELECT tap.id, the_visit, tap.kind, tap.at, tap.value, tap.words, tap.step, tap.data, tap.clock, the_person
        FROM jsonb_to_recordset(taps)
            AS tap (id uuid, kind text, at timestamptz, value float8, words text, step int, data jsonb, clock jsonb)
        ON CONFLICT (id) DO NOTHING
        RETURNING stands, last, e.id, e.kind::text, e.at, e.value, e.words::text, e.step, e.data, e.seq, e.by;
    GET DIAGNOSTICS new = ROW_COUNT;
    IF new < jsonb_array_length(taps) AND EXISTS (
        SELECT 1 FROM jsonb_to_recordset(taps) AS tap (id uuid) JOIN treat_event e ON e.id = tap.id WHERE e.visit_id <> the_visit) THEN
        RAISE unique_violation USING MESSAGE = 'a tap of another visit has this id';
    END IF;
END
$$
"""


def upgrade() -> None:
    op.add_column('treat_event', sa.Column('clock', postgresql.JSONB(astext_type=sa.Text()), nullable=True))
    op.execute(KEEP_TAPS)


def downgrade() -> None:
    # The function goes on working without what it wrote there: an older program simply does not name it.
    op.execute(KEEP_TAPS.replace(", clock, by)", ", by)").replace("tap.data, tap.clock,", "tap.data,"))
    op.drop_column('treat_event', 'clock')
