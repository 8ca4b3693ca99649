"""Entries as they are given to readers: whole groups of one UID, each with all that decides what may pass."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from sqlalchemy import Connection, insert, select

from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.occurrences.expanding import Timed
from datebridge.core.sharing.forms import OWN_MARK
from datebridge.core.sharing.gathering import Source
from datebridge.core.zones.meaning import Zones
from datebridge.store.sql import among, chunks
from datebridge.store.tables import CALENDARS, ENTRIES, HELD, TEXTS, VERSIONS
from datebridge.store.zone_rulings import counting, zone_rulings

_TEXTS = 2_000
_TIMED = ("uid", "recurrence_id", "start_wall", "end_wall", "until_wall", "tzid", "zone", "marks", "recurrence")
_ASKED = ("id", *_TIMED, "component", "status", "busy")
#: Where each is in a row that begins with the calendar and goes on to the text.
_FIRST, _LAST = 2, 2 + len(_TIMED)


def in_force(connection: Connection, calendars: Iterable[CalendarId]) -> Iterator[Source]:
    """All entries of calendars, in the order in which they came."""
    wanted = tuple(calendars)
    columns = [ENTRIES.c.calendar_id, *(ENTRIES.c[name] for name in _ASKED), TEXTS.c.text]
    rows = connection.execute(
        select(*columns)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(ENTRIES.c.calendar_id.in_(wanted), ENTRIES.c.listed)
        .order_by(ENTRIES.c.id)
    )
    for some in rows.partitions(_TEXTS):
        yield from (_source(row, row.calendar_id) for row in some)


def chosen(connection: Connection, ids: Iterable[VersionId], without: Iterable[CalendarId]) -> Iterator[Source]:
    """Some entries, and what belongs to the same series without being meant (`Source.meant`).

    Args:
        without: calendars of which nothing is given, whatever was chosen.
    """
    left_out = tuple(without)
    meant = set(ids)
    groups = select(ENTRIES.c.calendar_id, ENTRIES.c.uid).where(ENTRIES.c.id.in_(among(meant)), ENTRIES.c.uid != "")
    keys = {(row.calendar_id, row.uid) for row in connection.execute(groups.distinct())}
    beside: set[VersionId] = set()
    for some in chunks(sorted({uid for _, uid in keys})):
        same = select(ENTRIES.c.id, ENTRIES.c.calendar_id, ENTRIES.c.uid)
        rows = connection.execute(same.where(ENTRIES.c.uid.in_(among(some)), ENTRIES.c.listed))
        beside |= {VersionId(row.id) for row in rows if (row.calendar_id, row.uid) in keys}
    for some in chunks(sorted(meant | beside), _TEXTS):
        columns = [ENTRIES.c.calendar_id, *(ENTRIES.c[name] for name in _ASKED), TEXTS.c.text]
        rows = connection.execute(
            select(*columns)
            .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
            .where(ENTRIES.c.id.in_(among(some)), ENTRIES.c.listed, ENTRIES.c.calendar_id.not_in(left_out))
            .order_by(ENTRIES.c.id)
        )
        yield from (_source(row, row.calendar_id, row.id in meant) for row in rows)


def held(connection: Connection, share: int) -> Iterator[Source]:
    """The entries a share holds, as they were then."""
    columns = [HELD.c.calendar_id, *(VERSIONS.c[name] for name in _ASKED), TEXTS.c.text]
    rows = connection.execute(
        select(*columns, HELD.c.meant)
        .join(HELD, HELD.c.version_id == VERSIONS.c.id)
        .join(TEXTS, TEXTS.c.id == VERSIONS.c.id)
        .where(HELD.c.share_id == share, VERSIONS.c.listed)
        .order_by(VERSIONS.c.id)
    )
    yield from (_source(row, row.calendar_id, row.meant) for row in rows)


def _source(row: Any, calendar: int, meant: bool = True) -> Source:
    number, start, end = row[1], row.start_wall, row.end_wall
    timed = None if start is None or end is None else Timed(number, calendar, *row[_FIRST:_LAST])
    component, status, busy, text = row[_LAST : _LAST + 4]
    return Source(calendar, component, text, row.uid, row.recurrence_id, timed, status, busy, meant, number)


def zones_in_force(connection: Connection, calendars: Iterable[CalendarId]) -> dict[int, Zones]:
    """What calendars define."""
    wanted = tuple(calendars)
    rows = connection.execute(
        select(ENTRIES.c.calendar_id, ENTRIES.c.uid, TEXTS.c.text)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(ENTRIES.c.calendar_id.in_(wanted), ENTRIES.c.component == "VTIMEZONE")
        .order_by(ENTRIES.c.id)
    )
    return _zones(connection, wanted, rows.all())


def zones_held(connection: Connection, share: int) -> dict[int, Zones]:
    """What calendars defined when a share was fixed."""
    rows = connection.execute(
        select(HELD.c.calendar_id, VERSIONS.c.uid, TEXTS.c.text)
        .join(VERSIONS, HELD.c.version_id == VERSIONS.c.id)
        .join(TEXTS, TEXTS.c.id == VERSIONS.c.id)
        .where(HELD.c.share_id == share, VERSIONS.c.component == "VTIMEZONE")
        .order_by(VERSIONS.c.id)
    ).all()
    every = connection.execute(select(HELD.c.calendar_id).where(HELD.c.share_id == share).distinct()).scalars()
    return _zones(connection, [CalendarId(number) for number in every], rows)


def headers_in_force(connection: Connection, calendars: Iterable[CalendarId]) -> dict[int, str]:
    """The calendars' own lines."""
    rows = connection.execute(
        select(ENTRIES.c.calendar_id, TEXTS.c.text)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(ENTRIES.c.calendar_id.in_(tuple(calendars)), ENTRIES.c.component == "VCALENDAR")
    )
    return {row.calendar_id: row.text for row in rows}


