"""What the store's queries share."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import Any, TypeVar

from sqlalchemy import Connection, Select, func, select

from datebridge.core.ids import CalendarId
from datebridge.store.tables import CALENDARS

Item = TypeVar("Item")


def among(values: Iterable[object]) -> Select[tuple[Any]]:
    """Any number of ids or names as something to be IN: one bound value, so that no statement is too long."""
    listed = func.json_each(json.dumps(list(values))).table_valued("value")
    return select(listed.c.value)


def chunks(items: Iterable[Item], size: int = 500) -> Iterator[Sequence[Item]]:
    """So many at a time."""
    iterator = iter(items)
    while chunk := list(islice(iterator, size)):
        yield chunk


def revision_now(connection: Connection, calendars: Iterable[CalendarId] | None = None) -> int:
    """The revision of all entries, or the newest one at which any of some calendars was changed."""
    if calendars is None:
        return int(connection.exec_driver_sql("SELECT revision FROM meta").scalar_one())
    newest = select(func.max(CALENDARS.c.revision)).where(CALENDARS.c.id.in_(among(calendars)))
    return int(connection.execute(newest).scalar() or 0)
