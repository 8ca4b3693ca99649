"""whose a job is, where passwords may go, and when entries are, at hand"""

import sqlalchemy as sa
from alembic import op

revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None
ORDERS = {
    'start': ['start'], 'summary': ['summary_key'], 'location': ['location_key'], 'repeats': ['repeats'],
    'zone': ['zone', 'tzid'], 'marks': ['marks'],
}


def upgrade() -> None:
    op.add_column('job', sa.Column('lane', sa.String(), nullable=False, server_default=''))
    op.add_column('job', sa.Column('claim', sa.String(), nullable=False, server_default=''))
    op.add_column('job', sa.Column('not_before', sa.Integer(), nullable=False, server_default='0'))
    op.add_column('account', sa.Column('origins', sa.JSON(), nullable=False, server_default='[]'))
    op.add_column('calendar', sa.Column('revision', sa.Integer(), nullable=False, server_default='0'))
    for name, columns in ORDERS.items():
        op.drop_index(f'ix_entry_{name}', 'entry')
        op.create_index(f'ix_entry_{name}', 'entry', [*columns, 'listed'], sqlite_where=sa.text('listed = 1'))
    op.create_index('ix_entry_span', 'entry', ['start_wall', 'until_wall', 'calendar_id', 'marks', 'listed'])
    op.create_table('density',
    sa.Column('calendar_id', sa.Integer(), sa.ForeignKey('calendar.id'), nullable=False),
    sa.Column('year', sa.Integer(), nullable=False),
    sa.Column('zone', sa.String(), nullable=False),
    sa.Column('revision', sa.Integer(), nullable=False),
    sa.Column('counts', sa.String(), nullable=False),
    sa.Column('cut', sa.String(), nullable=False),
    sa.PrimaryKeyConstraint('calendar_id', 'year', 'zone')
    )
    op.execute("UPDATE account SET origins = json_array(host)")


def downgrade() -> None:
    op.drop_table('density')
    op.drop_index('ix_entry_span', 'entry')
    for name, columns in ORDERS.items():
        op.drop_index(f'ix_entry_{name}', 'entry')
        op.create_index(f'ix_entry_{name}', 'entry', columns, sqlite_where=sa.text('listed = 1'))
    op.drop_column('calendar', 'revision')
    op.drop_column('account', 'origins')
    for column in ('not_before', 'claim', 'lane'):
        op.drop_column('job', column)
