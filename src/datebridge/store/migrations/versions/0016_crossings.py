"""Crossings, their lanes, and what verifying them found."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "crossing",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False, unique=True),
        sa.Column("account_id", sa.Integer(), sa.ForeignKey("account.id")),
        sa.Column("options", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.Integer(), nullable=False),
    )
    op.create_table(
        "lane",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("crossing_id", sa.Integer(), sa.ForeignKey("crossing.id"), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("source_id", sa.Integer(), sa.ForeignKey("calendar.id"), nullable=False),
        sa.Column("filter", sa.String(), nullable=False),
        sa.Column("target_id", sa.Integer(), sa.ForeignKey("calendar.id")),
        sa.Column("target_name", sa.String(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.Column("options", sa.JSON(), nullable=False),
        sa.Column("going", sa.Boolean(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("ran_at", sa.Integer()),
        sa.Column("verified_at", sa.Integer()),
        sa.Column("verified", sa.JSON(), nullable=False),
    )
    op.create_index("ix_lane_crossing_id", "lane", ["crossing_id"])
    op.create_table(
        "lane_set",
        sa.Column("lane_id", sa.Integer(), sa.ForeignKey("lane.id"), primary_key=True),
        sa.Column("set_id", sa.Integer(), sa.ForeignKey("change_set.id"), primary_key=True),
    )
    op.create_index("ix_lane_set_set_id", "lane_set", ["set_id"])
    op.create_table(
        "lane_difference",
        sa.Column("lane_id", sa.Integer(), sa.ForeignKey("lane.id"), primary_key=True),
        sa.Column("position", sa.Integer(), primary_key=True),
        sa.Column("verdict", sa.String(), nullable=False),
        sa.Column("source_id", sa.Integer()),
        sa.Column("there_id", sa.Integer()),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("fields", sa.String(), nullable=False),
        sa.Column("occurrences", sa.Integer(), nullable=False),
        sa.Column("moved_by", sa.Integer(), nullable=False),
        sa.Column("cause", sa.String(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
    )
    op.create_table(
        "lane_ruling",
        sa.Column("lane_id", sa.Integer(), sa.ForeignKey("lane.id"), primary_key=True),
        sa.Column("digest", sa.LargeBinary(), primary_key=True),
    )
    op.create_index("ix_change_source", "change", ["source_id"], sqlite_where=sa.text("source_id IS NOT NULL"))


def downgrade() -> None:
    op.drop_index("ix_change_source", "change")
    for table in ("lane_ruling", "lane_difference", "lane_set", "lane", "crossing"):
        op.drop_table(table)
