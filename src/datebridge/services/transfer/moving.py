"""The second half of a move: what has been read back at the target is deleted at its source, and nothing else."""

from __future__ import annotations

import json

from sqlalchemy import Connection

from datebridge.core.invitations import told
from datebridge.store.changesets.logbook import Proposal, StoredChange, add_changes, apply_within, close_set, open_set
from datebridge.store.database import Store
from datebridge.store.remotes import OPEN, PENDING

#: Entries copied by a batch that still stand at their source, with how their copy fares: `arrived` is true once
#: nothing about it waits and the server's state has been read back.
_COPIED = (
    "SELECT c.source_id, e.calendar_id, e.uid, e.recurrence_id,"
    f" NOT EXISTS (SELECT 1 FROM carriage g WHERE g.remote_id = r.id AND g.uid = c.uid AND g.state IN {OPEN})"
    " AND (r.id IS NULL OR EXISTS"
    "  (SELECT 1 FROM resource o WHERE o.remote_id = r.id AND o.uid = c.uid AND o.etag <> ''))"
    " AND EXISTS (SELECT 1 FROM entry t WHERE t.calendar_id = c.calendar_id AND t.uid = c.uid"
    "  AND t.recurrence_id = c.recurrence_id) AS arrived,"
    f" (SELECT count(*) FROM carriage g WHERE g.remote_id = r.id AND g.uid = c.uid AND g.state IN {PENDING}) AS waiting"
    " FROM change c JOIN entry e ON e.id = c.source_id LEFT JOIN remote r ON r.calendar_id = c.calendar_id"
    " WHERE c.set_id = ? AND NOT c.held AND c.source_id IS NOT NULL"
)


def finish_moves(store: Store) -> list[int]:
    """Delete at their sources what has arrived; returns the batches. Moves of which something waits are left."""
    made = []
    with store.read() as connection:
        if not _moves(connection):
            return []
    with store.write() as connection:
        moves = _moves(connection)
        for set_id, title in moves:
            rows = connection.exec_driver_sql(_COPIED, (set_id,)).fetchall()
            if any(row[5] for row in rows):
                continue
            made.append(_finish(connection, set_id, title, [row for row in rows if row[4]], len(rows)))
    return [made_id for made_id in made if made_id is not None]


def _moves(connection: Connection) -> list[tuple[int, str]]:
    """Moves that have been applied and whose second half has not been done."""
    rows = connection.exec_driver_sql(
        "SELECT id, title FROM change_set WHERE kind = 'copy' AND state = 'applied' AND undone_by_id IS NULL"
        " AND json_extract(details, '$.move') AND json_extract(details, '$.moved') IS NULL"
    )
    return [(row[0], row[1]) for row in rows]


def _finish(
    connection: Connection, set_id: int, title: str, arrived: list[tuple[object, ...]], total: int
) -> int | None:
    # A series stays or goes as a whole, with its changed occurrences.
    told_of = {(row[1], row[2]) for row in arrived if _tells(connection, int(str(row[0])))}
    stay = [row for row in arrived if (row[1], row[2]) in told_of]
    going = [row for row in arrived if (row[1], row[2]) not in told_of]
    deletion = None
    if going:
        deletion = open_set(
            connection, Proposal(title.replace("Move", "Clear away, moved:", 1), "move",
                                 f"Each was read back at its target (batch {set_id}).")
        )  # fmt: skip
        changes = [
            StoredChange(int(str(r[1])), str(r[2]), str(r[3]), int(str(r[0])), None, "It has arrived.") for r in going
        ]
        add_changes(connection, deletion, changes)
        close_set(connection, deletion)
        apply_within(connection, deletion)
    notes = []
    if total - len(arrived):
        notes.append(f"{total - len(arrived):,} stay at the source: they have not arrived.")
    if stay:
        notes.append(f"{len(stay):,} stay at the source: deleting them there would tell their attendees.")
    connection.exec_driver_sql(
        "UPDATE change_set SET details = json_set(details, '$.moved', ?), note = ? WHERE id = ?",
        (deletion or 0, " ".join(notes), set_id),
    )
    return deletion


def _tells(connection: Connection, version: int) -> bool:
    """Whether deleting an entry would make its server tell the attendees."""
    row = connection.exec_driver_sql(
        "SELECT t.text, a.addresses, a.schedules FROM entry e JOIN version_text t ON t.id = e.id"
        " JOIN remote r ON r.calendar_id = e.calendar_id JOIN account a ON a.id = r.account_id"
        " WHERE e.id = ? AND e.attendees > 0",
        (version,),
    ).one_or_none()
    return bool(row and row[2] and told(row[0], json.loads(row[1])))
