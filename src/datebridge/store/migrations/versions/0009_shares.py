"""What is given to readers: shares, their owners, readers and addresses, what they hold, where they are handed out to."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def _text(name: str, default: str = "") -> sa.Column[str]:
    return sa.Column(name, sa.String(), nullable=False, server_default=default)


def upgrade() -> None:
    op.create_table(
        "role", sa.Column("id", sa.Integer(), primary_key=True), sa.Column("name", sa.String(), nullable=False, unique=True),
        _text("contact"),
    )
    op.create_table(
        "share", sa.Column("id", sa.Integer(), primary_key=True), sa.Column("mark", sa.String(), nullable=False, unique=True),
        sa.Column("secret", sa.LargeBinary(), nullable=False), sa.Column("title", sa.String(), nullable=False),
        sa.Column("role_id", sa.Integer(), sa.ForeignKey("role.id"), nullable=False),
        sa.Column("calendars", sa.JSON(), nullable=False), _text("filter"), sa.Column("terms", sa.JSON(), nullable=False),
        sa.Column("forms", sa.JSON(), nullable=False), _text("zone", "UTC"),
        sa.Column("interval", sa.Integer(), nullable=False, server_default="3600"),
        sa.Column("fixed_at", sa.Integer()), sa.Column("until", sa.Integer()),
        sa.Column("sites", sa.JSON(), nullable=False),
        sa.Column("indexed", sa.Boolean(), nullable=False, server_default="0"),
        sa.Column("made_at", sa.Integer(), nullable=False), sa.Column("changed_at", sa.Integer(), nullable=False),
        sa.Column("ended_at", sa.Integer()), _text("by_whom", "person"),
    )
    op.create_table(
        "reader", sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("share_id", sa.Integer(), sa.ForeignKey("share.id"), nullable=False), _text("name"), _text("mail"),
        _text("password"), sa.Column("made_at", sa.Integer(), nullable=False), sa.Column("ended_at", sa.Integer()),
    )
    op.create_index("ix_reader_share_id", "reader", ["share_id"])
    op.create_table(
        "share_address", sa.Column("digest", sa.String(), primary_key=True),
        sa.Column("reader_id", sa.Integer(), sa.ForeignKey("reader.id"), nullable=False),
        sa.Column("made_at", sa.Integer(), nullable=False), sa.Column("ended_at", sa.Integer()),
        sa.Column("target", sa.LargeBinary(), nullable=False, server_default=""),
    )
    op.create_index("ix_share_address_reader_id", "share_address", ["reader_id"])
    op.create_table(
        "share_held", sa.Column("share_id", sa.Integer(), sa.ForeignKey("share.id"), primary_key=True),
        sa.Column("version_id", sa.Integer(), primary_key=True), sa.Column("calendar_id", sa.Integer(), nullable=False),
        sa.Column("meant", sa.Boolean(), nullable=False, server_default="1"),
    )
    op.create_index("ix_share_held_version", "share_held", ["version_id"])
    op.create_table(
        "share_host", sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("share_id", sa.Integer(), sa.ForeignKey("share.id"), nullable=False), _text("form", "feed"),
        sa.Column("host", sa.String(), nullable=False), _text("user"),
        sa.Column("address_sealed", sa.LargeBinary(), nullable=False),
        sa.Column("password_sealed", sa.LargeBinary(), nullable=False, server_default=""),
        sa.Column("always", sa.Boolean(), nullable=False, server_default="1"), _text("etag"), _text("digest"), _text("seen"), _text("sending"),
        _text("outcome"), _text("trouble"), sa.Column("failures", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("tried_at", sa.Integer()), sa.Column("done_at", sa.Integer()),
    )
    op.create_index("ix_share_host_share_id", "share_host", ["share_id"])


def downgrade() -> None:
    for name in ("share_host", "share_held", "share_address", "reader", "share", "role"):
        op.drop_table(name)
