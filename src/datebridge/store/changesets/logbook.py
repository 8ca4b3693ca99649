"""Change sets in the store: proposing, applying as one, and what a crash left behind."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from sqlalchemy import Connection

from datebridge.core.text.headers import Description, description_of
from datebridge.store.database import Store, now
from datebridge.store.entries.rows import INDEX_COLUMNS
from datebridge.store.entries.versions import INDEX, chunks, text_of
from datebridge.store.entries.zones import settle

_CHANGE = (
    "INSERT INTO change (set_id, position, calendar_id, uid, recurrence_id, before_id, after_id, reason, held,"
    " source_id)"
    " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
)


#: Kinds of sets by which this copy follows what is elsewhere: they are not carried back there.
INCOMING = "('pull', 'subscribe', 'leave')"


class CannotApply(Exception):
    """The change set cannot be applied as it is; the message says why."""


class StoredChange(NamedTuple):
    """One component of one calendar, before and after, by version ids.

    `before_id` is None for a creation, `after_id` for a deletion; a held change is listed, not applied.
    `source_id` is the version that a copy was made from.
    """

    calendar_id: int
    uid: str
    recurrence_id: str
    before_id: int | None
    after_id: int | None
    reason: str = ""
    held: bool = False
    source_id: int | None = None


@dataclass(slots=True)
class Proposal:
    """What a new change set is called and why it is proposed."""

    title: str
    kind: str
    reason: str = ""
    undoes_id: int | None = None
    details: dict[str, Any] = field(default_factory=dict)


def open_set(connection: Connection, proposal: Proposal) -> int:
    """Begin a change set; returns its id. Fill it, then `close_set`."""
    return int(
        connection.exec_driver_sql(
            "INSERT INTO change_set (title, kind, reason, state, created_at, creates, updates, deletes, held,"
            " undoes_id, note, details, revision)"
            " VALUES (?, ?, ?, 'proposed', ?, 0, 0, 0, 0, ?, '', ?, 0) RETURNING id",
            (proposal.title, proposal.kind, proposal.reason, now(), proposal.undoes_id, json.dumps(proposal.details)),
        ).scalar_one()
    )


def add_changes(connection: Connection, set_id: int, changes: Iterable[StoredChange]) -> None:
    position = _next_position(connection, set_id)
    rows = [(set_id, position + k, *c[:-2], c.held, c.source_id) for k, c in enumerate(changes)]
    if rows:
        connection.exec_driver_sql(_CHANGE, rows)


def add_creations(connection: Connection, set_id: int, calendar: int, group: int) -> None:
    """Propose putting every version of an incoming group into a calendar that has none of them."""
    connection.exec_driver_sql(
        "INSERT INTO change (set_id, position, calendar_id, uid, recurrence_id, after_id, reason, held)"
        " SELECT ?, ? + row_number() OVER (ORDER BY id), ?, uid, recurrence_id, id, '', 0 FROM version"
        " WHERE group_id = ?",
        (set_id, _next_position(connection, set_id), calendar, group),
    )


def add_deletions(connection: Connection, set_id: int, ids: Iterable[int], reason: str) -> None:
    """Propose taking the given entries out."""
    for chunk in chunks(ids, 10_000):
        connection.exec_driver_sql("CREATE TEMP TABLE IF NOT EXISTS chosen (id INTEGER PRIMARY KEY)")
        connection.exec_driver_sql("DELETE FROM chosen")
        connection.exec_driver_sql("INSERT INTO chosen VALUES (?)", [(i,) for i in chunk])
        connection.exec_driver_sql(
            "INSERT INTO change (set_id, position, calendar_id, uid, recurrence_id, before_id, reason, held)"
            " SELECT ?, ? + row_number() OVER (ORDER BY e.start, e.id), e.calendar_id, e.uid, e.recurrence_id, e.id,"
            " ?, 0 FROM chosen JOIN entry e ON e.id = chosen.id",
            (set_id, _next_position(connection, set_id), reason),
        )


def _next_position(connection: Connection, set_id: int) -> int:
    return int(
        connection.exec_driver_sql(
            "SELECT coalesce(max(position), 0) + 1 FROM change WHERE set_id = ?", (set_id,)
        ).scalar_one()
    )


def close_set(connection: Connection, set_id: int) -> None:
    """Count the changes of a set that has been filled. Headers and zone definitions are not counted."""
    connection.exec_driver_sql(
        "UPDATE change_set SET (creates, updates, deletes, held) = (SELECT"
        " coalesce(sum(NOT c.held AND c.before_id IS NULL), 0),"
        " coalesce(sum(NOT c.held AND c.before_id IS NOT NULL AND c.after_id IS NOT NULL), 0),"
        " coalesce(sum(NOT c.held AND c.after_id IS NULL), 0), coalesce(sum(c.held), 0)"
        " FROM change c JOIN version v ON v.id = coalesce(c.after_id, c.before_id)"
        " WHERE c.set_id = change_set.id AND v.listed) WHERE id = ?",
        (set_id,),
    )


# ---- applying -------------------------------------------------------------------------------------


def apply_set(store: Store, set_id: int) -> None:
    """Apply a proposal in one transaction.

    Raises:
        CannotApply: if it is not a proposal, or the entries it is about have changed since.
    """
    with store.write() as connection:  # so that the next start can say what was being applied
        _demand_proposed(connection, set_id)
        connection.exec_driver_sql("UPDATE change_set SET state = 'applying' WHERE id = ?", (set_id,))
    try:
        with store.write() as connection:
            apply_within(connection, set_id)
    except BaseException:
        with store.write() as connection:
            connection.exec_driver_sql(
                "UPDATE change_set SET state = 'proposed' WHERE id = ? AND state = 'applying'", (set_id,)
            )
        raise


def _demand_proposed(connection: Connection, set_id: int) -> None:
    state = connection.exec_driver_sql("SELECT state FROM change_set WHERE id = ?", (set_id,)).scalar()
    if state is None:
        raise CannotApply(f"There is no change set {set_id}.")
    if state != "proposed":
        raise CannotApply(f"Change set {set_id} is {state}, so it cannot be applied.")


def apply_within(connection: Connection, set_id: int) -> None:
    """Apply a set as part of a larger transaction.

    Raises:
        CannotApply: if the entries it is about have changed since, or are in a calendar that can only be read.
    """
    run = connection.exec_driver_sql
    _demand_writable(connection, set_id)
    stale = run(
        "SELECT count(*) FROM change c WHERE c.set_id = ? AND NOT c.held AND (c.before_id IS NOT NULL"
        " AND c.before_id NOT IN (SELECT id FROM entry) OR c.after_id IN (SELECT id FROM entry))",
        (set_id,),
    ).scalar_one()
    if stale:
        raise CannotApply(
            f"{stale} of these entries {'was' if stale == 1 else 'were'} changed since this was proposed."
            " Nothing was applied. Propose it again from what is there now."
        )
    calendars = [row[0] for row in run("SELECT DISTINCT calendar_id FROM change WHERE set_id = ?", (set_id,))]
    run(
        "DELETE FROM entry WHERE id IN (SELECT before_id FROM change"
        " WHERE set_id = ? AND NOT held AND before_id IS NOT NULL)",
        (set_id,),
    )
    run(
        f"INSERT INTO entry (id, calendar_id, {INDEX}) SELECT v.id, c.calendar_id,"
        f" {', '.join('v.' + c for c in INDEX_COLUMNS)} FROM change c JOIN version v ON v.id = c.after_id"
        " WHERE c.set_id = ? AND NOT c.held AND c.after_id IS NOT NULL",
        (set_id,),
    )
    settle(connection, set_id)
    for calendar in calendars:
        _refresh_calendar(connection, calendar)
    _add_carriages(connection, set_id)
    run(
        "UPDATE change_set SET state = 'applied', applied_at = ?, note = '', revision = (SELECT revision + 1 FROM meta)"
        " WHERE id = ?",
        (now(), set_id),
    )
    run("UPDATE change_set SET undone_by_id = ? WHERE id = (SELECT undoes_id FROM change_set WHERE id = ?)",
        (set_id, set_id))  # fmt: skip
    # Taking an undo back makes the original batch stand again.
    run("UPDATE change_set SET undone_by_id = NULL WHERE undone_by_id ="
        " (SELECT undoes_id FROM change_set WHERE id = ?)", (set_id,))  # fmt: skip
    run("UPDATE meta SET revision = revision + 1")


def _refresh_calendar(connection: Connection, calendar: int) -> None:
    """A calendar lives while its header or any entry is in force; its row is an index of what the header says.

    Entries can outlive the header: an import taken back, and then the deletion of some of its entries.
    """
    header = connection.exec_driver_sql(
        "SELECT id FROM entry WHERE calendar_id = ? AND component = 'VCALENDAR'", (calendar,)
    ).scalar()
    said = description_of(text_of(connection, header)) if header is not None else Description("")
    connection.exec_driver_sql(
        "UPDATE calendar SET live = EXISTS (SELECT 1 FROM entry WHERE calendar_id = calendar.id),"
        " name = coalesce(nullif(?, ''), name), tint = ?, zone = ?, description = ?,"
        " revision = (SELECT revision + 1 FROM meta) WHERE id = ?",
        (said.name, said.tint, said.zone, said.text, calendar),
    )


def _demand_writable(connection: Connection, set_id: int) -> None:
    """Nobody's change set but what comes in by itself may touch a calendar that can only be read."""
    names = [
        row[0]
        for row in connection.exec_driver_sql(
            "SELECT DISTINCT k.name FROM change c JOIN calendar k ON k.id = c.calendar_id JOIN change_set s"
            " ON s.id = c.set_id JOIN version v ON v.id = coalesce(c.after_id, c.before_id) WHERE c.set_id = ?"
            # What one calls it here is one's own.
            f" AND NOT c.held AND NOT k.writable AND v.component <> 'VCALENDAR' AND s.kind NOT IN {INCOMING}",
            (set_id,),
        )
    ]
    if names:
        raise CannotApply(
            f"{' and '.join(names)} can only be read, so nothing in it can be changed. Copy the entries to a calendar"
            " you may write."
        )


