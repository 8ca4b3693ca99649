"""What servers keep of what they were given, and how large it may be."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("resource", sa.Column("kept", sa.String(), nullable=False, server_default=""))
    op.add_column("remote", sa.Column("max_size", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("remote", sa.Column("drops", sa.String(), nullable=False, server_default=""))


def downgrade() -> None:
    for table, column in (("remote", "drops"), ("remote", "max_size"), ("resource", "kept")):
        with op.batch_alter_table(table) as batch:
            batch.drop_column(column)
