"""Leaving: switching a calendar off, disconnecting an account. Nothing is deleted on the server."""

from __future__ import annotations

from datebridge.core.changes import PERSON, By, Kind
from datebridge.core.choices import Keep
from datebridge.core.ids import AccountId, RemoteId, SetId
from datebridge.store.accounts import account, forget_account, remote, remotes_of, switched_on
from datebridge.store.calendars import make_snapshot
from datebridge.store.changesets.apply import apply_within
from datebridge.store.changesets.draft import propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.present import entries_of
from datebridge.store.pushes import drop_all
from datebridge.store.remotes import unlink
from datebridge.store.tables import Remote


def switch_off(store: Store, remote_id: RemoteId, keep: Keep, by: By = PERSON) -> SetId:
    """Stop following a calendar; returns the batch. Nothing is deleted on the server.

    Raises:
        NotConnected: if it is not switched on.
    """
    row = remote(store, remote_id)
    switched_on(row)
    with store.write() as connection:
        return _leave(connection, f"Switch off {row.name}", [row], keep, by)


def disconnect(store: Store, account_id: AccountId, keep: Keep, by: By = PERSON) -> SetId:
    """Disconnect an account; returns the batch. Nothing is deleted on the server.

    Raises:
        NotConnected: if there is no such account.
    """
    name = account(store, account_id).name
    rows = remotes_of(store, account_id, only_on=True)
    with store.write() as connection:
        set_id = _leave(connection, f"Disconnect {name}", rows, keep, by)
        forget_account(connection, account_id)
    return set_id


def _leave(connection: Connection, title: str, rows: list[Remote], keep: Keep, by: By) -> SetId:
    stays = "nothing stays here" if keep == "nothing" else "a snapshot stays here"
    reason = "Nothing is deleted on the server."
    on = [switched_on(row) for row in rows]
    with propose(connection, Kind.LEAVE, by, f"{title}; {stays}", reason, nothing=None) as draft:
        if keep == "nothing":
            for _, calendar in on:
                draft.delete(entries_of(connection, calendar), "No longer synchronised.")
    apply_within(connection, draft.id)
    for remote_id, _ in on:
        drop_all(connection, remote_id, "The calendar was switched off.")
    make_snapshot(connection, [calendar for _, calendar in on])
    unlink(connection, [remote_id for remote_id, _ in on])
    return draft.id
