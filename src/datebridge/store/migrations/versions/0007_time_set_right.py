"""calendars compared, what is scattered, and as of which revision both were looked for"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "comparison", sa.Column("id", sa.Integer(), primary_key=True), sa.Column("left_id", sa.Integer(), nullable=False),
        sa.Column("right_id", sa.Integer(), nullable=False), sa.Column("low", sa.Integer(), nullable=False),
        sa.Column("high", sa.Integer(), nullable=False), sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("made_at", sa.Integer(), nullable=False), sa.Column("counts", sa.JSON(), nullable=False),
        sa.Column("found", sa.Boolean(), nullable=False, server_default=sa.false()),
    )
    op.create_table(
        "compared_pair", sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("comparison_id", sa.Integer(), sa.ForeignKey("comparison.id"), nullable=False),
        sa.Column("verdict", sa.String(), nullable=False), sa.Column("title", sa.String(), nullable=False),
        sa.Column("month", sa.String(), nullable=False), sa.Column("fields", sa.String(), nullable=False),
        sa.Column("moved_by", sa.Integer(), nullable=True), sa.Column("same", sa.Integer(), nullable=False),
        sa.Column("changed", sa.Integer(), nullable=False), sa.Column("missing", sa.Integer(), nullable=False),
        sa.Column("extra", sa.Integer(), nullable=False), sa.Column("matched", sa.String(), nullable=False),
        sa.Column("slip", sa.String(), nullable=False), sa.Column("left_ids", sa.JSON(), nullable=False),
        sa.Column("right_ids", sa.JSON(), nullable=False),
    )
    op.create_index("ix_compared_pair", "compared_pair", ["comparison_id", "verdict"])
    op.create_table(
        "scattered", sa.Column("id", sa.Integer(), primary_key=True), sa.Column("kind", sa.String(), nullable=False),
        sa.Column("calendar_id", sa.Integer(), nullable=False), sa.Column("title", sa.String(), nullable=False),
        sa.Column("words", sa.String(), nullable=False), sa.Column("confidence", sa.Float(), nullable=False),
        sa.Column("entries", sa.JSON(), nullable=False), sa.Column("data", sa.JSON(), nullable=False),
    )
    op.add_column("meta", sa.Column("scattered", sa.Integer(), nullable=False, server_default="-1"))
    op.add_column("meta", sa.Column("seasons", sa.Integer(), nullable=False, server_default="-1"))


def downgrade() -> None:
    op.drop_column("meta", "seasons")
    op.drop_column("meta", "scattered")
    op.drop_table("scattered")
    op.drop_table("compared_pair")
    op.drop_table("comparison")
