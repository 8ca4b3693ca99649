"""What targets keep, as measured; and what entries are foretold to lose there."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "matrix",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("account_id", sa.Integer(), sa.ForeignKey("account.id")),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("made_at", sa.Integer(), nullable=False),
        sa.Column("requests", sa.Integer(), nullable=False),
        sa.Column("features", sa.JSON(), nullable=False),
        sa.Column("declared", sa.JSON(), nullable=False),
    )
    op.create_index("ix_matrix_account_id", "matrix", ["account_id"])
    op.create_table(
        "forecast",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("matrix_id", sa.Integer(), sa.ForeignKey("matrix.id"), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("made_at", sa.Integer(), nullable=False),
        sa.Column("selection", sa.JSON(), nullable=False),
        sa.Column("entries", sa.Integer(), nullable=False),
        sa.Column("whole", sa.Integer(), nullable=False),
    )
    op.create_table(
        "forecast_loss",
        sa.Column("forecast_id", sa.Integer(), sa.ForeignKey("forecast.id"), primary_key=True),
        sa.Column("position", sa.Integer(), primary_key=True),
        sa.Column("feature", sa.String(), nullable=False),
        sa.Column("verdict", sa.String(), nullable=False),
        sa.Column("version_id", sa.Integer(), nullable=False),
        sa.Column("calendar_id", sa.Integer(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
    )


def downgrade() -> None:
    for table in ("forecast_loss", "forecast", "matrix"):
        op.drop_table(table)
