"""which entries are one meeting: groups and their members, and as of which revision they were looked for"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "duplicate", sa.Column("id", sa.Integer(), primary_key=True), sa.Column("kind", sa.String(), nullable=False),
        sa.Column("score", sa.Float(), nullable=False), sa.Column("reasons", sa.JSON(), nullable=False),
    )
    op.create_index("ix_duplicate_kind", "duplicate", ["kind", "score"])
    op.create_table(
        "duplicate_member",
        sa.Column("duplicate_id", sa.Integer(), sa.ForeignKey("duplicate.id"), primary_key=True),
        sa.Column("position", sa.Integer(), primary_key=True),
        sa.Column("entry_id", sa.Integer(), nullable=False),
    )
    op.create_index("ix_duplicate_member_entry", "duplicate_member", ["entry_id"])
    op.add_column("meta", sa.Column("matched", sa.Integer(), nullable=False, server_default="-1"))


def downgrade() -> None:
    op.drop_column("meta", "matched")
    op.drop_table("duplicate_member")
    op.drop_table("duplicate")
