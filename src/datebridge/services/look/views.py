"""Days as they are looked at: what happens on each, laid out by day on one clock."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from heapq import heappop, heappush

from datebridge.core.happening.occurrences import Occurrence
from datebridge.core.index.facts import Mark
from datebridge.core.moments import from_wall_seconds, instant_at, wall_at, wall_seconds_of
from datebridge.core.recurrence.starts import DAY
from datebridge.core.zones.across import change_on
from datebridge.store.entries.density import Density
from datebridge.store.entries.occurrences import Happenings, Shown, Window


@dataclass(frozen=True, slots=True)
class Piece:
    """The part of an occurrence that lies on one day; minutes from its midnight, 1440 at most.

    Attributes:
        row: among whole days, the row in which it stays from day to day; -1 for what has hours.
        label: its hours on the clock asked; own: on its own clock, with the offset in force, where that differs.
    """

    key: str
    occurrence: Occurrence
    entry: Shown
    start: int
    end: int
    begins: bool
    ends: bool
    row: int
    label: str
    own: str


@dataclass(slots=True)
class Day:
    """A day with its pieces, whole days first; `total` counts also those left out for being too many.

    `shifts` says by how many minutes other clocks are ahead at noon, `change` how the clocks change.
    """

    date: date
    total: int = 0
    pieces: list[Piece] = field(default_factory=list)
    change: str = ""
    shifts: list[int] = field(default_factory=list)


def key_of(one: Occurrence) -> str:
    """What an occurrence goes by on a page: its entry's rules, and its slot."""
    return f"{one.series or one.entry}.{one.slot}"


def days(
    happenings: Happenings, wanted: Sequence[date], zone: str, calendars: Iterable[int],
    most: int, clocks: Sequence[str] = (),
) -> list[Day]:  # fmt: skip
    """The days asked, in order, with `most` pieces each; none at all where `most` is 0, only counts."""
    ordered = sorted(set(wanted))
    if not ordered:
        return []
    low, high = wall_seconds_of(ordered[0]), wall_seconds_of(ordered[-1]) + DAY
    window = happenings.window(low, high, zone, calendars)
    found = {wall_seconds_of(day): Day(day) for day in ordered}
    rows = _rows(window, found) if most else {}
    for one in window.occurrences:
        first = max(low, one.shown_start // DAY * DAY)
        last = max(one.shown_end - 1, one.shown_start)
        for midnight in range(first, min(last, high - 1) + 1, DAY):
            day = found.get(midnight)
            if day is None:
                continue
            day.total += 1
            if len(day.pieces) < most or (rows and key_of(one) in rows):
                day.pieces.append(_piece(one, window.entries[one.entry], midnight, rows, zone))
    for day in found.values():
        day.pieces.sort(key=lambda p: (p.row < 0, p.row, p.start, -p.end))
        del day.pieces[most:]
        _on_clocks(day, zone, clocks)
    return list(found.values())


def counted(
    density: Density, first: date, count: int, zone: str, calendars: Iterable[int], clocks: Sequence[str]
) -> tuple[list[Day], tuple[str, ...]]:
    """So many days from the first on with their counts alone, and the titles of series that are not counted whole."""
    totals, cut_short = density.days(first, count, zone, calendars)
    found = [Day(first + timedelta(days=k), total) for k, total in enumerate(totals)]
    for day in found:
        _on_clocks(day, zone, clocks)
    return found, cut_short


def _on_clocks(day: Day, zone: str, clocks: Sequence[str]) -> None:
    """How the clocks change on a day, and how far others are ahead at its noon."""
    day.change = change_on(day.date, zone)
    noon = wall_seconds_of(day.date) + DAY // 2
    instant = instant_at(noon, zone)
    day.shifts = [(wall_at(instant, clock) - noon) // 60 for clock in clocks]


def cut(happenings: Happenings, wanted: Sequence[date], zone: str, calendars: Iterable[int]) -> tuple[str, ...]:
    """The titles of series of which, for their number, not every time is among the days asked."""
    if not wanted:
        return ()
    low, high = wall_seconds_of(min(wanted)), wall_seconds_of(max(wanted)) + DAY
    return happenings.window(low, high, zone, calendars).cut


def _rows(window: Window, found: dict[int, Day]) -> dict[str, int]:
    """The row of everything that takes whole days or more than one, each in the first that is free."""
    free: list[int] = []
    taken: list[tuple[int, int]] = []
    rows: dict[str, int] = {}
    for one in window.occurrences:
        if not spans_days(one, window.entries[one.entry]):
            continue
        begin = one.shown_start // DAY * DAY
        while taken and taken[0][0] <= begin:
            heappush(free, heappop(taken)[1])
        row = heappop(free) if free else len(taken)
        heappush(taken, (-(-max(one.shown_end, one.shown_start + 1) // DAY) * DAY, row))
        rows[key_of(one)] = row
    return rows


def spans_days(one: Occurrence, entry: Shown) -> bool:
    """Whether it is drawn among the whole days: those, and what takes a day or longer."""
    return bool(entry.marks & Mark.ALL_DAY) or one.shown_end - one.shown_start >= DAY


def _piece(one: Occurrence, entry: Shown, midnight: int, rows: dict[str, int], zone: str) -> Piece:
    key = key_of(one)
    start, end = max(one.shown_start, midnight), min(one.shown_end, midnight + DAY)
    return Piece(
        key, one, entry, (start - midnight) // 60, max(end - midnight, start - midnight) // 60,
        one.shown_start >= midnight, one.shown_end <= midnight + DAY, rows.get(key, -1),
        hours(one, entry), own_hours(one, entry, zone),
    )  # fmt: skip


def hours(one: Occurrence, entry: Shown) -> str:
    """``14:00–15:30``, with the days it goes on; "" for whole days."""
    return "" if entry.marks & Mark.ALL_DAY else _hours(one.shown_start, one.shown_end)


def _hours(start: int, end: int) -> str:
    begin, close = from_wall_seconds(start), from_wall_seconds(end)
    if start == end:
        return f"{begin:%H:%M}"
    later = end // DAY - start // DAY
    if later and end % DAY == 0:
        return f"{begin:%H:%M}–24:00" + (f" +{later - 1} d" if later > 1 else "")
    return f"{begin:%H:%M}–{close:%H:%M}" + (f" +{later} d" if later else "")


def own_hours(one: Occurrence, entry: Shown, zone: str) -> str:
    """The hours on the entry's own clock, where that is another one: ``09:00–10:00 Hobart +11:00``."""
    if entry.marks & Mark.ALL_DAY:
        return ""
    if entry.marks & Mark.FLOATING:
        return "floating: the same hour on every clock"
    if not entry.zone:
        return f"goes by “{entry.tzid}”"
    start, end = wall_at(one.start, entry.zone), wall_at(one.end, entry.zone)
    if start == one.shown_start:
        return ""
    offset = (start - one.start) // 60
    sign = "-" if offset < 0 else "+"
    day = {1: "next day ", -1: "day before "}.get(start // DAY - one.shown_start // DAY, "")
    place = entry.zone.rsplit("/", 1)[-1].replace("_", " ")
    return f"{day}{_hours(start, end)} {place} {sign}{abs(offset) // 60:02d}:{abs(offset) % 60:02d}"


def month_days(first: date) -> list[date]:
    """The days of the whole weeks that a month touches, from Monday on."""
    begin = first.replace(day=1)
    begin -= timedelta(days=begin.weekday())
    following = (first.replace(day=28) + timedelta(days=4)).replace(day=1)
    weeks = -(-(following - begin).days // 7)
    return [begin + timedelta(days=k) for k in range(weeks * 7)]
