"""Ids in order: whole orders, pages of them, and pages of what matches, from the indexes that hold the orders."""

from __future__ import annotations

import json
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection

SORTS = {
    "when": "start",
    "what": "summary_key",
    "where": "location_key",
    "calendar": "",  # by name, then by start: see _in_order
    "repeats": "repeats",
    "zone": "zone, tzid",
    "marks": "marks",
    "status": "status",
}
#: Fewer than this are put in order by themselves; of more, the whole order is gone through.
FEW = 3_000
#: Looking up one by its id takes as long as going through so many in order.
_SORTED = 4
LISTED_IDS = "SELECT value FROM json_each(?)"
#: Ids in an order; and for every id there is, whether it is meant.
Ids = NDArray[np.int64]
Flags = NDArray[np.bool_]


def first_of(
    connection: Connection, matches: Flags, total: int, sort: str, descending: bool, offset: int, limit: int
) -> list[int]:
    """One page of what matches, in order, without putting all the others in order."""
    if offset >= total:
        return []
    wanted = offset + limit
    # How many have to be gone through until so many are met, if they lie evenly.
    likely = wanted * len(matches) // total
    if total < FEW or likely > total * _SORTED:
        ids = json.dumps(np.flatnonzero(matches).tolist())
        return _listed(_sorted(connection, f"id IN ({LISTED_IDS})", [ids], sort, descending)[offset : offset + limit])
    first: list[int] = []
    for ids_there in _stretches(connection, sort, descending, likely + likely // 8):
        first += ids_there[matches[ids_there]].tolist()
        if len(first) >= wanted:
            break
    return first[offset:wanted]


def _keys(sort: str, descending: bool = False) -> str:
    """The ORDER BY of a sort; ties in order of the ids, so that pages are parts of one whole."""
    way = " DESC" if descending else ""
    return ", ".join(f"{key.strip()}{way}" for key in (*filter(None, SORTS[sort].split(",")), "id"))


def window_of(connection: Connection, sort: str, descending: bool, offset: int, limit: int) -> list[int]:
    """One page of everything."""
    if sort != "calendar":
        keys = _keys(sort, descending)
        return _listed(ids_of(connection, "listed = 1", [], f"{keys} LIMIT {limit} OFFSET {offset}"))
    window: list[int] = []
    for ids in _stretches(connection, sort, descending):
        window += ids.tolist()
        if len(window) >= offset + limit:
            break
    return window[offset : offset + limit]


def _sorted(connection: Connection, where: str, values: list[object], sort: str, descending: bool) -> Ids:
    way = " DESC" if descending else ""
    if sort == "calendar":
        name = "(SELECT k.name FROM calendar k WHERE k.id = calendar_id) COLLATE NOCASE"
        return ids_of(connection, where, values, f"{name}{way}, calendar_id{way}, start{way}, id{way}")
    return ids_of(connection, where, values, _keys(sort, descending))


def _stretches(connection: Connection, sort: str, descending: bool, first: int = 0) -> Iterator[Ids]:
    """All listed entries in order, in growing stretches, from the index that holds the order.

    Args:
        first: how many will probably do.
    """
    way = " DESC" if descending else ""
    orders = [("listed = 1", (), _keys(sort, descending))]
    if sort == "calendar":
        names = connection.exec_driver_sql("SELECT id FROM calendar ORDER BY name COLLATE NOCASE, id").scalars().all()
        orders = [
            ("listed = 1 AND calendar_id = ?", (calendar,), f"start{way}, id{way}")  # type: ignore[misc]
            for calendar in (reversed(names) if descending else names)
        ]
    for where, values, order in orders:
        at, size = 0, max(2_000, first)
        while len(ids := ids_of(connection, where, list(values), f"{order} LIMIT {size} OFFSET {at}")):
            yield ids
            at, size = at + size, size * 4


def _listed(ids: Ids) -> list[int]:
    return [int(i) for i in ids]


def in_order(connection: Connection, sort: str) -> Ids:
    """All entries in an order. Each of the orders has an index that holds all it needs."""
    if sort != "calendar":
        return ids_of(connection, "listed = 1", [], _keys(sort))
    calendars = connection.exec_driver_sql("SELECT id FROM calendar ORDER BY name COLLATE NOCASE, id").scalars().all()
    parts = [ids_of(connection, "calendar_id = ? AND listed = 1", [calendar], "start, id") for calendar in calendars]
    return np.concatenate([np.empty(0, np.int64), *parts])


def ids_of(connection: Connection, where: str, values: list[object], order: str = "") -> Ids:
    """Matching ids."""
    by = f" ORDER BY {order}" if order else ""
    return joined_ids(
        connection, f"SELECT group_concat(id) FROM (SELECT id FROM entry WHERE {where}{by})", tuple(values)
    )


def joined_ids(connection: Connection, sql: str, values: tuple[object, ...]) -> Ids:
    """Ids as one string from SQLite: far quicker to fetch than as many rows."""
    joined = connection.exec_driver_sql(sql, values).scalar_one()
    return np.fromstring(joined or "", np.int64, sep=",")
