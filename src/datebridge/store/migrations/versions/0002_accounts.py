"""accounts, the calendars that live elsewhere, and what is carried to them"""

import sqlalchemy as sa
from alembic import op

revision = '0002'
down_revision = '0001'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('account',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('host', sa.String(), nullable=False),
    sa.Column('user', sa.String(), nullable=False),
    sa.Column('address_sealed', sa.LargeBinary(), nullable=False),
    sa.Column('password_sealed', sa.LargeBinary(), nullable=False),
    sa.Column('principal', sa.String(), nullable=False),
    sa.Column('home', sa.String(), nullable=False),
    sa.Column('addresses', sa.JSON(), nullable=False),
    sa.Column('schedules', sa.Boolean(), nullable=False),
    sa.Column('created_at', sa.Integer(), nullable=False),
    sa.Column('trouble', sa.String(), nullable=False),
    sa.Column('trouble_since', sa.Integer(), nullable=True),
    sa.Column('gone', sa.Boolean(), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('remote',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('account_id', sa.Integer(), nullable=False),
    sa.Column('calendar_id', sa.Integer(), nullable=True),
    sa.Column('url', sa.String(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('colour', sa.String(), nullable=False),
    sa.Column('colour_space', sa.String(), nullable=False),
    sa.Column('description', sa.String(), nullable=False),
    sa.Column('zone', sa.String(), nullable=False),
    sa.Column('owner', sa.String(), nullable=False),
    sa.Column('owned', sa.Boolean(), nullable=False),
    sa.Column('writable', sa.Boolean(), nullable=False),
    sa.Column('components', sa.String(), nullable=False),
    sa.Column('position', sa.Integer(), nullable=False),
    sa.Column('entries', sa.Integer(), nullable=True),
    sa.Column('first', sa.Integer(), nullable=True),
    sa.Column('last', sa.Integer(), nullable=True),
    sa.Column('endless', sa.Boolean(), nullable=False),
    sa.Column('syncs', sa.Boolean(), nullable=False),
    sa.Column('tag', sa.String(), nullable=False),
    sa.Column('token', sa.String(), nullable=False),
    sa.Column('etag', sa.String(), nullable=False),
    sa.Column('modified', sa.String(), nullable=False),
    sa.Column('every', sa.Integer(), nullable=False),
    sa.Column('published_every', sa.Integer(), nullable=False),
    sa.Column('refreshed_at', sa.Integer(), nullable=True),
    sa.Column('next_at', sa.Integer(), nullable=True),
    sa.Column('outcome', sa.String(), nullable=False),
    sa.Column('trouble', sa.String(), nullable=False),
    sa.Column('failed_since', sa.Integer(), nullable=True),
    sa.Column('failures', sa.Integer(), nullable=False),
    sa.Column('held_set_id', sa.Integer(), nullable=True),
    sa.Column('held_digest', sa.String(), nullable=False),
    sa.ForeignKeyConstraint(['account_id'], ['account.id'], ),
    sa.ForeignKeyConstraint(['calendar_id'], ['calendar.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    with op.batch_alter_table('remote', schema=None) as batch_op:
        batch_op.create_index(batch_op.f('ix_remote_account_id'), ['account_id'], unique=False)
        batch_op.create_index(batch_op.f('ix_remote_calendar_id'), ['calendar_id'], unique=False)

    op.create_table('carriage',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('set_id', sa.Integer(), nullable=False),
    sa.Column('remote_id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('uid', sa.String(), nullable=False),
    sa.Column('state', sa.String(), nullable=False),
    sa.Column('message', sa.String(), nullable=False),
    sa.Column('theirs', sa.String(), nullable=False),
    sa.Column('theirs_etag', sa.String(), nullable=False),
    sa.ForeignKeyConstraint(['remote_id'], ['remote.id'], ),
    sa.ForeignKeyConstraint(['set_id'], ['change_set.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    with op.batch_alter_table('carriage', schema=None) as batch_op:
        batch_op.create_index('ix_carriage_open', ['remote_id', 'state'], unique=False)
        batch_op.create_index(batch_op.f('ix_carriage_set_id'), ['set_id'], unique=False)
        batch_op.create_index('ix_carriage_uid', ['remote_id', 'uid'], unique=False)

    op.create_table('resource',
    sa.Column('remote_id', sa.Integer(), nullable=False),
    sa.Column('href', sa.String(), nullable=False),
    sa.Column('uid', sa.String(), nullable=False),
    sa.Column('etag', sa.String(), nullable=False),
    sa.Column('versions', sa.String(), nullable=False),
    sa.ForeignKeyConstraint(['remote_id'], ['remote.id'], ),
    sa.PrimaryKeyConstraint('remote_id', 'href')
    )
    with op.batch_alter_table('resource', schema=None) as batch_op:
        batch_op.create_index('ix_resource_uid', ['remote_id', 'uid'], unique=False)

    for name in ('tint', 'zone', 'description'):
        op.add_column('calendar', sa.Column(name, sa.String(), nullable=False, server_default=''))
    op.add_column('calendar', sa.Column('writable', sa.Boolean(), nullable=False, server_default=sa.text('1')))
    op.add_column('change', sa.Column('source_id', sa.Integer(), nullable=True))
