"""Columns and kinds called what they are."""

from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

COLUMNS = (
    ("calendar", "tint", "own_colour"),
    ("import_file", "octets", "size"),
    ("compared_pair", "slip", "misreading"),
)
VALUES = (
    ("scattered", "kind", "adopt", "detached"),
    ("job", "kind", "together", "combine"),
    ("job", "unit", "octets", "bytes"),
)


def upgrade() -> None:
    for table, old, new in COLUMNS:
        op.execute(f"ALTER TABLE {table} RENAME COLUMN {old} TO {new}")
    for table, column, old, new in VALUES:
        op.execute(f"UPDATE {table} SET {column} = '{new}' WHERE {column} = '{old}'")


def downgrade() -> None:
    for table, old, new in COLUMNS:
        op.execute(f"ALTER TABLE {table} RENAME COLUMN {new} TO {old}")
    for table, column, old, new in VALUES:
        op.execute(f"UPDATE {table} SET {column} = '{old}' WHERE {column} = '{new}'")
