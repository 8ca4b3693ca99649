"""Entries as matching and comparing look at them."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import Connection

from datebridge.core.ids import VersionId
from datebridge.core.matching import Item
from datebridge.core.occurrences.expanding import Timed

_COLUMNS = (
    "id, calendar_id, uid, recurrence_id, start_wall, end_wall, until_wall, tzid, zone, marks, recurrence, component,"
    " summary, location, start, digest"
)


def items_where(connection: Connection, condition: str, *values: int | str) -> Iterator[Item[VersionId]]:
    """The entries in force of which a condition in SQL holds, in the order in which they came."""
    rows = connection.exec_driver_sql(
        f"SELECT {_COLUMNS} FROM entry WHERE listed = 1 AND {condition} ORDER BY id", values
    )
    for *fields, component, title, place, start, digest in rows:
        own = Timed(*fields)
        yield Item(
            VersionId(own.id),
            own.calendar,
            component,
            own.uid,
            own.recurrence_id,
            title,
            place,
            start,
            own.marks,
            digest,
            # an entry whose times cannot be read has none
            own if own.start_wall is not None and own.end_wall is not None else None,
        )
