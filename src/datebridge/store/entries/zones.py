"""What calendars define: the zones of a calendar, of a file waiting to be imported, and their index made anew.

An entry's index depends on its text and on the definitions beside it. When a batch brings or takes definitions, or
puts entries beside other ones, the index of those concerned is made anew with it.
"""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import ColumnElement, Connection, Table, and_, func, literal, or_, select

from datebridge.core.checks import examine
from datebridge.core.ids import CalendarId, GroupId, SetId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import Zones
from datebridge.store.entries.reindex import Reindexing, copy_index, stored_of
from datebridge.store.entries.rows import row_of
from datebridge.store.sql import chunks
from datebridge.store.tables import CHANGES, ENTRIES, TEXTS, VERSIONS


def zones_of(connection: Connection, calendar: CalendarId) -> Zones:
    """What a calendar defines; of two definitions of one name the first."""
    return _defined(connection, ENTRIES, ENTRIES.c.calendar_id == calendar)


def zones_of_group(connection: Connection, group: GroupId) -> Zones:
    """What a part of a file defines that waits to be imported."""
    return _defined(connection, VERSIONS, VERSIONS.c.group_id == group)


def _defined(connection: Connection, table: Table, where: ColumnElement[bool]) -> Zones:
    found = select(table.c.uid, TEXTS.c.text).join(TEXTS, TEXTS.c.id == table.c.id)
    rows = connection.execute(found.where(where, table.c.component == "VTIMEZONE").order_by(table.c.id))
    return Zones((row.uid, row.text) for row in rows)


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


def settle(connection: Connection, set_id: SetId) -> None:
    """Make the index of entries anew that other definitions stand beside since a batch was applied."""
    run = connection.execute
    mine = and_(CHANGES.c.set_id == set_id, ~CHANGES.c.held)
    for calendar in run(select(CHANGES.c.calendar_id).distinct().where(CHANGES.c.set_id == set_id)).scalars().all():
        own = and_(mine, CHANGES.c.calendar_id == calendar)
        defined = run(select(CHANGES.c.uid).distinct().where(own, CHANGES.c.component == "VTIMEZONE")).scalars()
        names = [uid for uid in defined if not resolve(uid).exact]
        odd = ENTRIES.c.marks.op("&")(Mark.DEFINED_ZONE | Mark.UNRESOLVED_ZONE) != 0
        fresh = select(ENTRIES.c.id).join(CHANGES, CHANGES.c.after_id == ENTRIES.c.id)
        wanted = set(run(fresh.where(own, ENTRIES.c.listed, odd)).scalars())
        for name in names:
            fenced = literal("\x1f").op("||")(ENTRIES.c.tzids).op("||")("\x1f")
            using = select(ENTRIES.c.id).where(
                ENTRIES.c.calendar_id == calendar, ENTRIES.c.listed, ENTRIES.c.tzids != "",
                func.instr(fenced, f"\x1f{name}\x1f") > 0,
            )  # fmt: skip
            wanted.update(run(using).scalars())
        reindex_entries(connection, calendar, wanted)


def reindex_entries(connection: Connection, calendar: CalendarId, entries: Iterable[VersionId]) -> int:
    """Make the index of entries of a calendar anew, by what it defines now; returns how many have another one."""
    wanted = sorted(entries)
    if not wanted:
        return 0
    zones = zones_of(connection, calendar)
    changed: list[VersionId] = []
    for chunk in chunks(wanted):
        reindexing = Reindexing(connection)
        for one in stored_of(connection, chunk):
            reindexing.add(one, row_of(examine(one.component, one.text, zones)))
        changed += reindexing.flush()
    copy_index(connection, changed)
    return len(changed)
