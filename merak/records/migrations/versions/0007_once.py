"""once: forms, bookings, names; doubles that were put together"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0007'
down_revision = '0006'
branch_labels = None
depends_on = None

# Minutes after a moment are the same in every time zone, so that this may stand in an index, though PostgreSQL cannot know it.
SPAN = """
CREATE FUNCTION visit_span(starts_at timestamptz, minutes int) RETURNS tstzrange LANGUAGE sql IMMUTABLE PARALLEL SAFE AS
$$ SELECT tstzrange(starts_at, starts_at + make_interval(mins => minutes)) $$
"""
# What overlapped before there was a constraint stays as it was booked.
OVERLAPPING = """
UPDATE visit AS one SET may_overlap = true FROM visit AS other
WHERE one.id <> other.id AND one.therapist_id = other.therapist_id AND one.status = 'booked' AND other.status = 'booked'
    AND visit_span(one.starts_at, one.minutes) && visit_span(other.starts_at, other.minutes)
"""
NO_DOUBLE = """
ALTER TABLE visit ADD CONSTRAINT visit_no_double
EXCLUDE USING gist (therapist_id WITH =, visit_span(starts_at, minutes) WITH &&) WHERE (status = 'booked' AND NOT may_overlap)
"""
# People of one name but for its case, from before: the later ones are told apart by a number.
TOLD_APART = """
UPDATE person SET {field} = person.{field} || ' ' || twin.nth FROM (
    SELECT id, row_number() OVER (PARTITION BY lower({field}) ORDER BY id) AS nth FROM person) AS twin
WHERE twin.id = person.id AND twin.nth > 1
"""


def upgrade() -> None:
    op.create_table('once',
    sa.Column('key', sa.String(), nullable=False),
    sa.Column('at', postgresql.TIMESTAMP(timezone=True), server_default=sa.text('now()'), nullable=False),
    sa.PrimaryKeyConstraint('key')
    )
    op.add_column('visit', sa.Column('may_overlap', sa.Boolean(), server_default='false', nullable=False))
    op.add_column('client', sa.Column('merged_into', sa.Uuid(), sa.ForeignKey('client.id'), nullable=True))
    op.execute('CREATE EXTENSION IF NOT EXISTS btree_gist')
    op.execute(SPAN)
    op.execute(OVERLAPPING)
    op.execute(NO_DOUBLE)
    for field in ('name', 'login'):
        op.execute(TOLD_APART.format(field=field).replace("|| ' ' ||", "|| '-' ||" if field == 'login' else "|| ' ' ||"))
        op.execute(f'CREATE UNIQUE INDEX person_{field}_once ON person (lower({field}))')


def downgrade() -> None:
    op.execute('DROP INDEX person_name_once')
    op.execute('DROP INDEX person_login_once')
    op.execute('ALTER TABLE visit DROP CONSTRAINT visit_no_double')
    op.execute('DROP FUNCTION visit_span')
    op.drop_column('client', 'merged_into')
    op.drop_column('visit', 'may_overlap')
    op.drop_table('once')
