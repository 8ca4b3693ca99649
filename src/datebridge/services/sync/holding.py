"""Which objects on a server hold the entries of a UID: mostly one; some servers know no better."""

from __future__ import annotations

import re
from collections.abc import Collection
from hashlib import blake2b

from datebridge.connect.caldav import canonical
from datebridge.core.ids import RemoteId
from datebridge.store.database import Connection
from datebridge.store.entries.present import uids_of
from datebridge.store.remotes import KnownObject, known_objects_of

_SAFE = re.compile(r"[A-Za-z0-9._@-]{1,120}\Z")


def href_of(calendar: str, uid: str) -> str:
    """The path under which a new entry is written into a calendar at an address."""
    name = uid if _SAFE.match(uid) else blake2b(uid.encode(), digest_size=16).hexdigest()
    return canonical(f"{calendar.rstrip('/')}/{name}.ics")


def objects_holding(connection: Connection, remote: RemoteId, uids: Collection[str]) -> dict[str, list[KnownObject]]:
    """The objects of each UID; those of one UID first, then those that hold several or none (their `uid` is "")."""
    by_uid: dict[str, list[KnownObject]] = {}
    without_uid: list[KnownObject] = []
    for known_object in known_objects_of(connection, remote, {*uids, ""}):
        (by_uid.setdefault(known_object.uid, []) if known_object.uid else without_uid).append(known_object)
    uid_of = (
        uids_of(connection, {v for known_object in without_uid for v in known_object.versions}) if without_uid else {}
    )
    for known_object in without_uid:
        for uid in {uid_of[v] for v in known_object.versions if v in uid_of} & set(uids):
            by_uid.setdefault(uid, []).append(known_object)
    return by_uid
