"""What calendars define: the zones of a calendar, of a file waiting to be imported, and their index rebuilt.

An entry's index depends on its text and on the definitions beside it. When a batch brings or takes definitions, or
puts entries beside other ones, the index of those concerned is rebuilt with it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from typing import NamedTuple

from sqlalchemy import ColumnElement, Connection, Table, and_, or_, select, update

from datebridge.core.checks import examine
from datebridge.core.ids import CalendarId, GroupId, SetId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import Zones
from datebridge.store.entries.reindex import Reindexing, copy_index, stored_of
from datebridge.store.entries.rows import row_of
from datebridge.store.sql import chunks
from datebridge.store.tables import CALENDARS, CHANGES, ENTRIES, META, TEXTS, VERSIONS
from datebridge.store.zone_rulings import counting, zone_rulings


def zones_of(connection: Connection, calendar: CalendarId) -> Zones:
    """What a calendar defines, and what was ruled of its names; of two definitions of one name the first."""
    return _defined(connection, ENTRIES, ENTRIES.c.calendar_id == calendar, calendar)


def zones_of_group(connection: Connection, group: GroupId) -> Zones:
    """What a part of a file defines that waits to be imported, and what was ruled of its names everywhere."""
    return _defined(connection, VERSIONS, VERSIONS.c.group_id == group, None)


def _defined(connection: Connection, table: Table, where: ColumnElement[bool], calendar: CalendarId | None) -> Zones:
    query = select(table.c.uid, TEXTS.c.text).join(TEXTS, TEXTS.c.id == table.c.id)
    rows = connection.execute(query.where(where, table.c.component == "VTIMEZONE").order_by(table.c.id))
    return Zones(((row.uid, row.text) for row in rows), counting(zone_rulings(connection), calendar))


def zones_beside(connection: Connection, version: VersionId) -> Zones:
    """What is defined beside a version: in the calendar it is in, else in its file."""
    run = connection.execute
    calendar = run(select(ENTRIES.c.calendar_id).where(ENTRIES.c.id == version)).scalar()
    if calendar is None:
        about = or_(CHANGES.c.after_id == version, CHANGES.c.before_id == version)
        calendar = run(select(CHANGES.c.calendar_id).where(about).limit(1)).scalar()
    if calendar is not None:
        return zones_of(connection, calendar)
    group = run(select(VERSIONS.c.group_id).where(VERSIONS.c.id == version)).scalar()
    return zones_of_group(connection, group) if group is not None else Zones()


def reindex_affected(connection: Connection, set_id: SetId) -> None:
    """Rebuild the index of entries that other definitions are beside since a batch was applied."""
    run = connection.execute
    mine = and_(CHANGES.c.set_id == set_id, ~CHANGES.c.held)
    for calendar in run(select(CHANGES.c.calendar_id).distinct().where(CHANGES.c.set_id == set_id)).scalars().all():
        own = and_(mine, CHANGES.c.calendar_id == calendar)
        defined = run(select(CHANGES.c.uid).distinct().where(own, CHANGES.c.component == "VTIMEZONE")).scalars()
        names = [uid for uid in defined if not resolve(uid).exact]
        names += [ruling.tzid for ruling in zone_rulings(connection) if ruling.calendar == calendar]
        concerned = ENTRIES.c.marks.op("&")(Mark.DEFINED_ZONE | Mark.UNRESOLVED_ZONE) != 0
        fresh = select(ENTRIES.c.id).join(CHANGES, CHANGES.c.after_id == ENTRIES.c.id)
        wanted = set(run(fresh.where(own, ENTRIES.c.listed, concerned)).scalars())
        wanted.update(using(connection, names, calendar))
        reindex_entries(connection, calendar, wanted)


def using(connection: Connection, tzids: Collection[str], calendar: CalendarId) -> Iterator[VersionId]:
    """The entries of a calendar that use one of some zone names, in one pass however many names there are."""
    wanted = set(tzids)
    if not wanted:
        return
    used = select(ENTRIES.c.id, ENTRIES.c.tzids).where(
        ENTRIES.c.calendar_id == calendar, ENTRIES.c.listed, ENTRIES.c.tzids != ""
    )
    for row in connection.execute(used):
        if not wanted.isdisjoint(row.tzids.split("\x1f")):
            yield VersionId(row.id)


class InUse(NamedTuple):
    """How a calendar uses a zone name, "" for floating times; times in wall seconds.

    `last` is that of those that end; `endless` is the last start of those that do not, None where there are none.
    """

    calendar: CalendarId
    tzid: str
    entries: int
    first: int
    last: int
    endless: int | None


def in_use(connection: Connection) -> list[InUse]:
    """The zone names that entries in force use, by calendar."""
    rows = connection.exec_driver_sql(
        "SELECT calendar_id, tzids, count(*), min(start_wall), max(coalesce(until_wall, start_wall)),"
        f" max(CASE WHEN marks & {Mark.ENDLESS} THEN start_wall END) FROM entry"
        f" WHERE listed = 1 AND start_wall IS NOT NULL AND (tzids != '' OR marks & {Mark.FLOATING})"
        " GROUP BY calendar_id, tzids"
    )
    zones: dict[tuple[int, str], InUse] = {}
    for calendar, tzids, count, first, last, endless in rows:
        for tzid in tzids.split("\x1f"):
            had = zones.get((calendar, tzid))
            if had is not None:
                count, first, last = count + had.entries, min(first, had.first), max(last, had.last)
                endless = max((one for one in (endless, had.endless) if one is not None), default=None)
            zones[calendar, tzid] = InUse(CalendarId(calendar), tzid, count, first, last, endless)
    return list(zones.values())


def hints(connection: Connection) -> dict[CalendarId, str]:
    """The zone each calendar says it goes by, as it is written; those that say none are left out."""
    rows = connection.execute(select(CALENDARS.c.id, CALENDARS.c.zone).where(CALENDARS.c.zone != ""))
    return {CalendarId(row.id): row.zone for row in rows}


def note_reread(connection: Connection, calendar: CalendarId) -> None:
    """Have everybody see that the entries of a calendar are read otherwise now."""
    connection.execute(update(META).values(revision=META.c.revision + 1))
    newest = select(META.c.revision).scalar_subquery()
    connection.execute(update(CALENDARS).where(CALENDARS.c.id == calendar).values(revision=newest))


def newest_of(connection: Connection, tzid: str, calendar: CalendarId, most: int) -> list[tuple[VersionId, int, str]]:
    """Entries whose start uses a zone name, with their starts on its clock and their titles; the newest first."""
    rows = connection.execute(
        select(ENTRIES.c.id, ENTRIES.c.start_wall, ENTRIES.c.summary)
        .where(ENTRIES.c.calendar_id == calendar, ENTRIES.c.listed, ENTRIES.c.tzid == tzid)
        .order_by(ENTRIES.c.start.desc())
        .limit(most)
    )
    return [(VersionId(row.id), row.start_wall, row.summary) for row in rows if row.start_wall is not None]


def definitions(connection: Connection) -> dict[tuple[CalendarId, str], str]:
    """All definitions in calendars, by calendar and TZID; of two of one name the first."""
    rows = connection.execute(
        select(ENTRIES.c.calendar_id, ENTRIES.c.uid, TEXTS.c.text)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(ENTRIES.c.component == "VTIMEZONE")
        .order_by(ENTRIES.c.id.desc())
    )
    return {(CalendarId(row.calendar_id), row.uid): row.text for row in rows}


def reindex_entries(connection: Connection, calendar: CalendarId, entries: Iterable[VersionId]) -> int:
    """Rebuild the index of entries of a calendar, by what it defines now; returns how many have another one."""
    wanted = sorted(entries)
    if not wanted:
        return 0
    zones = zones_of(connection, calendar)
    changed: list[VersionId] = []
    for chunk in chunks(wanted):
        reindexing = Reindexing(connection)
        for stored in stored_of(connection, chunk):
            reindexing.add(stored, row_of(examine(stored.component, stored.text, zones)))
        changed += reindexing.flush()
    copy_index(connection, changed)
    return len(changed)
