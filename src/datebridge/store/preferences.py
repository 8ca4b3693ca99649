"""What is kept under a name for looking at time; see `tables.Preference`."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.sqlite import insert

from datebridge.store.tables import PREFERENCES


def kept(connection: Connection, kind: str) -> list[tuple[str, dict[str, object]]]:
    """Names with what is kept under them, in order of the names."""
    query = select(PREFERENCES.c.name, PREFERENCES.c.value).where(PREFERENCES.c.kind == kind)
    return [(row.name, row.value) for row in connection.execute(query.order_by(PREFERENCES.c.name))]


def keep(connection: Connection, kind: str, name: str, value: dict[str, object]) -> None:
    """Keep something under a name, in place of what was kept there."""
    row = insert(PREFERENCES).prefix_with("OR REPLACE")
    connection.execute(row.values(kind=kind, name=name, value=value))


def forget(connection: Connection, kind: str, name: str) -> None:
    connection.execute(delete(PREFERENCES).where(PREFERENCES.c.kind == kind, PREFERENCES.c.name == name))
