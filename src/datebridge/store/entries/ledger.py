"""The table of everything: filters as SQL, pages in any order, facet counts, selections."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from functools import partial
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, Table, null, select

from datebridge.clock import this_day
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.index.facts import ANSWER_MARKS, Mark
from datebridge.core.language.filters import Selection, resolve_filter
from datebridge.core.moments import wall_seconds_of
from datebridge.store.database import Store
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
from datebridge.store.entries.spans import KnownSpans, SpanTerm, matching_sql
from datebridge.store.remembered import Remembered
from datebridge.store.sql import among, revision_now
from datebridge.store.tables import CALENDARS, ENTRIES

#: What can be counted by, as SQL.
FACETS = {
    "calendar": "calendar_id",
    "year": "coalesce(CAST(year AS TEXT), 'no date')",
    "kind": f"CASE component {KINDS} ELSE 'other' END",
    "zone": "CASE WHEN zone <> '' THEN zone WHEN tzid <> '' THEN tzid ELSE 'none' END",
    "category": "categories",
    "status": "CASE status WHEN '' THEN 'none' ELSE lower(status) END",
    "marks": "marks",
}
MARK_NAMES = {
    **{f"answer: {name}": bit for name, bit in ANSWER_MARKS.items()},
    "series": Mark.SERIES,
    "all day": Mark.ALL_DAY,
    "private": Mark.PRIVATE,
    "override": Mark.OVERRIDE,
    **HAS,
}


class EntryRow(NamedTuple):
    """An entry or a version as a row of the index; see `core.index.facts.Facts`."""

    id: VersionId
    calendar_id: CalendarId | None
    component: str
    uid: str
    recurrence_id: str
    summary: str
    location: str
    start: int | None
    start_wall: int | None
    end_wall: int | None
    until_wall: int | None
    tzid: str
    zone: str
    repeats: str
    marks: int
    status: str
    privacy: str
    busy: str
    categories: str
    attendees: int


class CalendarRow(NamedTuple):
    """A calendar in force, counted. `last`: None for none; `endless`: something in it has no end."""

    id: CalendarId
    name: str
    colour: int
    source: str
    taken_at: int
    entries: int
    problems: int
    first: int | None
    last: int | None
    endless: bool


class Ledger:
    """Reads the entries in force. Orderings are remembered until the next batch."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._orders: Remembered[Ids] = Remembered(len(SORTS))
        self._calendars: Remembered[list[CalendarRow]] = Remembered(1)
        self._matches: Remembered[Flags] = Remembered(32)
        self._everything: Remembered[Flags] = Remembered(1)
        self.spans = KnownSpans()
        self._groups: Remembered[_Groups] = Remembered(len(FACETS))
        self._changed: Remembered[list[Changed]] = Remembered(1)

    def order(self, connection: Connection, text: str, sort: str = "when", descending: bool = False) -> Ids:
        """The ids of all entries that match, in order.

        Raises:
            FilterError: where the filter does not parse.
        """
        revision = revision_now(connection)
        whole = self._orders.get((revision, sort), lambda: in_order(connection, sort))
        ids = whole[self._matching(connection, revision, text)[whole]] if text.strip() else whole
        return ids[::-1] if descending else ids

    def _matching(self, connection: Connection, revision: int, text: str) -> Flags:
        """All that matches."""
        today = this_day()

        def compute() -> Flags:
            condition = self._compiled(connection, text, today)
            asked = condition.clauses != [LISTED]
            within = self._within(connection, revision, condition.spans)
            if condition.words is None:
                if not asked:
                    return within if within is not None else self._listed(connection, revision)
                matching = _flags(connection, ids_of(connection, condition.sql, condition.values))
                return matching if within is None else matching & within
            flags = within if within is not None else self._listed(connection, revision)
            # The words first: what holds them is found much quicker than it is looked up entry by entry.
            holding = joined_ids(
                connection, "SELECT group_concat(rowid) FROM search WHERE search MATCH ?", (condition.words,)
            )
            flags = flags & _flags(connection, holding)
            if not asked:
                return flags
            if len(holding) >= FEW:
                return flags & _flags(connection, ids_of(connection, condition.sql, condition.values))
            ids, where = json.dumps(holding.tolist()), f"id IN ({LISTED_IDS}) AND {condition.sql}"
            return flags & _flags(connection, ids_of(connection, where, [ids, *condition.values]))

        return self._matches.get((revision, today, text), compute)

    def _within(self, connection: Connection, revision: int, terms: list[SpanTerm]) -> Flags | None:
        """What begins and is over as the terms say; None where nothing is said of it."""
        if not terms:
            return None
        if self.spans.has(connection):
            return self._listed(connection, revision) & self.spans.of(connection).matching(terms)
        return _flags(connection, joined_ids(connection, *matching_sql(terms)))  # all of them would take longer to read

    def _listed(self, connection: Connection, revision: int) -> Flags:
        """Everything there is."""
        return self._everything.get((revision,), lambda: _flags(connection, ids_of(connection, "listed = 1", [])))

    def warm(self) -> None:
        """Have ready what the next questions are likely to need, before somebody waits for it."""
        with self.store.read() as connection:
            revision = revision_now(connection)
            for sort in SORTS:
                self.order(connection, "", sort)
            self._listed(connection, revision)
            self.spans.of(connection)
            for by, expression in FACETS.items():
                self._groups.get((revision, by), partial(_grouped, connection, expression))
        self.calendars()

    def _compiled(self, connection: Connection, text: str, today: date) -> Condition:
        """A filter as SQL, with what of it has to be asked of the engine."""
        terms = resolve_filter(text, today)
        if not any(term.field in ("on", "before") for term in terms):
            return compile_filter(terms)
        revision = revision_now(connection)
        return compile_filter(terms, self._changed.get((revision,), lambda: changed_series(connection)))

    def page(
        self, text: str = "", sort: str = "when", descending: bool = False, offset: int = 0, limit: int = 100
    ) -> tuple[int, list[EntryRow]]:
        """How many match, and the rows [offset, offset + limit) of them."""
        with self.store.read() as connection:
            revision = revision_now(connection)
            if self._orders.has((revision, sort)):
                ids = self.order(connection, text, sort, descending)
                return len(ids), rows_of(connection, ids[offset : offset + limit].tolist())
            if not text.strip():
                total = self.count(connection)
                return total, rows_of(connection, window_of(connection, sort, descending, offset, limit))
            matches = self._matching(connection, revision, text)
            total = int(np.count_nonzero(matches))
            return total, rows_of(connection, first_of(connection, matches, total, sort, descending, offset, limit))

    def row_of_today(self, text: str = "") -> int:
        """How many of what matches begin before today (entries at no time come first)."""
        with self.store.read() as connection:
            revision = revision_now(connection)
            flags = self._matching(connection, revision, text) if text.strip() else self._listed(connection, revision)
            begun = ids_of(connection, "listed = 1 AND start < ?", [wall_seconds_of(this_day())])
            at_no_time = ids_of(connection, "listed = 1 AND start IS NULL", [])
            return int(np.count_nonzero(flags[begun]) + np.count_nonzero(flags[at_no_time]))

    def how_many(self, text: str) -> int:
        """How many entries match."""
        with self.store.read() as connection:
            return int(np.count_nonzero(self._matching(connection, revision_now(connection), text)))

    def count(self, connection: Connection) -> int:
        """How many entries there are."""
        return int(connection.exec_driver_sql("SELECT count(*) FROM entry WHERE listed = 1").scalar_one())

    def calendars(self) -> list[CalendarRow]:
        """Each calendar in force, by name."""
        with self.store.read() as connection:
            revision = revision_now(connection)
            return self._calendars.get(
                (revision,),
                lambda: [
                    CalendarRow._make((*row[:-1], bool(row[-1])))
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

    def ids(self, connection: Connection, selection: Selection) -> Iterator[VersionId]:
        """The selected entries, in order of start."""
        if selection.only is not None:
            listed = select(ENTRIES.c.id).where(ENTRIES.c.listed, ENTRIES.c.id.in_(among(set(selection.only))))
            return iter(sorted(connection.execute(listed).scalars()))
        excluded = set(selection.excluded)
        return (VersionId(i) for i in self.order(connection, selection.filter).tolist() if i not in excluded)

    def only_readable(self, connection: Connection, selection: Selection) -> int:
        """How many of the selected entries are in calendars that can only be read."""
        closed = select(CALENDARS.c.id).where(~CALENDARS.c.writable)
        query = select(ENTRIES.c.id).where(ENTRIES.c.listed, ENTRIES.c.calendar_id.in_(closed))
        readable = set(connection.execute(query).scalars())
        return sum(1 for i in self.ids(connection, selection) if i in readable) if readable else 0

    def facets(self, by: str, text: str = "") -> list[tuple[str, int]]:
        """Counts of what matches by one of FACETS, most frequent first; years newest first; calendars by number."""
        with self.store.read() as connection:
            revision = revision_now(connection)
            groups = self._groups.get((revision, by), lambda: _grouped(connection, FACETS[by]))
            groups_counted = groups.count(self._matching(connection, revision, text) if text.strip() else None)
            counts: Counter[str] = Counter()
            if by == "marks":
                for marks, n in groups_counted:
                    counts.update({name: n for name, bit in MARK_NAMES.items() if int(marks) & bit})
            elif by == "category":
                for joined, n in groups_counted:
                    counts.update(dict.fromkeys(str(joined).split("\x1f") if joined else (), n))
            else:
                counts.update({str(value): n for value, n in groups_counted})
        if by == "year":
            return sorted(counts.items(), reverse=True)
        return counts.most_common(60)


@dataclass(frozen=True, slots=True)
class _Groups:
    """Everything by one thing: its values; and for each id the place of its own from 1 on, 0 for what is not listed."""

    values: list[object]
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


def _size(connection: Connection) -> int:
    """One more than the largest id of an entry in force: the same for as long as the revision is."""
    return int(connection.exec_driver_sql("SELECT coalesce(max(id), 0) + 1 FROM entry").scalar_one())


def _flags(connection: Connection, ids: Ids) -> Flags:
    flags = np.zeros(_size(connection), np.bool_)
    flags[ids[ids < len(flags)]] = True  # words are also found in what is not in force
    return flags


def rows_of(connection: Connection, ids: Iterable[int], table: Table = ENTRIES) -> list[EntryRow]:
    """Index rows of the given ids, in the given order. Ids that are gone are passed over."""
    wanted = list(ids)
    calendar = table.c.calendar_id if table is ENTRIES else null()
    columns = [calendar if name == "calendar_id" else table.c[name] for name in EntryRow._fields]
    rows = connection.execute(select(*columns).where(table.c.id.in_(among(wanted))))
    by_id = {row.id: EntryRow(*row) for row in rows}
    return [by_id[i] for i in wanted if i in by_id]
