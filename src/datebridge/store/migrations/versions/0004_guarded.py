"""whose a job is, and where passwords may go"""

import sqlalchemy as sa
from alembic import op

revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('job', sa.Column('lane', sa.String(), nullable=False, server_default=''))
    op.add_column('job', sa.Column('claim', sa.String(), nullable=False, server_default=''))
    op.add_column('job', sa.Column('not_before', sa.Integer(), nullable=False, server_default='0'))
    op.add_column('account', sa.Column('origins', sa.JSON(), nullable=False, server_default='[]'))
    op.execute("UPDATE account SET origins = json_array(host)")


def downgrade() -> None:
    op.drop_column('account', 'origins')
    for column in ('not_before', 'claim', 'lane'):
        op.drop_column('job', column)
