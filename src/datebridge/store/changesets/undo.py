"""Undoing a batch: its inverse, with what was changed since left alone unless told otherwise."""

from __future__ import annotations

from sqlalchemy import Connection

from datebridge.store.changesets.logbook import CannotApply, Proposal, close_set, open_set
from datebridge.store.database import Store

#: The entry that stands where a change's entry stood, put there by a later batch (bound: the batch's id).
_CAME_LATER = (
    "SELECT e.id FROM entry e JOIN change x ON x.after_id = e.id AND NOT x.held"
    " JOIN change_set s ON s.id = x.set_id AND s.state = 'applied'"
    " WHERE e.uid = c.uid AND e.recurrence_id = c.recurrence_id AND e.calendar_id = c.calendar_id AND c.uid <> ''"
    " AND e.component = v.component AND s.revision > (SELECT revision FROM change_set WHERE id = ?)"
)


def propose_undo(store: Store, set_id: int, force: bool = False) -> int:
    """Propose the inverse of a batch; returns the new set.

    Entries changed since the batch are *held*: listed, but left alone unless `force`.

    Raises:
        CannotApply: if the batch is not applied, or was undone before.
    """
    with store.write() as connection:
        row = connection.exec_driver_sql(
            "SELECT title, state, undone_by_id, kind, undoes_id FROM change_set WHERE id = ?", (set_id,)
        ).one_or_none()
        if row is None or row[1] != "applied":
            raise CannotApply(f"Batch {set_id} has not been applied, so there is nothing to undo.")
        if row[2] is not None:
            raise CannotApply(f"Batch {set_id} was undone before, by batch {row[2]}.")
        _demand_undoable(connection, set_id, row[3])
        title = (
            f"Undo: {row[0]}" if row[3] != "undo" else f"Redo: {row[0].removeprefix('Undo: ').removeprefix('Redo: ')}"
        )
        undo = open_set(connection, Proposal(title, "undo", f"Takes back batch {set_id}.", undoes_id=set_id))
        _add_inverse(connection, set_id, undo, force)
        close_set(connection, undo)
    return undo


def _demand_undoable(connection: Connection, set_id: int, kind: str) -> None:
    if kind == "subscribe":
        raise CannotApply("This is how the calendar came here. Switch the calendar off in Connect instead.")
    if kind != "pull":
        return
    readable = connection.exec_driver_sql(
        "SELECT k.name FROM change c JOIN calendar k ON k.id = c.calendar_id WHERE c.set_id = ? AND NOT k.writable"
        " LIMIT 1",
        (set_id,),
    ).scalar()
    if readable is not None:
        raise CannotApply(f"{readable} can only be read: it follows what is published, and cannot be taken back here.")


def _add_inverse(connection: Connection, set_id: int, undo: int, force: bool) -> None:
    run = connection.exec_driver_sql
    reason = "Takes the change back."
    # Untouched since: what the batch put there is still in force, or what it took away is still absent.
    run(
        "INSERT INTO change (set_id, position, calendar_id, uid, recurrence_id, before_id, after_id, reason, held)"
        " SELECT ?, c.position, c.calendar_id, c.uid, c.recurrence_id, c.after_id, c.before_id, ?, 0"
        " FROM change c JOIN version v ON v.id = coalesce(c.after_id, c.before_id)"
        " WHERE c.set_id = ? AND NOT c.held AND CASE WHEN c.after_id IS NOT NULL"
        " THEN c.after_id IN (SELECT id FROM entry)"
        f" ELSE c.before_id NOT IN (SELECT id FROM entry) AND NOT EXISTS ({_CAME_LATER}) END",
        (undo, reason, set_id, set_id),
    )
    # The others, with what is there now in their place.
    run(
        "INSERT INTO change (set_id, position, calendar_id, uid, recurrence_id, before_id, after_id, reason, held)"
        " SELECT ?, c.position, c.calendar_id, c.uid, c.recurrence_id,"
        f" ({_CAME_LATER} LIMIT 1), c.before_id, 'Changed since that batch.', ? FROM change c"
        " JOIN version v ON v.id = coalesce(c.after_id, c.before_id)"
        " WHERE c.set_id = ? AND NOT c.held AND c.position NOT IN (SELECT position FROM change WHERE set_id = ?)",
        (undo, set_id, not force, set_id, undo),
    )
    run("DELETE FROM change WHERE set_id = ? AND before_id IS NULL AND after_id IS NULL", (undo,))
    # A calendar goes only with the last of its entries, a definition only with those that came later and use it.
    left = (
        "EXISTS (SELECT 1 FROM entry e WHERE e.calendar_id = change.calendar_id AND e.listed"
        " AND e.id NOT IN (SELECT before_id FROM change WHERE set_id = ? AND before_id IS NOT NULL AND NOT held)"
    )
    held = "UPDATE change SET held = 1, reason = 'The calendar holds entries that came later.' WHERE set_id = ?"
    of = "AND after_id IS NULL AND before_id IN (SELECT id FROM entry WHERE component = "
    run(f"{held} {of} 'VCALENDAR') AND {left})", (undo, undo))
    run(
        f"{held} {of} 'VTIMEZONE') AND {left} AND e.id > (SELECT max(after_id) FROM change WHERE set_id = ?)"
        " AND instr(char(31) || e.tzids || char(31), char(31) || change.uid || char(31)))",
        (undo, undo, set_id),
    )
