"""What calendars define: the zones of a calendar, of a file waiting to be taken in, and their index made anew.

An entry's index depends on its text and on the definitions beside it. When a batch brings or takes definitions, or
puts entries beside other ones, the index of those concerned is made anew with it.
"""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.zones.meaning import Zones
from datebridge.core.zones.names import resolve
from datebridge.store.entries.rows import INDEX_COLUMNS
from datebridge.store.entries.versions import INDEX, Reindexing, bound, chunks

_DEFINITIONS = (
    "SELECT e.uid, t.text FROM entry e JOIN version_text t ON t.id = e.id"
    " WHERE e.calendar_id = ? AND e.component = 'VTIMEZONE' ORDER BY e.id"
)


def zones_of(connection: Connection, calendar: int) -> Zones:
    """What a calendar defines; of two definitions of one name the first."""
    return Zones((row[0], row[1]) for row in connection.exec_driver_sql(_DEFINITIONS, (calendar,)))


def zones_of_group(connection: Connection, group: int) -> Zones:
    """What a calendar of a file defines that waits to be taken in."""
    rows = connection.exec_driver_sql(
        "SELECT v.uid, t.text FROM version v JOIN version_text t ON t.id = v.id"
        " WHERE v.group_id = ? AND v.component = 'VTIMEZONE' ORDER BY v.id",
        (group,),
    )
    return Zones((row[0], row[1]) for row in rows)


def zones_beside(connection: Connection, version: int) -> Zones:
    """What is defined beside a version: in the calendar it is in, else in its file."""
    run = connection.exec_driver_sql
    calendar = run("SELECT calendar_id FROM entry WHERE id = ?", (version,)).scalar()
    if calendar is None:
        calendar = run("SELECT calendar_id FROM change WHERE ? IN (after_id, before_id)", (version,)).scalar()
    if calendar is not None:
        return zones_of(connection, calendar)
    group = run("SELECT group_id FROM version WHERE id = ?", (version,)).scalar()
    return zones_of_group(connection, group) if group is not None else Zones()


def settle(connection: Connection, set_id: int) -> None:
    """Make the index of entries anew that other definitions stand beside since a batch was applied."""
    run = connection.exec_driver_sql
    for (calendar,) in run("SELECT DISTINCT calendar_id FROM change WHERE set_id = ?", (set_id,)).fetchall():
        defined = run(
            "SELECT DISTINCT c.uid FROM change c JOIN version v ON v.id = coalesce(c.after_id, c.before_id)"
            " WHERE c.set_id = ? AND c.calendar_id = ? AND NOT c.held AND v.component = 'VTIMEZONE'",
            (set_id, calendar),
        ).fetchall()
        names = [row[0] for row in defined if not resolve(row[0]).exact]
        fresh = run(
            "SELECT e.id FROM change c JOIN entry e ON e.id = c.after_id WHERE c.set_id = ? AND c.calendar_id = ?"
            f" AND e.listed AND e.marks & {Mark.DEFINED_ZONE | Mark.UNRESOLVED_ZONE}",
            (set_id, calendar),
        ).fetchall()
        wanted = {row[0] for row in fresh}
        for name in names:
            rows = run(
                "SELECT id FROM entry WHERE calendar_id = ? AND listed AND tzids <> ''"
                " AND instr(char(31) || tzids || char(31), char(31) || ? || char(31))",
                (calendar, name),
            )
            wanted |= {row[0] for row in rows}
        reindex_entries(connection, calendar, wanted)


def reindex_entries(connection: Connection, calendar: int, entries: Iterable[int]) -> int:
    """Make the index of entries of a calendar anew, by what it defines now; returns how many have another one."""
    zones = zones_of(connection, calendar)
    changed: list[int] = []
    for chunk in chunks(sorted(entries)):
        rows = connection.exec_driver_sql(
            f"SELECT v.id, t.text, {', '.join('v.' + c for c in INDEX_COLUMNS)} FROM version v"
            f" JOIN version_text t ON t.id = v.id WHERE v.id IN ({bound(len(chunk))})",
            tuple(chunk),
        ).fetchall()
        reindexing = Reindexing(connection)
        for version, text, component, *index in rows:
            reindexing.add(version, derive(component, text, zones), (component, *index))
        changed += reindexing.flush()
    for chunk in chunks(changed):
        connection.exec_driver_sql(
            f"INSERT OR REPLACE INTO entry (id, calendar_id, {INDEX}) SELECT v.id, e.calendar_id,"
            f" {', '.join('v.' + c for c in INDEX_COLUMNS)} FROM version v JOIN entry e ON e.id = v.id"
            f" WHERE v.id IN ({bound(len(chunk))})",
            tuple(chunk),
        )
    return len(changed)
