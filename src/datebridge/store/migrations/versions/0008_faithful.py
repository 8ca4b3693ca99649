"""What the other end of an account was seen to do."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("habits", sa.JSON(), nullable=False, server_default="{}"))


def downgrade() -> None:
    op.drop_column("account", "habits")
