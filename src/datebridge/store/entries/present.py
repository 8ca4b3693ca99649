"""What is in calendars, as far as recognising it needs it (see `core.changes.reconcile`)."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from sqlalchemy import Connection, Row, Select, select

from datebridge.core.changes import Item, identity_of
from datebridge.core.ids import AccountId, CalendarId, GroupId, VersionId
from datebridge.store.sql import among
from datebridge.store.tables import CALENDARS, ENTRIES, REMOTES, TEXTS, VERSIONS

_SEEN = ("id", "component", "uid", "recurrence_id", "digest", "sequence", "modified")


def present(connection: Connection, calendar: CalendarId) -> list[Item[VersionId]]:
    """All that is in a calendar but its header."""
    return _items(connection, _seen().where(ENTRIES.c.calendar_id == calendar, ENTRIES.c.component != "VCALENDAR"))


def present_by_uid(
    connection: Connection, calendar: CalendarId, uids: Iterable[str]
) -> dict[str, list[Item[VersionId]]]:
    """The entries of some UIDs in a calendar."""
    wanted = _seen().where(ENTRIES.c.calendar_id + 0 == calendar, ENTRIES.c.listed, ENTRIES.c.uid.in_(among(uids)))
    by_uid: dict[str, list[Item[VersionId]]] = {}
    for item in _items(connection, wanted):  # the sum keeps SQLite from going through the whole calendar instead
        by_uid.setdefault(item.identity.uid, []).append(item)
    return by_uid


def _seen() -> Select[Any]:
    return select(*(ENTRIES.c[name] for name in _SEEN)).order_by(ENTRIES.c.id)


def _items(connection: Connection, wanted: Select[Any]) -> list[Item[VersionId]]:
    return [_item(row) for row in connection.execute(wanted)]


def _item(row: Row[Any]) -> Item[VersionId]:
    identity = identity_of(row.component, row.uid, row.recurrence_id, row.digest)
    return Item(identity, row.digest, row.id, row.sequence, row.modified)


def staged(connection: Connection, group: GroupId) -> list[tuple[Item[VersionId], bool]]:
    """What a part of a file holds, in its order; and whether each is an entry, not a header or a definition."""
    columns = (*(VERSIONS.c[name] for name in _SEEN), VERSIONS.c.listed)
    rows = connection.execute(select(*columns).where(VERSIONS.c.group_id == group).order_by(VERSIONS.c.id))
    return [(_item(row), bool(row.listed)) for row in rows]


def digests_elsewhere(connection: Connection, group: GroupId) -> set[bytes]:
    """What of a part of a file stands, identical, in any calendar."""
    same = (
        (ENTRIES.c.uid == VERSIONS.c.uid)
        & (ENTRIES.c.recurrence_id == VERSIONS.c.recurrence_id)
        & (ENTRIES.c.digest == VERSIONS.c.digest)
    )
    query = select(VERSIONS.c.digest).join(ENTRIES, same).where(VERSIONS.c.group_id == group)
    return set(connection.execute(query).scalars())


def from_files(connection: Connection, calendar: CalendarId) -> dict[VersionId, str]:
    """The entries of a calendar that came with a file, with their titles."""
    rows = connection.execute(
        select(ENTRIES.c.id, ENTRIES.c.summary)
        .join(VERSIONS, VERSIONS.c.id == ENTRIES.c.id)
        .where(ENTRIES.c.calendar_id == calendar, ENTRIES.c.listed, VERSIONS.c.group_id.is_not(None))
        .order_by(ENTRIES.c.start, ENTRIES.c.id)
    )
    return {VersionId(row.id): row.summary for row in rows}


def uids_in_home(connection: Connection, account: AccountId, besides: CalendarId) -> dict[str, str]:
    """UIDs that are in other calendars of an account's own home, with the calendar's name: a home takes each UID
    once (RFC 4791 §5.3.2.1, no-uid-conflict)."""
    rows = connection.execute(
        select(ENTRIES.c.uid, CALENDARS.c.name)
        .join(CALENDARS, CALENDARS.c.id == ENTRIES.c.calendar_id)
        .join(REMOTES, REMOTES.c.calendar_id == CALENDARS.c.id)
        .where(
            REMOTES.c.account_id == account,
            REMOTES.c.owned,
            CALENDARS.c.id != besides,
            ENTRIES.c.listed,
            ENTRIES.c.uid != "",
        )
    )
    return {row.uid: row.name for row in rows}


def with_series(connection: Connection, ids: Iterable[VersionId]) -> list[VersionId]:
    """The entries, and every entry that shares calendar and UID with one of them."""
    wanted = set(ids)
    other = ENTRIES.alias("other")
    rows = connection.execute(
        select(other.c.id)
        .select_from(ENTRIES)
        .join(
            other, (other.c.uid == ENTRIES.c.uid) & (other.c.calendar_id + 0 == ENTRIES.c.calendar_id) & other.c.listed
        )
        .where(ENTRIES.c.uid != "", ENTRIES.c.id.in_(among(wanted)))
    )
    return sorted(wanted.union(rows.scalars()))


def texts_of(connection: Connection, versions: Iterable[VersionId]) -> dict[VersionId, str]:
    """The texts of versions; of those that are there."""
    rows = connection.execute(select(TEXTS.c.id, TEXTS.c.text).where(TEXTS.c.id.in_(among(versions))))
    return {row.id: row.text for row in rows}


def uids_of(connection: Connection, versions: Iterable[VersionId]) -> dict[VersionId, str]:
    """The UIDs of versions, in force or not; of those that are there."""
    rows = connection.execute(select(VERSIONS.c.id, VERSIONS.c.uid).where(VERSIONS.c.id.in_(among(versions))))
    return {VersionId(row.id): row.uid for row in rows}


def present_by_id(connection: Connection, versions: Iterable[VersionId]) -> list[Item[VersionId]]:
    """Those of some versions that are in force."""
    return _items(connection, _seen().where(ENTRIES.c.id.in_(among(versions))))


def entries_of(connection: Connection, calendar: CalendarId) -> list[VersionId]:
    """Everything in force in a calendar, its header and definitions too."""
    return list(connection.execute(select(ENTRIES.c.id).where(ENTRIES.c.calendar_id == calendar)).scalars())


class Written(NamedTuple):
    """An entry in force with its text."""

    id: VersionId
    calendar: CalendarId
    component: str
    text: str


def texts_in_order(connection: Connection, ids: Iterable[VersionId]) -> list[Written]:
    """Entries with their texts, in order of start."""
    rows = connection.execute(
        select(ENTRIES.c.id, ENTRIES.c.calendar_id, ENTRIES.c.component, TEXTS.c.text)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(ENTRIES.c.id.in_(among(ids)))
        .order_by(ENTRIES.c.start, ENTRIES.c.id)
    )
    return [Written(*row) for row in rows]


class Placed(NamedTuple):
    """An entry in force: where it stands, and what it is known by there."""

    id: VersionId
    calendar: CalendarId
    component: str
    uid: str
    recurrence_id: str


def in_groups(connection: Connection, ids: Iterable[VersionId], together: bool) -> dict[CalendarId, list[list[Placed]]]:
    """Entries by calendar, in order of start; those of one UID together where that is asked, else each alone."""
    own = [ENTRIES.c[name] for name in ("id", "calendar_id", "component", "uid", "recurrence_id")]
    rows = connection.execute(select(*own).where(ENTRIES.c.id.in_(among(ids))).order_by(ENTRIES.c.start, ENTRIES.c.id))
    groups: dict[CalendarId, dict[object, list[Placed]]] = {}
    for row in rows:
        one = Placed(*row)
        key = (one.component, one.uid) if together and one.uid else one.id
        groups.setdefault(one.calendar, {}).setdefault(key, []).append(one)
    return {calendar: list(units.values()) for calendar, units in groups.items()}


def begun_before(connection: Connection, wall: int, calendars: Iterable[CalendarId] | None) -> list[VersionId]:
    """The entries that begin before a moment on their own clocks, where one may write; of all calendars, or of some."""
    may = select(CALENDARS.c.id).where(CALENDARS.c.writable, CALENDARS.c.live)
    wanted = may if calendars is None else may.where(CALENDARS.c.id.in_(among(calendars)))
    query = select(ENTRIES.c.id).where(ENTRIES.c.listed, ENTRIES.c.start_wall < wall, ENTRIES.c.calendar_id.in_(wanted))
    return [VersionId(one) for one in connection.execute(query).scalars()]


def by_uids(connection: Connection, uids: Iterable[str]) -> dict[str, list[Placed]]:
    """The entries of some UIDs in all calendars in force."""
    own = [ENTRIES.c[name] for name in ("id", "calendar_id", "component", "uid", "recurrence_id")]
    wanted = select(*own).where(ENTRIES.c.listed, ENTRIES.c.uid.in_(among(sorted(uids)))).order_by(ENTRIES.c.id)
    by_uid: dict[str, list[Placed]] = {}
    for row in connection.execute(wanted):
        one = Placed(*row)
        by_uid.setdefault(one.uid, []).append(one)
    return by_uid
