"""How much happens on each day, kept by calendar, year and clock; rebuilt when a batch has changed the calendar.

A day's count is made of whole days of the clock asked, like everything in the views (see `services.looking`).
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy import Connection

from datebridge.core.ids import CalendarId
from datebridge.core.job_kinds import JobKind
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.starts import DAY
from datebridge.store.database import Busy, Store
from datebridge.store.entries.occurrences import may_be_then, read_window
from datebridge.store.jobs import queue_once
from datebridge.store.remembered import Remembered

#: How many years of a calendar are rebuilt after a batch: a calendar that changes often must not keep the worker busy.
_KEPT_ANEW = 4


@dataclass(frozen=True, slots=True)
class Year:
    """The counts of the days of a year, from 1 January on, and the titles of series that happen too often to count."""

    counts: tuple[int, ...]
    cut: tuple[str, ...]


class Density:
    """Counts by day, remembered here and kept in the store."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._years: Remembered[Year] = Remembered(2_000)

    def days(self, first: date, count: int, zone: str, calendars: Iterable[int]) -> tuple[list[int], tuple[str, ...]]:
        """How much happens on each of `count` days from the first on, in these calendars; and what is cut short."""
        wanted = tuple(dict.fromkeys(calendars))
        with self.store.read() as connection:
            revisions = dict(
                tuple(row) for row in connection.exec_driver_sql("SELECT id, revision FROM calendar WHERE live")
            )
        totals = [0] * count
        cut: set[str] = set()
        last = first + timedelta(days=count - 1)
        for year in range(first.year, last.year + 1):
            begin = date(year, 1, 1)
            shift = (begin - first).days
            for calendar in wanted:
                if calendar not in revisions:
                    continue
                numbers = self._years.get(
                    (calendar, revisions[calendar], year, zone),
                    lambda key=(calendar, revisions[calendar], year, zone): kept_year(self.store, *key),  # type: ignore[misc]
                )
                cut.update(numbers.cut)
                for k in range(max(0, -shift), min(len(numbers.counts), count - shift)):
                    totals[shift + k] += numbers.counts[k]
        return totals, tuple(sorted(cut))


def kept_year(store: Store, calendar: int, revision: int, year: int, zone: str) -> Year:
    """The counts of a calendar's year at a revision: as they are kept; or made now, and kept if nobody is writing."""
    with store.read() as connection:
        kept = connection.exec_driver_sql(
            "SELECT counts, cut FROM density WHERE calendar_id = ? AND year = ? AND zone = ? AND revision = ?",
            (calendar, year, zone, revision),
        ).one_or_none()
        if kept is not None:
            return Year(tuple(json.loads(kept.counts)), tuple(json.loads(kept.cut)))
        made = _made(connection, calendar, year, zone)
    with suppress(Busy), store.write(wait=False) as connection:
        connection.exec_driver_sql(
            "INSERT OR REPLACE INTO density (calendar_id, year, zone, revision, counts, cut) VALUES (?, ?, ?, ?, ?, ?)",
            (calendar, year, zone, revision, json.dumps(made.counts), json.dumps(made.cut)),
        )
    return made


def _made(connection: Connection, calendar: int, year: int, zone: str) -> Year:
    low = wall_seconds_of(date(year, 1, 1))
    days = (date(year, 12, 31) - date(year, 1, 1)).days + 1
    among = may_be_then(connection, low, low + days * DAY, calendar)
    window = read_window(connection, low, low + days * DAY, zone, (calendar,), among, ordered=False)
    counts = [0] * days
    for occurrence in window.occurrences:
        begin = max(0, (occurrence.shown_start - low) // DAY)
        end = (max(occurrence.shown_end - 1, occurrence.shown_start) - low) // DAY
        for day in range(begin, min(end, days - 1) + 1):
            counts[day] += 1
    return Year(tuple(counts), window.cut)


def refresh_kept(store: Store, calendar: int) -> int:
    """Recompute what was looked at last of a calendar that has changed, and drop the rest; says how many years."""
    with store.read() as connection:
        revision = connection.exec_driver_sql("SELECT revision FROM calendar WHERE id = ?", (calendar,)).scalar()
        old = connection.exec_driver_sql(
            "SELECT year, zone FROM density WHERE calendar_id = ? AND revision <> ? ORDER BY rowid DESC",
            (calendar, revision),
        ).fetchall()
    for year, zone in old[:_KEPT_ANEW]:
        kept_year(store, calendar, int(revision or 0), year, zone)
    with store.write() as connection:
        connection.exec_driver_sql("DELETE FROM density WHERE calendar_id = ? AND revision <> ?", (calendar, revision))
    return min(len(old), _KEPT_ANEW)


def stale(connection: Connection) -> list[CalendarId]:
    """Calendars that have changed since what is kept of them was made."""
    rows = connection.exec_driver_sql(
        "SELECT DISTINCT d.calendar_id FROM density d JOIN calendar k ON k.id = d.calendar_id"
        " WHERE d.revision <> k.revision AND k.live"
    )
    return [CalendarId(calendar) for (calendar,) in rows]


def queue_refreshing(connection: Connection) -> None:
    """Queue recomputing what is kept of calendars that have changed since, unless that is queued already."""
    for calendar in stale(connection):
        queue_once(connection, JobKind.COUNT, "Counting by day", calendar)
