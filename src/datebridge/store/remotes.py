"""Calendars that live elsewhere: their objects as last seen, what waits to be carried, where they live."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from sqlalchemy import Connection

from datebridge.store.database import now
from datebridge.store.entries.versions import bound, chunks

#: After a failure the next try comes within this time, in seconds.
LONGEST_PAUSE = 86400
#: Carriages in these states still have to end in one way or the other.
OPEN = "('waiting', 'sending', 'refused', 'collided')"
PENDING = "('waiting', 'sending')"


class Known(NamedTuple):
    """An object on a server as last seen; `versions` are those in force here then."""

    href: str
    uid: str
    etag: str
    versions: tuple[int, ...]


class InForce(NamedTuple):
    """An entry in force, as far as comparing needs it."""

    id: int
    component: str
    uid: str
    recurrence_id: str
    digest: bytes


def _known(row: Any) -> Known:
    return Known(row[0], row[1], row[2], tuple(int(v) for v in row[3].split(",") if v))


def known_objects(connection: Connection, remote: int, hrefs: Iterable[str] | None = None) -> dict[str, Known]:
    """Objects by path: those asked for, or all."""
    sql = "SELECT href, uid, etag, versions FROM resource WHERE remote_id = ?"
    if hrefs is None:
        return {row[0]: _known(row) for row in connection.exec_driver_sql(sql, (remote,))}
    found = {}
    for chunk in chunks(hrefs):
        rows = connection.exec_driver_sql(f"{sql} AND href IN ({bound(len(chunk))})", (remote, *chunk))
        found.update({row[0]: _known(row) for row in rows})
    return found


def known_objects_of(connection: Connection, remote: int, uids: Iterable[str]) -> list[Known]:
    """All objects that hold an entry of one of these UIDs."""
    found = []
    for chunk in chunks(uids):
        rows = connection.exec_driver_sql(
            f"SELECT href, uid, etag, versions FROM resource WHERE remote_id = ? AND uid IN ({bound(len(chunk))})",
            (remote, *chunk),
        )
        found += [_known(row) for row in rows]
    return found


def known_by_uid(connection: Connection, remote: int, uids: Iterable[str]) -> dict[str, Known]:
    """One object of each UID."""
    return {one.uid: one for one in known_objects_of(connection, remote, uids)}


def unread_objects(connection: Connection, remote: int) -> list[str]:
    """Paths of objects whose present state on the server has yet to be read back."""
    rows = connection.exec_driver_sql("SELECT href FROM resource WHERE remote_id = ? AND etag = ''", (remote,))
    return [row[0] for row in rows]


def keep_objects(connection: Connection, remote: int, objects: Iterable[Known]) -> None:
    rows = [(remote, o.href, o.uid, o.etag, ",".join(map(str, o.versions))) for o in objects]
    if rows:
        connection.exec_driver_sql("INSERT OR REPLACE INTO resource VALUES (?, ?, ?, ?, ?)", rows)


def forget_objects(connection: Connection, remote: int, hrefs: Iterable[str]) -> None:
    for chunk in chunks(hrefs):
        connection.exec_driver_sql(
            f"DELETE FROM resource WHERE remote_id = ? AND href IN ({bound(len(chunk))})", (remote, *chunk)
        )


def in_force(connection: Connection, calendar: int, uids: Iterable[str]) -> dict[str, list[InForce]]:
    """The entries in force of a calendar, by UID."""
    found: dict[str, list[InForce]] = {}
    for chunk in chunks(uids):
        for row in connection.exec_driver_sql(
            "SELECT id, component, uid, recurrence_id, digest FROM entry WHERE calendar_id = ? AND listed"
            f" AND uid IN ({bound(len(chunk))}) ORDER BY id",
            (calendar, *chunk),
        ):
            found.setdefault(row[2], []).append(InForce(*row))
    return found


def busy_uids(connection: Connection, remote: int) -> set[str]:
    """UIDs with changes of one's own that have not been carried: what comes in about them must wait."""
    rows = connection.exec_driver_sql(
        f"SELECT DISTINCT uid FROM carriage WHERE remote_id = ? AND kind = 'entry' AND state IN {OPEN}", (remote,)
    )
    return {row[0] for row in rows}


def pending(connection: Connection) -> dict[int, list[int]]:
    """Calendars elsewhere for which something waits to be carried, by account."""
    found: dict[int, list[int]] = {}
    for account, remote in connection.exec_driver_sql(
        "SELECT DISTINCT r.account_id, g.remote_id FROM carriage g JOIN remote r ON r.id = g.remote_id"
        f" WHERE g.state IN {PENDING} ORDER BY 1, 2"
    ):
        found.setdefault(account, []).append(remote)
    return found


def accounts_of(connection: Connection, remotes: Iterable[int]) -> dict[int, int]:
    """The account of each calendar that lives elsewhere, in the order asked."""
    owners = dict(tuple(row) for row in connection.exec_driver_sql("SELECT id, account_id FROM remote"))
    return {remote: owners[remote] for remote in remotes if remote in owners}


def ready_to_carry(connection: Connection) -> dict[int, int]:
    """Calendars to which may be carried now, with their accounts: after a failure not before they are due."""
    moment = now()
    rows = connection.exec_driver_sql(
        "SELECT id, account_id FROM remote WHERE failed_since IS NULL OR next_at IS NULL OR next_at <= ?"
        " OR next_at > ?",
        (moment, moment + LONGEST_PAUSE),
    )
    return dict(tuple(row) for row in rows)


def carriage_counts(connection: Connection, by: str, number: int | None = None) -> dict[int, dict[str, int]]:
    """How many carriages are in which state, per remote calendar or per batch."""
    where = f" WHERE {by} = {int(number)}" if number is not None else ""
    counts: dict[int, dict[str, int]] = {}
    for key, state, count in connection.exec_driver_sql(
        f"SELECT {by}, state, count(*) FROM carriage{where} GROUP BY 1, 2"
    ):
        counts.setdefault(key, {})[state] = count
    return counts


def statements(connection: Connection) -> list[dict[str, Any]]:
    """Every calendar in force, being fetched, or left off, with what is known of where it lives.

    One that is only proposed, or was deleted there, is none.
    """
    rows = connection.exec_driver_sql(
        "SELECT r.*, a.kind account_kind, a.name account_name, a.host, a.user, k.live, k.name calendar_name,"
        " (SELECT id FROM change_set h WHERE h.id = r.held_set_id AND h.state = 'proposed') held_open"
        " FROM remote r JOIN account a ON a.id = r.account_id LEFT JOIN calendar k ON k.id = r.calendar_id"
        " WHERE NOT a.gone AND NOT (a.kind = 'server' AND r.url = '' AND NOT coalesce(k.live, 0))"
        " ORDER BY a.id, r.owned DESC, r.position, r.id"
    ).mappings()
    return [dict(row) for row in rows]
