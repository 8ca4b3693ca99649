"""How shares are used: counts by day, reader and form, apart from everything else, and gone after 90 days.

No more is kept about persons than that: no addresses they come from, no names of their programs, no single visits.
"""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import NamedTuple

from datebridge.clock import this_moment
from datebridge.store.private import open_private

#: How many days are counted.
KEPT_DAYS = 90
#: What became of a request: it was given out, it was still the same, it was refused.
GIVEN, SAME, REFUSED = 0, 1, 2
_TABLE = (
    "CREATE TABLE IF NOT EXISTS use (day TEXT, share INTEGER, reader INTEGER, form TEXT, fetched INTEGER,"
    " unchanged INTEGER, refused INTEGER, size INTEGER, last INTEGER, PRIMARY KEY (day, share, reader, form))"
)


class Day(NamedTuple):
    """What was asked for on a day (UTC), by one reader in one form.

    Attributes:
        share, reader: 0 for an unknown address.
        fetched, unchanged, refused: how often it was given out, was still the same, was refused.
        last: when last, in seconds since the epoch.
    """

    day: date
    share: int
    reader: int
    form: str
    fetched: int
    unchanged: int
    refused: int
    size: int
    last: int


class UseBook:
    """Counts in memory, and writes down now and then what was counted."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.Lock()
        self._counts: dict[tuple[str, int, int, str], list[int]] = {}
        if not path.is_file():
            with open_private(path):
                pass
        try:
            with self._open() as connection:
                connection.execute(_TABLE)
                if any(column[1] == "octets" for column in connection.execute("PRAGMA table_info(use)")):
                    connection.execute("ALTER TABLE use RENAME COLUMN octets TO size")
        except sqlite3.DatabaseError as error:  # counts are no reason to keep readers out
            if isinstance(error, sqlite3.OperationalError) and "unsupported" not in str(error):
                raise
            path.replace(path.with_name(f"{path.name}.damaged"))
            with self._open() as connection:
                connection.execute(_TABLE)

    @contextmanager
    def _open(self) -> Iterator[sqlite3.Connection]:
        with closing(sqlite3.connect(self.path, timeout=10, isolation_level=None)) as connection:
            connection.execute("PRAGMA journal_mode=WAL")
            yield connection

    def count(self, moment: float, share: int, reader: int, form: str, kind: int, size: int) -> None:
        """Count a request; `kind` is one of `GIVEN`, `SAME` and `REFUSED`."""
        day = datetime.fromtimestamp(moment, UTC).date().isoformat()
        with self._lock:
            counts = self._counts.setdefault((day, share, reader, form), [0, 0, 0, 0, 0])
            counts[kind] += 1
            counts[3] += size
            counts[4] = int(moment)

    def write_down(self, today: date | None = None) -> None:
        """Keep what was counted, and forget what is too old."""
        with self._lock:
            counted, self._counts = self._counts, {}
        if not counted and today is None:
            return
        oldest = (today or this_moment().date()) - timedelta(days=KEPT_DAYS)
        with self._open() as connection:
            connection.execute("BEGIN IMMEDIATE")
            connection.executemany(
                "INSERT INTO use VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET"
                " fetched = fetched + excluded.fetched, unchanged = unchanged + excluded.unchanged,"
                " refused = refused + excluded.refused, size = size + excluded.size, last = excluded.last",
                [(*key, *values) for key, values in counted.items()],
            )
            connection.execute("DELETE FROM use WHERE day <= ?", (oldest.isoformat(),))
            connection.execute("COMMIT")


def use_of(path: Path, today: date, share: int | None = None) -> list[Day]:
    """What was counted in the last 90 days, the oldest first, of one share or of all."""
    if not path.is_file():
        return []
    oldest = (today - timedelta(days=KEPT_DAYS)).isoformat()
    with closing(sqlite3.connect(path, timeout=10)) as connection:
        try:
            rows = connection.execute(
                "SELECT day, share, reader, form, fetched, unchanged, refused, size, last FROM use"
                " WHERE day > ? AND (? IS NULL OR share = ?) ORDER BY day",
                (oldest, share, share),
            ).fetchall()
        except sqlite3.OperationalError:  # nothing was ever counted
            return []
    return [Day(date.fromisoformat(day), *counts) for day, *counts in rows]


def today() -> date:
    """Today, as uses are counted."""
    return this_moment().date()
