"""Entries as an edit begins from them: where they stand, on whose clock, with all of their UID."""

from __future__ import annotations

from typing import Any, NamedTuple

from sqlalchemy import Connection, Select, select

from datebridge.core.ids import CalendarId, VersionId
from datebridge.store.tables import CALENDARS, ENTRIES, TEXTS


class Standing(NamedTuple):
    """An entry in force: its calendar, and what its times go by."""

    id: VersionId
    calendar: CalendarId
    calendar_name: str
    component: str
    uid: str
    tzid: str
    zone: str
    marks: int
    start_wall: int | None


def _standing() -> Select[Any]:
    own = ("component", "uid", "tzid", "zone", "marks", "start_wall")
    return select(ENTRIES.c.id, ENTRIES.c.calendar_id, CALENDARS.c.name, *(ENTRIES.c[name] for name in own)).join(
        CALENDARS, CALENDARS.c.id == ENTRIES.c.calendar_id
    )


def standing(connection: Connection, entry: VersionId) -> Standing | None:
    """An entry in force; None where it is not."""
    row = connection.execute(_standing().where(ENTRIES.c.id == entry)).one_or_none()
    return Standing(*row) if row is not None else None


def master_of(connection: Connection, entry: Standing) -> Standing | None:
    """The master of an entry's series; the entry itself, if it is one."""
    own = (ENTRIES.c.calendar_id == entry.calendar, ENTRIES.c.uid == entry.uid, ENTRIES.c.component == entry.component)
    row = connection.execute(_standing().where(*own, ENTRIES.c.recurrence_id == "").limit(1)).first()
    return Standing(*row) if row is not None else None


def texts_of_uid(connection: Connection, entry: Standing) -> list[tuple[VersionId, str]]:
    """All entries of an entry's UID in its calendar, with their texts; without a UID only itself."""
    own = (ENTRIES.c.calendar_id == entry.calendar, ENTRIES.c.uid == entry.uid, ENTRIES.c.component == entry.component)
    query = select(ENTRIES.c.id, TEXTS.c.text).join(TEXTS, TEXTS.c.id == ENTRIES.c.id).order_by(ENTRIES.c.recurrence_id)
    rows = connection.execute(query.where(*own) if entry.uid else query.where(ENTRIES.c.id == entry.id))
    return [(VersionId(row.id), row.text) for row in rows]
