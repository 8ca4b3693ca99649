"""The cutover list of crossings; shares that go on from another calendar under the names readers know."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "cutover_act",
        sa.Column("crossing_id", sa.Integer(), sa.ForeignKey("crossing.id"), primary_key=True),
        sa.Column("step", sa.String(), primary_key=True),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("by_whom", sa.String(), nullable=False),
        sa.Column("until", sa.Integer()),
        sa.Column("sets", sa.JSON(), nullable=False),
        sa.Column("jobs", sa.JSON(), nullable=False),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("notes", sa.JSON(), nullable=False),
    )
    op.add_column("crossing", sa.Column("sample", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("share", sa.Column("named_as", sa.JSON(), nullable=False, server_default="{}"))


def downgrade() -> None:
    op.drop_column("share", "named_as")
    op.drop_column("crossing", "sample")
    op.drop_table("cutover_act")
