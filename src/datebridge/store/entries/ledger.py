"""The table of everything: filters as SQL, pages in any order, facet counts, selections."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection

from datebridge.core.index.facts import Mark
from datebridge.core.moments import wall_seconds_of
from datebridge.core.words.filters import parse_filter
from datebridge.store.database import Store, this_day
from datebridge.store.entries.conditions import HAS, KINDS, LISTED, Condition, compile_filter
from datebridge.store.entries.occurrences import Changed, changed_series
from datebridge.store.entries.orders import (
    FEW,
    LISTED_IDS,
    SORTS,
    Flags,
    Ids,
    first_of,
    ids_of,
    in_order,
    joined_ids,
    window_of,
)
from datebridge.store.entries.spans import KnownSpans
from datebridge.store.entries.versions import bound, chunks
from datebridge.store.remembered import Remembered

#: What can be counted by, as SQL.
FACETS = {
    "calendar": "calendar_id", "year": "coalesce(CAST(year AS TEXT), 'no date')",
    "kind": f"CASE component {KINDS} ELSE 'other' END",
    "zone": "CASE WHEN zone <> '' THEN zone WHEN tzid <> '' THEN tzid ELSE 'none' END",
    "category": "categories", "status": "CASE status WHEN '' THEN 'none' ELSE lower(status) END", "marks": "marks",
}  # fmt: skip
MARK_NAMES = {
    "series": Mark.SERIES, "all day": Mark.ALL_DAY, "private": Mark.PRIVATE, "override": Mark.OVERRIDE, **HAS,
}  # fmt: skip
_ROW = (
    "id", "calendar_id", "component", "uid", "recurrence_id", "summary", "location", "start", "start_wall",
    "end_wall", "until_wall", "tzid", "zone", "repeats", "marks", "status", "privacy", "busy", "categories",
    "attendees",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Selection:
    """What is selected: all that match a filter, less exceptions; or the listed entries only."""

    filter: str = ""
    excluded: tuple[int, ...] = ()
    only: tuple[int, ...] | None = None


class Ledger:
    """Reads the entries in force. Orderings are remembered until the next batch."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._orders: Remembered[Ids] = Remembered(len(SORTS))
        self._calendars: Remembered[list[tuple[Any, ...]]] = Remembered(1)
        self._matches: Remembered[Flags] = Remembered(16)
        self._everything: Remembered[Flags] = Remembered(1)
        self.spans = KnownSpans()
        self._groups: Remembered[_Groups] = Remembered(len(FACETS))
        self._changed: Remembered[list[Changed]] = Remembered(1)

    def order(self, connection: Connection, text: str, sort: str = "when", descending: bool = False) -> Ids:
        """The ids of all entries that match, in order.

        Raises:
            FilterError: where the filter does not parse.
        """
        revision = _revision(connection)
        whole = self._orders.get((revision, sort), lambda: in_order(connection, sort))
        ids = whole[self._matching(connection, revision, text)[whole]] if text.strip() else whole
        return ids[::-1] if descending else ids

    def _matching(self, connection: Connection, revision: int, text: str) -> Flags:
        """All that matches."""
        today = this_day()

        def found() -> Flags:
            condition = self._compiled(connection, text, today)
            flags = self._listed(connection, revision)
            if condition.spans:
                flags = flags & self.spans.of(connection).matching(condition.spans)
            if condition.words is None:
                if condition.clauses == [LISTED]:
                    return flags
                return flags & _flags(connection, ids_of(connection, condition.sql, condition.values))
            # The words first: what holds them is found much quicker than it is looked up entry by entry.
            holding = joined_ids(
                connection, "SELECT group_concat(rowid) FROM search WHERE search MATCH ?", (condition.words,)
            )
            flags = flags & _flags(connection, holding)
            if condition.clauses == [LISTED]:
                return flags
            if len(holding) >= FEW:
                return flags & _flags(connection, ids_of(connection, condition.sql, condition.values))
            ids, where = json.dumps(holding.tolist()), f"id IN ({LISTED_IDS}) AND {condition.sql}"
            return flags & _flags(connection, ids_of(connection, where, [ids, *condition.values]))

        return self._matches.get((revision, today, text), found)

    def _listed(self, connection: Connection, revision: int) -> Flags:
        """Everything there is."""
        return self._everything.get((revision,), lambda: _flags(connection, ids_of(connection, "listed = 1", [])))

    def warm(self) -> None:
        """Have at hand what the next questions are likely to need, before somebody waits for it."""
        with self.store.read() as connection:
            revision = _revision(connection)
            for sort in SORTS:
                self.order(connection, "", sort)
            self._listed(connection, revision)
            self.spans.of(connection)
            for by, expression in FACETS.items():
                self._groups.get((revision, by), partial(_grouped, connection, expression))
        self.calendars()

    def _compiled(self, connection: Connection, text: str, today: date) -> Condition:
        """A filter as SQL, with what of it has to be asked of the engine."""
        terms = parse_filter(text)
        if not any(term.field in ("on", "before") for term in terms):
            return compile_filter(text, today)
        revision = _revision(connection)
        return compile_filter(text, today, self._changed.get((revision,), lambda: changed_series(connection)))

    def page(
        self, text: str = "", sort: str = "when", descending: bool = False, offset: int = 0, limit: int = 100
    ) -> tuple[int, list[dict[str, Any]]]:
        """How many match, and the rows [offset, offset + limit) of them."""
        with self.store.read() as connection:
            revision = _revision(connection)
            if self._orders.has((revision, sort)):
                ids = self.order(connection, text, sort, descending)
                return len(ids), rows_of(connection, ids[offset : offset + limit].tolist())
            if not text.strip():
                total = int(connection.exec_driver_sql("SELECT count(*) FROM entry WHERE listed = 1").scalar_one())
                return total, rows_of(connection, window_of(connection, sort, descending, offset, limit))
            matches = self._matching(connection, revision, text)
            total = int(np.count_nonzero(matches))
            return total, rows_of(connection, first_of(connection, matches, total, sort, descending, offset, limit))

    def row_of_today(self, text: str = "") -> int:
        """How many of what matches begin before today (entries at no time come first)."""
        with self.store.read() as connection:
            revision = _revision(connection)
            flags = self._matching(connection, revision, text) if text.strip() else self._listed(connection, revision)
            begun = ids_of(connection, "listed = 1 AND start < ?", [wall_seconds_of(this_day())])
            at_no_time = ids_of(connection, "listed = 1 AND start IS NULL", [])
            return int(np.count_nonzero(flags[begun]) + np.count_nonzero(flags[at_no_time]))

    def calendars(self) -> list[tuple[Any, ...]]:
        """Each calendar: id, name, colour, source, taken_at, entries, with problems, first, last, any without end."""
        with self.store.read() as connection:
            revision = _revision(connection)
            return self._calendars.get(
                (revision,),
                lambda: [
                    tuple(row)
                    for row in connection.exec_driver_sql(
                        "SELECT k.id, k.name, k.colour, k.source, k.taken_at, coalesce(e.entries, 0),"
                        " coalesce(e.problems, 0), e.first, e.last, coalesce(e.endless, 0) FROM calendar k LEFT JOIN"
                        " (SELECT calendar_id, count(*) entries, min(start_wall) first,"
                        f" sum((marks & {Mark.PROBLEM}) <> 0) problems, max(marks & {Mark.ENDLESS}) endless,"
                        " max(coalesce(until_wall, end_wall)) last"
                        " FROM entry WHERE +listed = 1 GROUP BY +calendar_id) e ON e.calendar_id = k.id"
                        " WHERE k.live ORDER BY k.name COLLATE NOCASE"
                    )
                ],
            )

    def ids(self, connection: Connection, selection: Selection) -> Iterator[int]:
        """The selected entries, in order of start."""
        if selection.only is not None:
            wanted = set(selection.only)
            return iter(sorted(i for c in chunks(wanted) for i in _existing(connection, c)))
        excluded = set(selection.excluded)
        return (i for i in self.order(connection, selection.filter).tolist() if i not in excluded)

    def only_readable(self, connection: Connection, selection: Selection) -> int:
        """How many of the selected entries are in calendars that can only be read."""
        rows = connection.exec_driver_sql(
            "SELECT e.id FROM entry e JOIN calendar k ON k.id = e.calendar_id WHERE NOT k.writable AND e.listed"
        )
        readable = {row[0] for row in rows}
        return sum(1 for i in self.ids(connection, selection) if i in readable) if readable else 0

    def facets(self, by: str, text: str = "") -> list[tuple[str, int]]:
        """Counts of what matches by one of FACETS, most frequent first; years newest first."""
        with self.store.read() as connection:
            revision = _revision(connection)
            groups = self._groups.get((revision, by), lambda: _grouped(connection, FACETS[by]))
            found = groups.count(self._matching(connection, revision, text) if text.strip() else None)
            counts: Counter[str] = Counter()
            if by == "marks":
                for marks, n in found:
                    counts.update({name: n for name, bit in MARK_NAMES.items() if int(marks) & bit})
            elif by == "category":
                for joined, n in found:
                    counts.update(dict.fromkeys(str(joined).split("\x1f") if joined else (), n))
            elif by == "calendar":
                names = {row[0]: row[1] for row in connection.exec_driver_sql("SELECT id, name FROM calendar")}
                for calendar, n in found:
                    counts[names.get(calendar, "")] += n
            else:
                counts.update({str(value): n for value, n in found})
        if by == "year":
            return sorted(counts.items(), reverse=True)
        return counts.most_common(60)


