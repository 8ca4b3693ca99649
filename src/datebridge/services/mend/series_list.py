"""All series, a page at a time, with how often each happens; one of them over a year; two laid against each other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from itertools import islice
from typing import Literal, NamedTuple

from datebridge.core.comparing.fields import differing
from datebridge.core.comparing.series import Difference, Point, compare, points
from datebridge.core.editing.groups import Group
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.moments import Clock, wall_seconds_of
from datebridge.core.occurrences.expanding import Timed, clock_of
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.recurrence.starts import DAY
from datebridge.core.series.health import SeriesFinding, series_findings
from datebridge.core.zones.across import changes
from datebridge.store.database import Connection, Store
from datebridge.store.entries.ledger import EntryRow
from datebridge.store.entries.occurrences import clocks_of
from datebridge.store.entries.present import texts_of
from datebridge.store.entries.series import Master, codes_of, groups_of, masters_of, members_by_series
from datebridge.store.entries.zones import zones_of

#: More times than this of one series are not counted one by one.
MOST_COUNTED = 3_000


@dataclass(frozen=True, slots=True)
class ListedSeries:
    """A series as a row.

    Attributes:
        so_far, to_come: how many times it has happened, and will; None where it never ends, or there are very many.
        left_out, extra, changed: how many dates are left out or extra, and how many occurrences are changed.
        codes: what is wrong with it, the check with how many findings.
    """

    row: EntryRow
    first: str
    last: str
    so_far: int | None
    to_come: int | None
    left_out: int
    extra: int
    changed: int
    codes: dict[str, int]


def listed(connection: Connection, rows: Sequence[EntryRow], today: date) -> list[ListedSeries]:
    """Series with what is to be known of them."""
    own = {master.id: (calendar, master) for calendar, master in masters_of(connection, [row.id for row in rows])}
    members = members_by_series(connection, [row.id for row in rows])
    codes = codes_of(connection, [version for some in members.values() for version in some])
    series = []
    for row in rows:
        if row.id not in own:
            continue
        timed = own[row.id][1].known.timed
        shape = pattern(timed.recurrence)
        first = min(timed.start_wall, shape.first_extra if shape.first_extra is not None else timed.start_wall)
        now = wall_seconds_of(today)
        so_far = sum(1 for _ in islice(shape.each(timed.start_wall, first, now), MOST_COUNTED + 1))
        to_come: int | None = None
        if not timed.marks & Mark.ENDLESS:
            to_come = sum(1 for _ in islice(shape.each(timed.start_wall, max(first, now), 1 << 40), MOST_COUNTED + 1))
        begins = next(shape.each(timed.start_wall, first, 1 << 40), None)
        ends = timed.until_wall
        wrong: Counter[str] = Counter()
        for member in members.get(row.id, [row.id]):
            wrong.update(codes.get(member, {}))
        series.append(
            ListedSeries(
                row,
                _day(begins),
                "" if ends is None else _day(ends - 1),
                so_far if so_far <= MOST_COUNTED else None,
                to_come if to_come is None or to_come <= MOST_COUNTED else None,
                len(shape.gone) + len(shape.gone_days) + len(shape.gone_instants),
                len(shape.extra),
                len(members.get(row.id, [row.id])) - 1,
                dict(wrong),
            )
        )
    return series


def _day(wall: int | None) -> str:
    return "" if wall is None else str(date.fromordinal(date(1970, 1, 1).toordinal() + wall // DAY))


# ---- over a year ------------------------------------------------------------------------------------------

Done = Literal["kept", "left out", "moved", "changed", "extra"]


class Tick(NamedTuple):
    """A day of the year on which a series does something, or would have; `words` say when."""

    day: int
    what: Done
    words: str


class Strip(NamedTuple):
    """A series over a year: days are counted from 0; `changes`: when its clock is changed, with how."""

    year: int
    ticks: list[Tick]
    changes: list[tuple[int, str]]


class Whole(NamedTuple):
    """A series as the core works on it."""

    calendar: CalendarId
    master: Master
    group: Group
    entries: list[Timed]
    clock: Clock | None


def whole(connection: Connection, entry: VersionId) -> Whole | None:
    """A series with its changed occurrences; None where it is not there any more."""
    own = masters_of(connection, [entry])
    if not own:
        return None
    calendar, master = own[0]
    zones = zones_of(connection, calendar)
    [group] = groups_of(connection, calendar, [master], zones)
    others = [one for _, one in masters_of(connection, [VersionId(m.id) for m in group.members if m.id != entry])]
    return Whole(calendar, master, group, [master.known.timed, *(other.known.timed for other in others)], group.clock)


def strip(connection: Connection, entry: VersionId, year: int) -> Strip | None:
    """What a series does over a year of its own clock."""
    series = whole(connection, entry)
    if series is None:
        return None
    timed, clock = series.master.known.timed, series.clock
    shape = pattern(timed.recurrence)
    low, high = wall_seconds_of(date(year, 1, 1)), wall_seconds_of(date(year + 1, 1, 1))
    changed: dict[int, tuple[Done, int | None]] = {}
    for member, slot in series.group.overrides:
        facts = derive("VEVENT", member.text, series.group.zones)
        same = facts.start_wall == slot and (facts.zone, facts.tzid) == (timed.zone, timed.tzid)
        changed[slot] = "changed" if same else "moved", facts.start_wall
    ticks = []
    for slot in islice(shape.each(timed.start_wall, low, high), MOST_COUNTED):
        plain: Done = "extra" if slot in shape.extra else "kept"
        what, to = changed.get(slot, (plain, None))
        text = _at(slot, timed)
        if to is not None and what == "moved":
            text += f" → {_at(to, timed)}"
        ticks.append(Tick((slot - low) // DAY, what, text))
    for slot in shape.left_out(low, high):
        ticks.append(Tick((slot - low) // DAY, "left out", _at(slot, timed)))
    ticks += [Tick((day - low) // DAY, "left out", _day(day)) for day in shape.gone_days if low <= day < high]
    zone = timed.zone
    told = []
    for change in changes(zone, year, year) if zone and zone != "UTC" and clock is not None else ():
        hours = int((change.after - change.before).total_seconds()) // 60
        told.append(((change.wall.date() - date(year, 1, 1)).days, f"{'+' if hours > 0 else '−'}{abs(hours)} min"))
    return Strip(year, sorted(ticks), told)


def _at(wall: int, timed: Timed) -> str:
    moment = datetime.fromtimestamp(wall, UTC)
    return f"{moment:%a %d %b}" if timed.marks & Mark.ALL_DAY else f"{moment:%a %d %b %H:%M}"


def wrong_with(connection: Connection, entry: VersionId) -> list[SeriesFinding]:
    """What is wrong with a series, looked at now."""
    series = whole(connection, entry)
    return series_findings(series.group) if series is not None else []


# ---- two against each other -------------------------------------------------------------------------------


class Against(NamedTuple):
    """Two series occurrence by occurrence; titles and zones of both."""

    titles: tuple[str, str]
    zones: tuple[str, str]
    same: int
    differences: list[Difference]
    clocks: tuple[Clock | None, Clock | None]


def against(store: Store, left: VersionId, right: VersionId, low: int, high: int) -> Against | None:
    """Two series laid against each other over [low, high) in UTC seconds; None where one is not there any more."""
    with store.read() as connection:
        one, other = whole(connection, left), whole(connection, right)
        if one is None or other is None:
            return None
        clocks = clocks_of(connection, (one.calendar, other.calendar))
        texts = texts_of(connection, [VersionId(entry.id) for side in (one, other) for entry in side.entries])
    sides: list[list[Point]] = []
    for side in (one, other):
        points_by_entry = points(side.entries, low, high, clocks)
        sides.append(sorted((point for some in points_by_entry.values() for point in some), key=lambda p: p.start))
    same, differences = compare(
        sides[0], sides[1], lambda a, b: differing(texts.get(VersionId(a), ""), texts.get(VersionId(b), ""))
    )
    (title, timed), (title_too, timed_too) = ((side.master.known.title, side.entries[0]) for side in (one, other))
    return Against(
        (title, title_too),
        (timed.tzid, timed_too.tzid),
        len(same),
        differences,
        (clock_of(timed, clocks), clock_of(timed_too, clocks)),
    )
