"""columns and tables are called what they are: a tap's act, a record's phase, a simulator's state"""

from pathlib import Path

from alembic import op

revision = '0008'
down_revision = '0007'
branch_labels = None
depends_on = None

SIGNATURE = "keep_taps(uuid, uuid, jsonb)"


def _keep_taps(act: str) -> str:
    """The function as it stands in 0006, its column of the act by this name."""
    text = Path(__file__).with_name("0006_taps.py").read_text().split('KEEP_TAPS = """')[1].split('"""')[0]
    return text.replace(" step int", f" {act} int").replace("tap.step", f"tap.{act}").replace("e.step", f"e.{act}").replace("words, step,", f"words, {act},")


def upgrade() -> None:
    op.execute(f"DROP FUNCTION {SIGNATURE}")
    op.alter_column('treat_event', 'step', new_column_name='act')
    op.execute(_keep_taps('act'))
    op.alter_column('record', 'stage', new_column_name='phase')
    op.execute("ALTER TABLE record RENAME CONSTRAINT record_visit_id_stage_version_key TO record_visit_id_phase_version_key")
    op.rename_table('stand_in', 'simulated')


def downgrade() -> None:
    op.rename_table('simulated', 'stand_in')
    op.execute("ALTER TABLE record RENAME CONSTRAINT record_visit_id_phase_version_key TO record_visit_id_stage_version_key")
    op.alter_column('record', 'phase', new_column_name='stage')
    op.execute(f"DROP FUNCTION {SIGNATURE}")
    op.alter_column('treat_event', 'act', new_column_name='step')
    op.execute(_keep_taps('step'))
