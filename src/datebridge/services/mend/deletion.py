"""Deleting what is selected: a proposal like any other, to be looked at before it is applied."""

from __future__ import annotations

from sqlalchemy import Connection

from datebridge.store.changesets.logbook import CannotApply, Proposal, add_deletions, close_set, open_set
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger, Selection


def propose_deletion(store: Store, ledger: Ledger, selection: Selection, reason: str = "") -> int:
    """Propose deleting the selected entries; returns the change set's id.

    Raises:
        CannotApply: if nothing is selected.
        FilterError: if the selection's filter does not parse.
    """
    with store.write() as connection:
        ids = list(ledger.ids(connection, selection))
        if not ids:
            raise CannotApply("Nothing is selected, so there is nothing to delete.")
        title = f"Delete {len(ids):,} {'entry' if len(ids) == 1 else 'entries'}"
        reason = reason or (f"All that match: {selection.filter}" if selection.only is None else "Chosen by hand.")
        set_id = open_set(connection, Proposal(title, "delete", reason))
        add_deletions(connection, set_id, ids, "Chosen for deletion.")
        if hold_what_can_only_be_read(connection, set_id) == len(ids):
            raise CannotApply(
                "These entries are in calendars that can only be read, so they cannot be deleted. Copy them to a"
                " calendar you may write, or switch the calendar off in Connect."
            )
        close_set(connection, set_id)
        name_after_calendar(connection, set_id, f"Delete {len(ids):,}")
    return set_id


def hold_what_can_only_be_read(connection: Connection, set_id: int) -> int:
    """Leave entries of calendars that can only be read alone; returns how many those are."""
    return connection.exec_driver_sql(
        "UPDATE change SET held = 1, reason = 'Its calendar can only be read.' WHERE set_id = ? AND calendar_id IN"
        " (SELECT id FROM calendar WHERE NOT writable)",
        (set_id,),
    ).rowcount


def name_after_calendar(connection: Connection, set_id: int, verb: str) -> None:
    """Name a set after the one calendar it touches: "Delete 412 events from Tide tables"."""
    run = connection.exec_driver_sql
    rows = run(
        "SELECT k.name, count(*), sum(v.component = 'VEVENT') FROM change c JOIN calendar k ON k.id = c.calendar_id"
        " JOIN version v ON v.id = c.before_id WHERE c.set_id = ? AND NOT c.held GROUP BY k.id",
        (set_id,),
    ).fetchall()
    total = sum(row[1] for row in rows)
    only_events = total == sum(row[2] for row in rows)
    noun = ("event" if only_events else "entry") if total == 1 else ("events" if only_events else "entries")
    where = rows[0][0] if len(rows) == 1 else f"{len(rows)} calendars"
    run("UPDATE change_set SET title = ? WHERE id = ?", (f"{verb} {noun} from {where}", set_id))