def headers_held(connection: Connection, share: int) -> dict[int, str]:
    """The calendars' own lines when a share was fixed."""
    rows = connection.execute(
        select(HELD.c.calendar_id, TEXTS.c.text)
        .join(VERSIONS, HELD.c.version_id == VERSIONS.c.id)
        .join(TEXTS, TEXTS.c.id == VERSIONS.c.id)
        .where(HELD.c.share_id == share, VERSIONS.c.component == "VCALENDAR")
    )
    return {row.calendar_id: row.text for row in rows}


def _zones(connection: Connection, calendars: Sequence[CalendarId], rows: Sequence[Any]) -> dict[int, Zones]:
    rulings = zone_rulings(connection)
    zones: dict[int, Zones] = {calendar: Zones((), counting(rulings, calendar)) for calendar in calendars}
    for row in rows:
        zones[row.calendar_id].add(row.uid, row.text)
    return zones


def hold(connection: Connection, share: int, sources: Iterable[Source]) -> None:
    """Have a share hold versions, and what calendars say beside them, whatever becomes of the entries."""
    rows = [
        {"share_id": share, "version_id": source.id, "calendar_id": source.calendar, "meant": source.meant}
        for source in sources
    ]
    calendars = {row["calendar_id"] for row in rows}
    definitions = connection.execute(
        select(ENTRIES.c.id, ENTRIES.c.calendar_id).where(
            ENTRIES.c.calendar_id.in_(calendars), ENTRIES.c.component.in_(("VTIMEZONE", "VCALENDAR"))
        )
    )
    rows += [
        {"share_id": share, "version_id": row.id, "calendar_id": row.calendar_id, "meant": True} for row in definitions
    ]
    for some in chunks(rows):
        connection.execute(insert(HELD), list(some))


def echoes(connection: Connection) -> dict[CalendarId, str]:
    """Calendars that came of a share, with the mark of that share."""
    rows = connection.execute(
        select(ENTRIES.c.calendar_id, TEXTS.c.text)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(
            ENTRIES.c.calendar_id.in_(select(CALENDARS.c.id)),  # by calendar, else all entries are gone through
            ENTRIES.c.listed.is_(False),
            ENTRIES.c.component == "VCALENDAR",
            TEXTS.c.text.contains(f"{OWN_MARK}:"),
        )
    )
    echoed = {}
    for row in rows:
        line = next((part for part in row.text.split("\n") if part.startswith(f"{OWN_MARK}:")), "")
        echoed[CalendarId(row.calendar_id)] = line.partition(":")[2].strip()
    return echoed


def calendars_held(connection: Connection, share: int) -> list[CalendarId]:
    """The calendars of which a share holds anything."""
    query = select(HELD.c.calendar_id).where(HELD.c.share_id == share).distinct().order_by(HELD.c.calendar_id)
    return [CalendarId(number) for number in connection.execute(query).scalars()]
