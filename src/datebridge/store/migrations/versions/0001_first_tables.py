"""first tables"""

import sqlalchemy as sa
from alembic import op

revision = '0001'
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('calendar',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('colour', sa.Integer(), nullable=False),
    sa.Column('live', sa.Boolean(), nullable=False),
    sa.Column('source', sa.String(), nullable=False),
    sa.Column('taken_at', sa.Integer(), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('change_set',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('title', sa.String(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('reason', sa.String(), nullable=False),
    sa.Column('state', sa.String(), nullable=False),
    sa.Column('created_at', sa.Integer(), nullable=False),
    sa.Column('applied_at', sa.Integer(), nullable=True),
    sa.Column('creates', sa.Integer(), nullable=False),
    sa.Column('updates', sa.Integer(), nullable=False),
    sa.Column('deletes', sa.Integer(), nullable=False),
    sa.Column('held', sa.Integer(), nullable=False),
    sa.Column('revision', sa.Integer(), nullable=False),
    sa.Column('undoes_id', sa.Integer(), nullable=True),
    sa.Column('undone_by_id', sa.Integer(), nullable=True),
    sa.Column('note', sa.String(), nullable=False),
    sa.Column('details', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    with op.batch_alter_table('change_set', schema=None) as batch_op:
        batch_op.create_index(batch_op.f('ix_change_set_state'), ['state'], unique=False)

    op.create_table('incoming',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('path', sa.String(), nullable=False),
    sa.Column('octets', sa.Integer(), nullable=False),
    sa.Column('encoding', sa.String(), nullable=False),
    sa.Column('state', sa.String(), nullable=False),
    sa.Column('message', sa.String(), nullable=False),
    sa.Column('created_at', sa.Integer(), nullable=False),
    sa.Column('set_id', sa.Integer(), nullable=True),
    sa.PrimaryKeyConstraint('id')
    )
    with op.batch_alter_table('incoming', schema=None) as batch_op:
        batch_op.create_index(batch_op.f('ix_incoming_state'), ['state'], unique=False)

    op.create_table('job',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('title', sa.String(), nullable=False),
    sa.Column('params', sa.JSON(), nullable=False),
    sa.Column('state', sa.String(), nullable=False),
    sa.Column('done', sa.Integer(), nullable=False),
    sa.Column('total', sa.Integer(), nullable=False),
    sa.Column('unit', sa.String(), nullable=False),
    sa.Column('message', sa.String(), nullable=False),
    sa.Column('result', sa.JSON(), nullable=False),
    sa.Column('attempts', sa.Integer(), nullable=False),
    sa.Column('stop_requested', sa.Boolean(), nullable=False),
    sa.Column('created_at', sa.Integer(), nullable=False),
    sa.Column('finished_at', sa.Integer(), nullable=True),
    sa.PrimaryKeyConstraint('id')
    )
    with op.batch_alter_table('job', schema=None) as batch_op:
        batch_op.create_index(batch_op.f('ix_job_state'), ['state'], unique=False)

    op.create_table('meta',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('revision', sa.Integer(), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('problem',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('version_id', sa.Integer(), nullable=True),
    sa.Column('incoming_id', sa.Integer(), nullable=True),
    sa.Column('line', sa.Integer(), nullable=False),
    sa.Column('severity', sa.String(), nullable=False),
    sa.Column('code', sa.String(), nullable=False),
    sa.Column('message', sa.String(), nullable=False),
    sa.Column('done', sa.String(), nullable=False),
    sa.Column('text', sa.String(), nullable=False),
    sa.Column('uid', sa.String(), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    with op.batch_alter_table('problem', schema=None) as batch_op:
        batch_op.create_index(batch_op.f('ix_problem_code'), ['code'], unique=False)
        batch_op.create_index(batch_op.f('ix_problem_incoming_id'), ['incoming_id'], unique=False)
        batch_op.create_index(batch_op.f('ix_problem_version_id'), ['version_id'], unique=False)

    op.create_table('version',
    sa.Column('listed', sa.Boolean(), nullable=False),
    sa.Column('marks', sa.Integer(), nullable=False),
    sa.Column('start', sa.Integer(), nullable=True),
    sa.Column('start_wall', sa.Integer(), nullable=True),
    sa.Column('end_wall', sa.Integer(), nullable=True),
    sa.Column('until_wall', sa.Integer(), nullable=True),
    sa.Column('weekdays', sa.Integer(), nullable=False),
    sa.Column('gap_days', sa.Integer(), nullable=False),
    sa.Column('year', sa.Integer(), nullable=True),
    sa.Column('component', sa.String(), nullable=False),
    sa.Column('status', sa.String(), nullable=False),
    sa.Column('tzid', sa.String(), nullable=False),
    sa.Column('zone', sa.String(), nullable=False),
    sa.Column('categories', sa.String(), nullable=False),
    sa.Column('recurrence', sa.String(), nullable=False),
    sa.Column('uid', sa.String(), nullable=False),
    sa.Column('recurrence_id', sa.String(), nullable=False),
    sa.Column('sequence', sa.Integer(), nullable=False),
    sa.Column('modified', sa.Integer(), nullable=False),
    sa.Column('summary', sa.String(), nullable=False),
    sa.Column('summary_key', sa.String(), nullable=False),
    sa.Column('location', sa.String(), nullable=False),
    sa.Column('location_key', sa.String(), nullable=False),
    sa.Column('tzids', sa.String(), nullable=False),
    sa.Column('repeats', sa.String(), nullable=False),
    sa.Column('privacy', sa.String(), nullable=False),
    sa.Column('busy', sa.String(), nullable=False),
    sa.Column('attendees', sa.Integer(), nullable=False),
    sa.Column('digest', sa.LargeBinary(), nullable=False),
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('group_id', sa.Integer(), nullable=True),
    sa.Column('file_line', sa.Integer(), nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sqlite_autoincrement=True
    )
    with op.batch_alter_table('version', schema=None) as batch_op:
        batch_op.create_index('ix_version_group', ['group_id'], unique=False)

    op.create_table('change',
    sa.Column('set_id', sa.Integer(), nullable=False),
    sa.Column('position', sa.Integer(), nullable=False),
    sa.Column('calendar_id', sa.Integer(), nullable=False),
    sa.Column('uid', sa.String(), nullable=False),
    sa.Column('recurrence_id', sa.String(), nullable=False),
    sa.Column('before_id', sa.Integer(), nullable=True),
    sa.Column('after_id', sa.Integer(), nullable=True),
    sa.Column('reason', sa.String(), nullable=False),
    sa.Column('held', sa.Boolean(), nullable=False),
    sa.ForeignKeyConstraint(['set_id'], ['change_set.id'], ),
    sa.PrimaryKeyConstraint('set_id', 'position')
    )
    with op.batch_alter_table('change', schema=None) as batch_op:
        batch_op.create_index('ix_change_after', ['after_id'], unique=False)
        batch_op.create_index('ix_change_before', ['before_id'], unique=False)

    op.create_table('entry',
    sa.Column('listed', sa.Boolean(), nullable=False),
    sa.Column('marks', sa.Integer(), nullable=False),
    sa.Column('start', sa.Integer(), nullable=True),
    sa.Column('start_wall', sa.Integer(), nullable=True),
    sa.Column('end_wall', sa.Integer(), nullable=True),
    sa.Column('until_wall', sa.Integer(), nullable=True),
    sa.Column('weekdays', sa.Integer(), nullable=False),
    sa.Column('gap_days', sa.Integer(), nullable=False),
    sa.Column('year', sa.Integer(), nullable=True),
    sa.Column('component', sa.String(), nullable=False),
    sa.Column('status', sa.String(), nullable=False),
    sa.Column('tzid', sa.String(), nullable=False),
    sa.Column('zone', sa.String(), nullable=False),
    sa.Column('categories', sa.String(), nullable=False),
    sa.Column('recurrence', sa.String(), nullable=False),
    sa.Column('uid', sa.String(), nullable=False),
    sa.Column('recurrence_id', sa.String(), nullable=False),
    sa.Column('sequence', sa.Integer(), nullable=False),
    sa.Column('modified', sa.Integer(), nullable=False),
    sa.Column('summary', sa.String(), nullable=False),
    sa.Column('summary_key', sa.String(), nullable=False),
    sa.Column('location', sa.String(), nullable=False),
    sa.Column('location_key', sa.String(), nullable=False),
    sa.Column('tzids', sa.String(), nullable=False),
    sa.Column('repeats', sa.String(), nullable=False),
    sa.Column('privacy', sa.String(), nullable=False),
    sa.Column('busy', sa.String(), nullable=False),
    sa.Column('attendees', sa.Integer(), nullable=False),
    sa.Column('digest', sa.LargeBinary(), nullable=False),
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('calendar_id', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['calendar_id'], ['calendar.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    with op.batch_alter_table('entry', schema=None) as batch_op:
        batch_op.create_index('ix_entry_calendar', ['calendar_id', 'listed', 'start'], unique=False)
        batch_op.create_index('ix_entry_location', ['location_key'], unique=False, sqlite_where=sa.text('listed = 1'))
        batch_op.create_index('ix_entry_marks', ['marks'], unique=False, sqlite_where=sa.text('listed = 1'))
        batch_op.create_index('ix_entry_repeats', ['repeats'], unique=False, sqlite_where=sa.text('listed = 1'))
        batch_op.create_index('ix_entry_start', ['start'], unique=False, sqlite_where=sa.text('listed = 1'))
        batch_op.create_index('ix_entry_summary', ['summary_key'], unique=False, sqlite_where=sa.text('listed = 1'))
        batch_op.create_index('ix_entry_uid', ['uid', 'recurrence_id'], unique=False)
        batch_op.create_index('ix_entry_zone', ['zone', 'tzid'], unique=False, sqlite_where=sa.text('listed = 1'))

    op.create_table('incoming_group',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('incoming_id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('header', sa.String(), nullable=False),
    sa.Column('summary', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['incoming_id'], ['incoming.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    with op.batch_alter_table('incoming_group', schema=None) as batch_op:
        batch_op.create_index(batch_op.f('ix_incoming_group_incoming_id'), ['incoming_id'], unique=False)

    op.create_table('version_text',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('text', sa.String(), nullable=False),
    sa.ForeignKeyConstraint(['id'], ['version.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.execute(
        "CREATE VIRTUAL TABLE search USING fts5(summary, location, words, content='', columnsize=0,"
        " tokenize='unicode61 remove_diacritics 2')"
    )
    op.execute("INSERT INTO meta (id, revision) VALUES (1, 0)")
