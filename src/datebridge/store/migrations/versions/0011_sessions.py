"""Browsers that were let in by the access key."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "session",
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("until", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("digest"),
    )


def downgrade() -> None:
    op.drop_table("session")