def _add_carriages(connection: Connection, set_id: int) -> None:
    """Note what has to be carried to servers: per UID, since a series is one object there (RFC 4791 §4.1)."""
    connection.exec_driver_sql(
        "INSERT INTO carriage (set_id, remote_id, kind, uid, state, message, theirs, theirs_etag)"
        " SELECT DISTINCT c.set_id, r.id, CASE v.component WHEN 'VCALENDAR' THEN 'calendar' ELSE 'entry' END, c.uid,"
        " CASE WHEN c.uid = '' AND v.component <> 'VCALENDAR' THEN 'refused' ELSE 'waiting' END,"
        " CASE WHEN c.uid = '' AND v.component <> 'VCALENDAR' THEN 'It has no UID, so no server takes it.' ELSE '' END,"
        " '', '' FROM change c JOIN version v ON v.id = coalesce(c.after_id, c.before_id)"
        " JOIN remote r ON r.calendar_id = c.calendar_id JOIN account a ON a.id = r.account_id"
        " JOIN change_set s ON s.id = c.set_id JOIN calendar k ON k.id = c.calendar_id"
        " WHERE c.set_id = ? AND NOT c.held AND a.kind = 'server' AND k.writable"
        f" AND v.component <> 'VTIMEZONE' AND s.kind NOT IN {INCOMING}",
        (set_id,),
    )


def discard_set(store: Store, set_id: int) -> None:
    """Drop a proposal. What it proposed never happened."""
    with store.write() as connection:
        _demand_proposed(connection, set_id)
        connection.exec_driver_sql("UPDATE change_set SET state = 'discarded' WHERE id = ?", (set_id,))
        connection.exec_driver_sql("UPDATE incoming SET set_id = NULL WHERE set_id = ?", (set_id,))


def recover(store: Store) -> list[str]:
    """After a start: what a killed process was in the middle of. Each such set was not applied at all."""
    with store.write() as connection:
        rows = connection.exec_driver_sql("SELECT id, title FROM change_set WHERE state = 'applying'").fetchall()
        note = "The application was stopped while this was being applied. Nothing of it was applied."
        connection.exec_driver_sql(
            "UPDATE change_set SET state = 'proposed', note = ? WHERE state = 'applying'", (note,)
        )
    return [f"Batch {set_id} ({title}) was interrupted: nothing of it was applied." for set_id, title in rows]
