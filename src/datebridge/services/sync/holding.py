"""Which objects on a server hold the entries of a UID: mostly one; some servers know no better."""

from __future__ import annotations

from collections.abc import Collection

from datebridge.core.ids import RemoteId
from datebridge.store.database import Connection
from datebridge.store.entries.present import uids_of
from datebridge.store.remotes import Known, known_objects_of


def objects_holding(connection: Connection, remote: RemoteId, uids: Collection[str]) -> dict[str, list[Known]]:
    """The objects of each UID; those of one UID first, then those that hold several or none (their `uid` is "")."""
    found: dict[str, list[Known]] = {}
    odd: list[Known] = []
    for one in known_objects_of(connection, remote, {*uids, ""}):
        (found.setdefault(one.uid, []) if one.uid else odd).append(one)
    uid_of = uids_of(connection, {v for one in odd for v in one.versions}) if odd else {}
    for one in odd:
        for uid in {uid_of[v] for v in one.versions if v in uid_of} & set(uids):
            found.setdefault(uid, []).append(one)
    return found
