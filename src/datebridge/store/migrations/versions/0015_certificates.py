"""Certificates of accounts: an authority, and one of one's own."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("authority", sa.String(), nullable=False, server_default=""))
    op.add_column("account", sa.Column("certificate_sealed", sa.LargeBinary(), nullable=False, server_default=sa.text("x''")))


def downgrade() -> None:
    with op.batch_alter_table("account") as batch:
        batch.drop_column("certificate_sealed")
        batch.drop_column("authority")
