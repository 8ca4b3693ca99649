"""Accounts that are signed in to through a sign-on host."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("sign_on", sa.String(), nullable=False, server_default=""))
    op.add_column("account", sa.Column("grant_sealed", sa.LargeBinary(), nullable=False, server_default=sa.text("x''")))


def downgrade() -> None:
    op.drop_column("account", "grant_sealed")
    op.drop_column("account", "sign_on")
