"""travel time, the revision of the index, and what is kept for looking at time"""

import sqlalchemy as sa
from alembic import op

revision = '0003'
down_revision = '0002'
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ('version', 'entry'):
        op.add_column(table, sa.Column('travel', sa.Integer(), nullable=False, server_default='0'))
    op.add_column('meta', sa.Column('index_revision', sa.Integer(), nullable=False, server_default='0'))
    op.create_table('kept',
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('value', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('kind', 'name')
    )


def downgrade() -> None:
    op.drop_table('kept')
    op.drop_column('meta', 'index_revision')
    for table in ('entry', 'version'):
        op.drop_column(table, 'travel')