@dataclass(frozen=True, slots=True)
class _Groups:
    """Everything by one thing: its values; and for each id the place of its own from 1 on, 0 for what is not listed."""

    values: list[Any]
    places: NDArray[np.int32]

    def count(self, only: Flags | None) -> list[tuple[Any, int]]:
        """How often each value there is comes, among all or some."""
        places = self.places if only is None else self.places[only]
        counts = np.bincount(places, minlength=len(self.values) + 1)[1:].tolist()
        return [(value, n) for value, n in zip(self.values, counts, strict=True) if n]


def _grouped(connection: Connection, expression: str) -> _Groups:
    places = np.zeros(_size(connection), np.int32)
    values = []
    for value, ids in connection.exec_driver_sql(
        f"SELECT {expression}, group_concat(id) FROM entry WHERE +listed = 1 GROUP BY 1"
    ):
        values.append(value)
        places[np.fromstring(str(ids), np.int64, sep=",")] = len(values)
    return _Groups(values, places)


def _revision(connection: Connection) -> int:
    return int(connection.exec_driver_sql("SELECT revision FROM meta").scalar_one())


def _size(connection: Connection) -> int:
    """One more than the largest id of an entry in force: the same for as long as the revision is."""
    return int(connection.exec_driver_sql("SELECT coalesce(max(id), 0) + 1 FROM entry").scalar_one())


def _flags(connection: Connection, ids: Ids) -> Flags:
    flags = np.zeros(_size(connection), np.bool_)
    flags[ids[ids < len(flags)]] = True  # words are also found in what is not in force
    return flags


def rows_of(connection: Connection, ids: Any, table: str = "entry") -> list[dict[str, Any]]:
    """Index rows of the given ids, in the given order. Ids that are gone are passed over."""
    columns = _ROW if table == "entry" else tuple(c for c in _ROW if c != "calendar_id")
    found: dict[int, dict[str, Any]] = {}
    for chunk in chunks(ids):
        for row in connection.exec_driver_sql(
            f"SELECT {', '.join(columns)} FROM {table} WHERE id IN ({bound(len(chunk))})", tuple(chunk)
        ).mappings():
            found[row["id"]] = dict(row)
    return [found[i] for i in ids if i in found]


def _existing(connection: Connection, ids: Any) -> list[int]:
    return [
        row[0]
        for row in connection.exec_driver_sql(
            f"SELECT id FROM entry WHERE listed = 1 AND id IN ({bound(len(ids))})", tuple(ids)
        )
    ]
