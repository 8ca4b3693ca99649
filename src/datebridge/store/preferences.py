"""What is kept under a name for looking at time; see `tables.Kept`."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import Connection


def kept(connection: Connection, kind: str) -> list[tuple[str, dict[str, Any]]]:
    """Names with what is kept under them, in order of the names."""
    rows = connection.exec_driver_sql("SELECT name, value FROM kept WHERE kind = ? ORDER BY name", (kind,))
    return [(name, json.loads(value)) for name, value in rows]


def keep(connection: Connection, kind: str, name: str, value: dict[str, Any]) -> None:
    """Keep something under a name, in place of what was kept there."""
    connection.exec_driver_sql(
        "INSERT OR REPLACE INTO kept (kind, name, value) VALUES (?, ?, ?)", (kind, name, json.dumps(value))
    )


def forget(connection: Connection, kind: str, name: str) -> None:
    connection.exec_driver_sql("DELETE FROM kept WHERE kind = ? AND name = ?", (kind, name))
