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
CODES = (("odd-rule", "invalid-rule-part"), ("odd-fence", "irregular-fence"), ("odd-tokens", "stale-tokens"))


def _recode(codes: tuple[tuple[str, str], ...]) -> None:
    for old, new in codes:
        for table in ("problem", "finding", "check_run"):
            op.execute(f"UPDATE {table} SET code = '{new}' WHERE code = '{old}'")
        for table, column in (("account", "habits"), ("preference", "value")):
            quoted, wanted = f"'\"{old}\"'", f"'\"{new}\"'"
            op.execute(f"UPDATE {table} SET {column} = replace({column}, {quoted}, {wanted})")


def upgrade() -> None:
    _recode(CODES)
    for table, old, new in COLUMNS:
        op.execute(f"ALTER TABLE {table} RENAME COLUMN {old} TO {new}")
    for table, column, old, new in VALUES:
        op.execute(f"UPDATE {table} SET {column} = '{new}' WHERE {column} = '{old}'")


def downgrade() -> None:
    _recode(tuple((new, old) for old, new in CODES))
    for table, old, new in COLUMNS:
        op.execute(f"ALTER TABLE {table} RENAME COLUMN {new} TO {old}")
    for table, column, old, new in VALUES:
        op.execute(f"UPDATE {table} SET {column} = '{old}' WHERE {column} = '{new}'")
