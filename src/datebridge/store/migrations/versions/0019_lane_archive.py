"""Where a lane has put away what is over."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("lane", sa.Column("archive", sa.JSON(), nullable=False, server_default="{}"))


def downgrade() -> None:
    op.drop_column("lane", "archive")
