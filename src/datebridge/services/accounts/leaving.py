"""Leaving: switching a calendar off, disconnecting an account. Nothing is deleted where it lives."""

from __future__ import annotations

from sqlalchemy import Connection

from datebridge.core.choices import Keep
from datebridge.services.accounts.connecting import NotConnected, remote, remotes_of
from datebridge.store.changesets.logbook import Proposal, add_deletions, apply_within, close_set, open_set
from datebridge.store.database import Store, now
from datebridge.store.remotes import OPEN
from datebridge.store.tables import Account, Remote


def switch_off(store: Store, remote_id: int, keep: Keep) -> int:
    """Stop following a calendar; returns the batch. Nothing is deleted where it lives.

    Raises:
        NotConnected: if it is not switched on.
    """
    row = remote(store, remote_id)
    if row.calendar_id is None:
        raise NotConnected(f"{row.name} is not switched on.")
    with store.write() as connection:
        return _leave(connection, f"Switch off {row.name}", [row], keep)


def disconnect(store: Store, account_id: int, keep: Keep) -> int:
    """Disconnect an account; returns the batch. Nothing is deleted where it lives.

    Raises:
        NotConnected: if there is no such account.
    """
    with store.session() as session:
        account = session.get(Account, account_id)
        if account is None or account.gone:
            raise NotConnected("There is no such account any more.")
        name = account.name
    rows = remotes_of(store, account_id, only_on=True)
    with store.write() as connection:
        set_id = _leave(connection, f"Disconnect {name}", rows, keep)
        connection.exec_driver_sql(
            "UPDATE account SET gone = 1, address_sealed = x'', password_sealed = x'', user = '', trouble = ''"
            " WHERE id = ?",
            (account_id,),
        )
    return set_id


def _leave(connection: Connection, title: str, rows: list[Remote], keep: Keep) -> int:
    stays = "nothing stays here" if keep == "nothing" else "a snapshot stays here"
    set_id = open_set(connection, Proposal(f"{title}; {stays}", "leave", "Nothing is deleted where it lives."))
    for row in rows:
        if keep == "nothing":
            ids = connection.exec_driver_sql(
                "SELECT id FROM entry WHERE calendar_id = ?", (row.calendar_id,)
            ).fetchall()
            add_deletions(connection, set_id, [i for (i,) in ids], "No longer followed.")
    close_set(connection, set_id)
    apply_within(connection, set_id)
    for row in rows:
        connection.exec_driver_sql("DELETE FROM resource WHERE remote_id = ?", (row.id,))
        connection.exec_driver_sql(
            f"UPDATE carriage SET state = 'dropped', message = 'The calendar was switched off.' WHERE remote_id = ?"
            f" AND state IN {OPEN}",
            (row.id,),
        )
        connection.exec_driver_sql(
            "UPDATE calendar SET writable = 1, source = 'a snapshot of ' || source, taken_at = ? WHERE id = ?",
            (now(), row.calendar_id),
        )
        connection.exec_driver_sql(
            "UPDATE remote SET calendar_id = NULL, tag = '', token = '', etag = '', modified = '', next_at = NULL,"
            " refreshed_at = NULL, trouble = '', failed_since = NULL, failures = 0, held_set_id = NULL WHERE id = ?",
            (row.id,),
        )
    return set_id
