"""Days as they are looked at: which ones, and what happens on each, laid out on one clock.

>>> [day.isoformat() for day in days_of("work", date(2026, 11, 26), working=(0, 2))]
['2026-11-23', '2026-11-25']
>>> len(days_of("month", date(2026, 11, 26))), days_of("month", date(2026, 11, 26))[0].isoformat()
(42, '2026-10-26')
"""

from __future__ import annotations

from calendar import monthrange
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from heapq import heappop, heappush
from typing import Literal

from datebridge.core.index.facts import Mark
from datebridge.core.language.clocks import hours as clock_hours
from datebridge.core.language.clocks import own_clock
from datebridge.core.moments import instant_at, wall_at, wall_seconds_of
from datebridge.core.occurrences.expanding import Occurrence
from datebridge.core.occurrences.window import ShownEntry, Window, key_of, spans_days
from datebridge.core.recurrence.starts import DAY
from datebridge.core.zones.across import change_on

#: A day, the week around it from Monday on, the working days of that week, the whole weeks its month touches, its year.
View = Literal["day", "week", "work", "month", "year"]


def days_of(view: View, on: date, working: Iterable[int] = ()) -> list[date]:
    """The days of a view around a day. `working` are the working days, Monday as 0; of a week without any, all."""
    if view == "day":
        return [on]
    if view == "year":
        return _from(on.replace(month=1, day=1), on.replace(month=12, day=31))
    if view == "month":
        return _from(_monday(on.replace(day=1)), on.replace(day=monthrange(on.year, on.month)[1]), whole_weeks=True)
    week = _from(_monday(on), on, whole_weeks=True)
    wanted = set(working) if view == "work" else set()
    return [day for day in week if day.weekday() in wanted] or week


def _monday(day: date) -> date:
    return day - timedelta(days=day.weekday())


def _from(first: date, last: date, whole_weeks: bool = False) -> list[date]:
    """The days from the first to the last, or to the Sunday after it."""
    return run_of(first, (last - first).days + 1 + (6 - last.weekday() if whole_weeks else 0))


def run_of(first: date, count: int) -> list[date]:
    """So many days from the first on; to the last day there is at most."""
    return [first + timedelta(days=k) for k in range(min(count, (date.max - first).days + 1))]


def bounds_of(days: Sequence[date]) -> tuple[int, int]:
    """From the first midnight to the last, in wall seconds."""
    return wall_seconds_of(min(days)), wall_seconds_of(max(days)) + DAY


@dataclass(frozen=True, slots=True)
class Piece:
    """The part of an occurrence that lies on one day; minutes from its midnight, 1440 at most.

    Attributes:
        row: among whole days, the row in which it stays from day to day; -1 for what has hours.
        label: its hours on the clock asked; own: on its own clock, with the offset in force, where that differs.
    """

    key: str
    occurrence: Occurrence
    entry: ShownEntry
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


def lay_out(window: Window, wanted: Iterable[date], zone: str, most: int, clocks: Sequence[str] = ()) -> list[Day]:
    """The days asked, in order, with `most` pieces each; none at all where `most` is 0, only counts.

    Args:
        window: what happens from the first of them to the last, on the clock of `zone`.
    """
    ordered = sorted(set(wanted))
    low, high = bounds_of(ordered)
    days = {wall_seconds_of(day): Day(day) for day in ordered}
    rows = _rows(window, days) if most else {}
    for occurrence in window.occurrences:
        first = max(low, occurrence.shown_start // DAY * DAY)
        last = max(occurrence.shown_end - 1, occurrence.shown_start)
        for midnight in range(first, min(last, high - 1) + 1, DAY):
            day = days.get(midnight)
            if day is None:
                continue
            day.total += 1
            if len(day.pieces) < most or (rows and key_of(occurrence) in rows):
                day.pieces.append(_piece(occurrence, window.entries[occurrence.entry], midnight, rows, zone))
    for day in days.values():
        day.pieces.sort(key=lambda p: (p.row < 0, p.row, p.start, -p.end))
        del day.pieces[most:]
        _on_clocks(day, zone, clocks)
    return list(days.values())


def with_totals(first: date, totals: Iterable[int], zone: str, clocks: Sequence[str] = ()) -> list[Day]:
    """Days from the first on with their counts alone."""
    days = [Day(first + timedelta(days=k), total) for k, total in enumerate(totals)]
    for day in days:
        _on_clocks(day, zone, clocks)
    return days


def _on_clocks(day: Day, zone: str, clocks: Sequence[str]) -> None:
    """How the clocks change on a day, and how far others are ahead at its noon."""
    day.change = change_on(day.date, zone)
    noon = wall_seconds_of(day.date) + DAY // 2
    instant = instant_at(noon, zone)
    day.shifts = [(wall_at(instant, clock) - noon) // 60 for clock in clocks]


def _rows(window: Window, days_drawn: dict[int, Day]) -> dict[str, int]:
    """The row of everything that takes whole days or more than one, each in the first that is free."""
    free: list[int] = []
    taken: list[tuple[int, int]] = []
    rows: dict[str, int] = {}
    for occurrence in window.occurrences:
        if not spans_days(occurrence, window.entries[occurrence.entry]):
            continue
        begin = occurrence.shown_start // DAY * DAY
        while taken and taken[0][0] <= begin:
            heappush(free, heappop(taken)[1])
        row = heappop(free) if free else len(taken)
        heappush(taken, (-(-max(occurrence.shown_end, occurrence.shown_start + 1) // DAY) * DAY, row))
        rows[key_of(occurrence)] = row
    return rows


def _piece(occurrence: Occurrence, entry: ShownEntry, midnight: int, rows: dict[str, int], zone: str) -> Piece:
    key = key_of(occurrence)
    start, end = max(occurrence.shown_start, midnight), min(occurrence.shown_end, midnight + DAY)
    return Piece(
        key,
        occurrence,
        entry,
        (start - midnight) // 60,
        max(end - midnight, start - midnight) // 60,
        occurrence.shown_start >= midnight,
        occurrence.shown_end <= midnight + DAY,
        rows.get(key, -1),
        hours(occurrence, entry),
        own_hours(occurrence, entry, zone),
    )


def hours(occurrence: Occurrence, entry: ShownEntry) -> str:
    """``14:00–15:30``, with the days it goes on; "" for whole days."""
    return "" if entry.marks & Mark.ALL_DAY else clock_hours(occurrence.shown_start, occurrence.shown_end)


def own_hours(occurrence: Occurrence, entry: ShownEntry, zone: str) -> str:
    """The hours on the entry's own clock, where that is another one: ``09:00–10:00 Hobart +11:00``."""
    if entry.marks & Mark.ALL_DAY:
        return ""
    if entry.marks & Mark.FLOATING:
        return "floating: the same clock time in every zone"
    if not entry.zone:
        return f"goes by “{entry.tzid}”"
    return own_clock(occurrence.start, occurrence.end, entry.zone, occurrence.shown_start)
