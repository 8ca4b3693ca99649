"""From an incoming file to a change set: what is here already, where it goes, what is left out."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from typing import Any, Literal

from sqlalchemy import Connection

from datebridge.core.problems import Problem
from datebridge.core.text.component import Component
from datebridge.core.text.headers import described, description_of
from datebridge.services.editing.calendars import add_calendar_row
from datebridge.store.changesets.logbook import (
    CannotApply,
    Proposal,
    StoredChange,
    add_changes,
    add_creations,
    close_set,
    open_set,
)  # fmt: skip
from datebridge.store.database import Store
from datebridge.store.entries.versions import VersionWriter, add_text, text_of

Existing = Literal["newer", "keep", "replace"]


@dataclass(frozen=True, slots=True)
class Decision:
    """Where the entries of one group go.

    Attributes:
        calendar_id: an existing calendar; None for a fresh one called `name`.
        existing: what happens to an entry that is there already and differs: taken if it is newer
            (by SEQUENCE, then LAST-MODIFIED), kept as it is there, or replaced.
        skip_elsewhere: leave out entries that stand, identical, in any calendar.
    """

    group_id: int
    calendar_id: int | None = None
    name: str = ""
    existing: Existing = "newer"
    skip_elsewhere: bool = False


_STAGED = "id, component, uid, recurrence_id, digest, sequence, modified, listed"


def compare_with_store(connection: Connection, incoming: int) -> list[dict[str, Any]]:
    """What of a file is here already: per group and calendar, how many are identical, newer, older, different."""
    rows = connection.exec_driver_sql(
        "SELECT v.group_id, e.calendar_id, k.name, sum(e.digest = v.digest),"
        " sum(e.digest <> v.digest AND (v.sequence, v.modified) > (e.sequence, e.modified)),"
        " sum(e.digest <> v.digest AND (v.sequence, v.modified) < (e.sequence, e.modified)),"
        " sum(e.digest <> v.digest AND (v.sequence, v.modified) = (e.sequence, e.modified))"
        " FROM incoming_group g JOIN version v ON v.group_id = g.id JOIN entry e ON e.uid = v.uid"
        " AND e.recurrence_id = v.recurrence_id AND e.component = v.component AND (v.uid <> '' OR e.digest = v.digest)"
        " JOIN calendar k ON k.id = e.calendar_id"
        " WHERE g.incoming_id = ? AND v.listed GROUP BY 1, 2 ORDER BY 1, 4 DESC",
        (incoming,),
    )
    names = ("group_id", "calendar_id", "calendar", "identical", "newer", "older", "different")
    return [dict(zip(names, row, strict=True)) for row in rows]


class _Rehearsed(Exception):
    """Ends a rehearsal; carries what would have come of it."""


def rehearse_taking(store: Store, incoming: list[int], decisions: list[Decision]) -> dict[str, int]:
    """What taking files in would do, counted by doing it and rolling it back.

    Returns:
        how many entries would be added, changed and left out.
    """
    counts: dict[str, int] = {}
    try:
        with store.write() as connection:
            set_id = _propose(connection, incoming, decisions)
            row = connection.exec_driver_sql(
                "SELECT creates, updates, json_extract(details, '$.skipped') FROM change_set WHERE id = ?", (set_id,)
            ).one()
            counts = {"creates": row[0], "updates": row[1], "skipped": row[2]}
            raise _Rehearsed
    except _Rehearsed:
        return counts


def propose_taking(store: Store, incoming: list[int], decisions: list[Decision]) -> int:
    """Make the change set that takes incoming files in; returns its id.

    Raises:
        CannotApply: if a file is not waiting, or nothing would be taken.
    """
    with store.write() as connection:
        set_id = _propose(connection, incoming, decisions)
        if not connection.exec_driver_sql("SELECT count(*) FROM change WHERE set_id = ?", (set_id,)).scalar_one():
            raise CannotApply("Everything in the file is here already; there is nothing to take in.")
    return set_id


def _propose(connection: Connection, incoming: list[int], decisions: list[Decision]) -> int:
    names = []
    for i in incoming:
        row = connection.exec_driver_sql("SELECT name, state FROM incoming WHERE id = ?", (i,)).one_or_none()
        if row is None or row[1] != "waiting" or is_taken(connection, i):
            raise CannotApply("This file is not waiting to be taken in any more.")
        names.append(str(row[0]))
        connection.exec_driver_sql(  # only the newest decision about a file waits
            "UPDATE change_set SET state = 'discarded' WHERE state = 'proposed'"
            " AND id = (SELECT set_id FROM incoming WHERE id = ?)",
            (i,),
        )
    what = names[0] if len(names) == 1 else f"{len(names)} files"
    fresh = any(decision.calendar_id is None for decision in decisions)
    reason = "A snapshot: it will not update." if fresh else "Taken once from a file; the file is not followed."
    set_id = open_set(
        connection,
        Proposal(f"Import {what}", "import", reason, details={"files": names}),
    )
    skipped = sum(_take(connection, set_id, decision) for decision in decisions)
    close_set(connection, set_id)
    _name_after_targets(connection, set_id, f"Import {what}")
    connection.exec_driver_sql(
        "UPDATE change_set SET details = json_set(details, '$.skipped', ?) WHERE id = ?", (skipped, set_id)
    )
    for i in incoming:
        connection.exec_driver_sql("UPDATE incoming SET set_id = ? WHERE id = ?", (set_id, i))
    return set_id


def _name_after_targets(connection: Connection, set_id: int, title: str) -> None:
    names = [
        row[0]
        for row in connection.exec_driver_sql(
            "SELECT DISTINCT k.name FROM change c JOIN calendar k ON k.id = c.calendar_id WHERE c.set_id = ?", (set_id,)
        )
    ]
    where = names[0] if len(names) == 1 else f"{len(names)} calendars"
    connection.exec_driver_sql("UPDATE change_set SET title = ? WHERE id = ?", (f"{title} into {where}", set_id))


def is_taken(connection: Connection, incoming: int) -> bool:
    return bool(
        connection.exec_driver_sql(
            "SELECT count(*) FROM incoming i JOIN change_set s ON s.id = i.set_id"
            " WHERE i.id = ? AND s.state IN ('applied', 'applying') AND s.undone_by_id IS NULL",
            (incoming,),
        ).scalar_one()
    )


def _take(connection: Connection, set_id: int, decision: Decision) -> int:
    """Add the changes of one group; returns how many entries are left out."""
    group = connection.exec_driver_sql(
        "SELECT g.header, g.name, i.name, i.id FROM incoming_group g JOIN incoming i ON i.id = g.incoming_id"
        " WHERE g.id = ?",
        (decision.group_id,),
    ).one_or_none()
    if group is None:
        raise CannotApply("This file is not waiting to be taken in any more.")
    header, group_name, file_name, incoming_id = group
    changes: list[StoredChange] = []
    calendar = decision.calendar_id
    if calendar is None:
        name = decision.name.strip() or group_name
        calendar = add_calendar_row(connection, name, file_name)
        version = add_text(connection, "VCALENDAR", described(header, replace(description_of(header), name=name)))
        changes.append(StoredChange(calendar, "", "", None, version, "A fresh calendar for this file."))
    if decision.calendar_id is None and not decision.skip_elsewhere:
        add_changes(connection, set_id, changes)
        add_creations(connection, set_id, calendar, decision.group_id)
        return 0
    on_server = _demand_writable(connection, calendar)
    staged = connection.exec_driver_sql(
        f"SELECT {_STAGED} FROM version WHERE group_id = ? ORDER BY id", (decision.group_id,)
    ).fetchall()
    here = _present(connection, calendar)
    elsewhere = _digests_elsewhere(connection, decision.group_id) if decision.skip_elsewhere else set()
    writer = VersionWriter(connection, incoming_id=incoming_id)
    skipped = 0
    for version, component, uid, recurrence_id, digest, sequence, modified, listed in staged:
        if listed and digest in elsewhere:
            skipped += 1
            continue
        if listed and not uid and on_server:  # a server keeps nothing without a UID (RFC 4791 §4.1)
            uid = f"{digest.hex()}@date-bridge.example"
            version = add_text(
                connection, component, Component(text_of(connection, version)).with_property("UID", uid).text
            )
        there = here.get((component, uid, recurrence_id) if uid else (component, "", digest.hex()))
        if not there:
            changes.append(StoredChange(calendar, uid, recurrence_id, None, version))
            continue
        found = next((e for e in there if e[1] == digest), there[0])
        there.remove(found)
        newer = (sequence, modified) > found[2:]
        if component == "VTIMEZONE" and found[1] != digest:
            writer.problem(
                Problem("zone-conflict", f"“{uid}” is defined in another way in the calendar it goes to.",
                        "The definition that is there stays in use.", uid=uid),
                version,
            )  # fmt: skip
        elif found[1] != digest and (decision.existing == "replace" or (decision.existing == "newer" and newer)):
            changes.append(
                StoredChange(calendar, uid, recurrence_id, found[0], version, "Newer in the file." if newer else "")
            )
            continue
        skipped += bool(listed)
    writer.flush()
    add_changes(connection, set_id, changes)
    return skipped


def _demand_writable(connection: Connection, calendar: int) -> bool:
    """Whether a calendar lives on a server.

    Raises:
        CannotApply: if it can only be read.
    """
    name, writable, on_server = connection.exec_driver_sql(
        "SELECT k.name, k.writable, EXISTS (SELECT 1 FROM remote r WHERE r.calendar_id = k.id) FROM calendar k"
        " WHERE k.id = ?",
        (calendar,),
    ).one()
    if not writable:
        raise CannotApply(f"{name} can only be read. Choose a calendar you may write.")
    return bool(on_server)


def _present(connection: Connection, calendar: int) -> dict[tuple[str, str, str], list[tuple[int, bytes, int, int]]]:
    """What stands in a calendar, by identity; entries without UID by their text."""
    here: dict[tuple[str, str, str], list[tuple[int, bytes, int, int]]] = defaultdict(list)
    for i, component, uid, recurrence_id, digest, sequence, modified in connection.exec_driver_sql(
        "SELECT id, component, uid, recurrence_id, digest, sequence, modified FROM entry WHERE calendar_id = ?"
        " AND component <> 'VCALENDAR' ORDER BY id",
        (calendar,),
    ):
        key = (component, uid, recurrence_id) if uid else (component, "", digest.hex())
        here[key].append((i, digest, sequence, modified))
    return here


def _digests_elsewhere(connection: Connection, group: int) -> set[bytes]:
    return {
        row[0]
        for row in connection.exec_driver_sql(
            "SELECT v.digest FROM version v JOIN entry e ON e.uid = v.uid AND e.recurrence_id = v.recurrence_id"
            " AND e.digest = v.digest WHERE v.group_id = ?",
            (group,),
        )
    }
