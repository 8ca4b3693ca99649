"""Series in force with their changed occurrences, as the core works on them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Connection, Row, and_, func, or_, select

from datebridge.core.editing.groups import Group, SeriesMember
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.core.occurrences.expanding import Timed
from datebridge.core.series.pieces import SeriesShape
from datebridge.core.zones.meaning import Zones
from datebridge.store.sql import among
from datebridge.store.tables import ENTRIES, FINDINGS, TEXTS

_COLUMNS = [
    ENTRIES.c[name]
    for name in (
        "id",
        "calendar_id",
        "uid",
        "recurrence_id",
        "start_wall",
        "end_wall",
        "until_wall",
        "tzid",
        "zone",
        "marks",
        "recurrence",
        "component",
        "summary",
        "location",
    )
]
_PLACED = and_(ENTRIES.c.start_wall.is_not(None), ENTRIES.c.end_wall.is_not(None))


class Master(NamedTuple):
    """A series, or whatever has changed occurrences; see `core.series.pieces.Known`."""

    id: VersionId
    uid: str
    component: str
    known: SeriesShape[VersionId]


def series_in(connection: Connection, calendar: CalendarId) -> list[Master]:
    """The series of a calendar, without their changed occurrences."""
    is_series = ENTRIES.c.marks.op("&")(Mark.SERIES) != 0
    return _masters(connection, calendar, is_series & (ENTRIES.c.recurrence_id == ""))


def orphans_in(connection: Connection, calendar: CalendarId) -> list[Master]:
    """Changed occurrences of a calendar whose series is not in it."""
    other = ENTRIES.alias("other")
    own = (
        (other.c.calendar_id == calendar)
        & (other.c.uid == ENTRIES.c.uid)
        & (other.c.recurrence_id == "")
        & (other.c.component == ENTRIES.c.component)
    )
    return _masters(connection, calendar, (ENTRIES.c.recurrence_id != "") & ~select(other.c.id).where(own).exists())


def _masters(connection: Connection, calendar: CalendarId, which: ColumnElement[bool]) -> list[Master]:
    own = select(*_COLUMNS).where(ENTRIES.c.calendar_id == calendar, ENTRIES.c.listed, _PLACED, which)
    return [_master(row) for row in connection.execute(own.order_by(ENTRIES.c.id))]


def _master(row: Row[Any]) -> Master:
    fields = tuple(row)
    timed, (component, title, place) = Timed(*fields[:11]), fields[11:]
    key = VersionId(timed.id)
    return Master(key, timed.uid, component, SeriesShape(key, title, place, component, timed))


def groups_of(connection: Connection, calendar: CalendarId, masters: Sequence[Master], zones: Zones) -> list[Group]:
    """Series with their changed occurrences and the clocks they go by, in the order given."""
    uids = [master.uid for master in masters if master.uid]
    rows = connection.execute(
        select(ENTRIES.c.id, ENTRIES.c.uid, ENTRIES.c.component, TEXTS.c.text)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(
            ENTRIES.c.calendar_id == calendar,
            or_(ENTRIES.c.uid.in_(among(uids)), ENTRIES.c.id.in_(among(master.id for master in masters))),
        )
        .order_by(ENTRIES.c.recurrence_id, ENTRIES.c.id)
    )
    members: dict[tuple[str, object], list[SeriesMember]] = {}
    for row in rows:
        members.setdefault((row.component, row.uid or row.id), []).append(SeriesMember(row.id, row.text))
    groups = []
    for master in masters:
        timed = master.known.timed
        local = timed.marks & (Mark.ALL_DAY | Mark.FLOATING)
        clock = None if local else timed.zone or zones.clock(timed.tzid)
        own = members.get((master.component, master.uid or master.id), [])
        # Of two masters of one UID this one is meant.
        rest = [member for member in own if member.id != master.id]
        first = [member for member in own if member.id == master.id]
        groups.append(Group([*first, *rest], clock, zones))
    return groups


def masters_of(connection: Connection, entries: Iterable[VersionId]) -> list[tuple[CalendarId, Master]]:
    """Some entries in force, with the calendars they are in, in the order given."""
    wanted = list(entries)
    rows = connection.execute(select(*_COLUMNS).where(ENTRIES.c.id.in_(among(wanted)), _PLACED))
    masters = {VersionId(row.id): (CalendarId(row.calendar_id), _master(row)) for row in rows}
    return [masters[version] for version in wanted if version in masters]


def series_of(connection: Connection, entries: Iterable[VersionId]) -> dict[CalendarId, list[Master]]:
    """The series to which entries belong, by calendar: those that are ones, and those of changed occurrences."""
    wanted = list(entries)
    own = select(ENTRIES.c.calendar_id, ENTRIES.c.component, ENTRIES.c.uid).where(ENTRIES.c.id.in_(among(wanted)))
    there = own.subquery()
    same = and_(
        ENTRIES.c.calendar_id == there.c.calendar_id,
        ENTRIES.c.component == there.c.component,
        ENTRIES.c.uid == there.c.uid,
        ENTRIES.c.uid != "",
    )
    with_uid = select(ENTRIES.c.id).join(there, same).where(ENTRIES.c.recurrence_id == "")
    without = select(ENTRIES.c.id).where(ENTRIES.c.id.in_(among(wanted)), ENTRIES.c.uid == "")
    ids = dict.fromkeys([*connection.execute(with_uid).scalars(), *connection.execute(without).scalars()])
    masters: dict[CalendarId, list[Master]] = {}
    for calendar, master in masters_of(connection, sorted(VersionId(number) for number in ids)):
        masters.setdefault(calendar, []).append(master)
    return masters


def members_by_series(connection: Connection, masters: Sequence[VersionId]) -> dict[VersionId, list[VersionId]]:
    """Series with their changed occurrences, the series itself first."""
    series = ENTRIES.alias("series")
    same = and_(
        ENTRIES.c.calendar_id == series.c.calendar_id,
        ENTRIES.c.component == series.c.component,
        ENTRIES.c.uid == series.c.uid,
        ENTRIES.c.recurrence_id != "",
        series.c.uid != "",
    )
    members = {version: [version] for version in masters}
    rows = connection.execute(
        select(series.c.id, ENTRIES.c.id).join(ENTRIES, same).where(series.c.id.in_(among(masters)))
    )
    for master, override in rows:
        members[VersionId(master)].append(VersionId(override))
    return members


def codes_of(connection: Connection, versions: Sequence[VersionId]) -> dict[VersionId, dict[str, int]]:
    """What the checks have found in some versions: by version, how often each."""
    rows = connection.execute(
        select(FINDINGS.c.version_id, FINDINGS.c.code, func.count())
        .where(FINDINGS.c.version_id.in_(among(versions)))
        .group_by(FINDINGS.c.version_id, FINDINGS.c.code)
    )
    codes: dict[VersionId, dict[str, int]] = {}
    for version, code, count in rows:
        codes.setdefault(VersionId(version), {})[code] = count
    return codes


def untouched(connection: Connection, calendar: CalendarId, since: int) -> list[tuple[VersionId, int]]:
    """Series without end that began, and were changed last, before a moment in UTC seconds, and when that was."""
    endless = ENTRIES.c.marks.op("&")(Mark.ENDLESS) != 0
    rows = connection.execute(
        select(ENTRIES.c.id, ENTRIES.c.modified).where(
            ENTRIES.c.calendar_id == calendar,
            ENTRIES.c.listed,
            endless,
            ENTRIES.c.recurrence_id == "",
            ENTRIES.c.start < since,
            ENTRIES.c.modified > 0,
            ENTRIES.c.modified < since,
        )
    )
    return [(VersionId(row.id), int(row.modified)) for row in rows]
