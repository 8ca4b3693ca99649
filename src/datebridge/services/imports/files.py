"""Incoming files as they wait for a decision."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from sqlalchemy import Connection

from datebridge.services.imports.decide import Decision
from datebridge.services.imports.read import forget
from datebridge.services.imports.uploads import forget_file
from datebridge.settings import Settings
from datebridge.store.changesets.logbook import CannotApply
from datebridge.store.database import Store

#: The state a person sees: a file is taken once its batch is applied and not undone.
_STATE = (
    "CASE WHEN i.state = 'waiting' AND s.state = 'applied' AND s.undone_by_id IS NULL THEN 'taken' ELSE i.state END"
)
_COUNTS = (
    "(SELECT coalesce(sum(json_extract(g.summary, '$.entries')), 0) FROM incoming_group g WHERE g.incoming_id = i.id)"
    " AS entries, (SELECT count(*) FROM problem p WHERE p.incoming_id = i.id) AS problems"
)
_SELECT = (
    f"SELECT i.id, i.name, i.octets, i.encoding, i.message, i.created_at, i.set_id, i.path, {_STATE} AS state,"
    f" {_COUNTS}"
    " FROM incoming i LEFT JOIN change_set s ON s.id = i.set_id"
)


def listed(connection: Connection, limit: int = 200) -> list[dict[str, Any]]:
    """Incoming files, those that wait first."""
    rows = connection.exec_driver_sql(
        f"{_SELECT} WHERE i.state <> 'gone' ORDER BY {_STATE} = 'taken', i.id DESC LIMIT ?",
        (limit,),
    ).mappings()
    return [dict(row) for row in rows]


def one(connection: Connection, incoming_id: int) -> dict[str, Any] | None:
    row = connection.exec_driver_sql(f"{_SELECT} WHERE i.id = ?", (incoming_id,)).mappings().one_or_none()
    return dict(row) if row else None


def count_waiting(connection: Connection) -> int:
    return int(
        connection.exec_driver_sql(
            f"SELECT count(*) FROM incoming i LEFT JOIN change_set s ON s.id = i.set_id WHERE {_STATE} = 'waiting'"
        ).scalar_one()
    )


def suggested_name(connection: Connection, name: str, file_name: str, besides: Iterable[str] = ()) -> str:
    """A name for a fresh calendar that no other has: the stated one, else the file's, else numbered.

    Args:
        besides: names that are given at the same time.
    """
    stem = file_name.rsplit(".", 1)[0] or file_name
    taken = {row[0].lower() for row in connection.exec_driver_sql("SELECT name FROM calendar WHERE live")}
    taken.update(given.lower() for given in besides)
    for candidate in (name, stem):
        if candidate and candidate.lower() not in taken:
            return candidate
    number = 2
    while f"{stem} {number}".lower() in taken:
        number += 1
    return f"{stem} {number}"


def fresh_decisions(connection: Connection, incoming: list[int]) -> list[Decision]:
    """Each group of the given files into a fresh calendar of its own."""
    decisions: list[Decision] = []
    for number in incoming:
        for group, name, file_name in connection.exec_driver_sql(
            "SELECT g.id, g.name, i.name FROM incoming_group g JOIN incoming i ON i.id = g.incoming_id"
            " WHERE i.id = ? ORDER BY g.id",
            (number,),
        ).fetchall():
            given = [decision.name for decision in decisions]
            decisions.append(Decision(group, None, suggested_name(connection, name, file_name, given)))
    return decisions


def turn_away(store: Store, settings: Settings, incoming_id: int) -> None:
    """Forget a file that was not taken in.

    Raises:
        CannotApply: if it was taken in, or is being read.
    """
    with store.write() as connection:
        row = one(connection, incoming_id)
        if row is None:
            raise CannotApply("This file is not there any more.")
        if row["state"] in ("taken", "reading", "queued"):
            raise CannotApply(f"{row['name']} is {row['state']}, so it cannot be turned away.")
        kept = connection.exec_driver_sql(
            "SELECT count(*) FROM change c JOIN version v ON v.id = c.after_id"
            " JOIN incoming_group g ON g.id = v.group_id WHERE g.incoming_id = ?",
            (incoming_id,),
        ).scalar_one()
        path = connection.exec_driver_sql("SELECT path FROM incoming WHERE id = ?", (incoming_id,)).scalar_one()
        if kept:  # the logbook still speaks of its entries: they stay, only the file leaves the list
            connection.exec_driver_sql("UPDATE incoming SET state = 'gone' WHERE id = ?",
                                       (incoming_id,))  # fmt: skip
        else:
            forget(connection, incoming_id)
    forget_file(settings, path)
