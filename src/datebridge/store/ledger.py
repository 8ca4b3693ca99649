"""The table of everything: filters as SQL, pages in any order, facet counts, selections."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection

from datebridge.core.facts import Mark
from datebridge.core.filters import FilterError, Term, day_range, parse_filter
from datebridge.core.moments import wall_seconds_of
from datebridge.store.database import Store, this_day
from datebridge.store.occurrences import Changed, changed_series
from datebridge.store.remembered import Remembered
from datebridge.store.spans import KnownSpans, SpanTerm, span_term
from datebridge.store.versions import bound, chunks

SORTS = {
    "when": "start", "what": "summary_key", "where": "location_key",
    "calendar": "",  # by name, then by start: see _in_order
    "repeats": "repeats", "zone": "zone, tzid", "marks": "marks", "status": "status",
}  # fmt: skip
_HAS = {
    "alarm": Mark.ALARM, "attendees": Mark.ATTENDEES, "attachment": Mark.ATTACHMENT,
    "problem": Mark.PROBLEM, "unknown": Mark.UNKNOWN,
}  # fmt: skip
_YES_NO = {"repeats": Mark.SERIES, "private": Mark.PRIVATE, "allday": Mark.ALL_DAY, "override": Mark.OVERRIDE}
_KIND = {"event": "VEVENT", "todo": "VTODO", "journal": "VJOURNAL", "freebusy": "VFREEBUSY"}
_KINDS = " ".join(f"WHEN '{component}' THEN '{kind}'" for kind, component in _KIND.items())
#: What can be counted by, as SQL.
FACETS = {
    "calendar": "calendar_id", "year": "coalesce(CAST(year AS TEXT), 'no date')",
    "kind": f"CASE component {_KINDS} ELSE 'other' END",
    "zone": "CASE WHEN zone <> '' THEN zone WHEN tzid <> '' THEN tzid ELSE 'none' END",
    "category": "categories", "status": "CASE status WHEN '' THEN 'none' ELSE lower(status) END", "marks": "marks",
}  # fmt: skip
MARK_NAMES = {
    "series": Mark.SERIES, "all day": Mark.ALL_DAY, "private": Mark.PRIVATE, "override": Mark.OVERRIDE, **_HAS,
}  # fmt: skip
_ROW = (
    "id", "calendar_id", "component", "uid", "recurrence_id", "summary", "location", "start", "start_wall",
    "end_wall", "until_wall", "tzid", "zone", "repeats", "marks", "status", "privacy", "busy", "categories",
    "attendees",
)  # fmt: skip
#: Fewer than this are put in order by themselves; of more, the whole order is gone through.
_FEW = 3_000
#: The plus keeps SQLite from walking an index of listed entries where a scan of the table is quicker.
_LISTED = "+listed = 1"
_LISTED_IDS = "SELECT value FROM json_each(?)"
_SEARCH = "id IN (SELECT rowid FROM search WHERE search MATCH ?)"
#: Ids in an order; and for every id there is, whether it is meant.
Ids = NDArray[np.int64]
Flags = NDArray[np.bool_]
#: Fields that are looked for in the words, with the column of the full-text index.
_TEXT = {"text": "", "what": "summary : ", "where": "location : "}


@dataclass(frozen=True, slots=True)
class Selection:
    """What is selected: all that match a filter, less exceptions; or the listed entries only."""

    filter: str = ""
    excluded: tuple[int, ...] = ()
    only: tuple[int, ...] | None = None


@dataclass(slots=True)
class Condition:
    """A WHERE clause over `entry` with its bound values.

    `words` is a full-text query that holds as well, `spans` what is asked of when an entry begins and is over.
    """

    clauses: list[str] = field(default_factory=lambda: [_LISTED])
    values: list[Any] = field(default_factory=list)
    words: str | None = None
    spans: list[SpanTerm] = field(default_factory=list)

    @property
    def sql(self) -> str:
        return " AND ".join(self.clauses) if len(self.clauses) > 1 else "listed = 1"


def compile_filter(text: str, today: date, changed: Sequence[Changed] = ()) -> Condition:
    """A filter line as SQL.

    Args:
        changed: the series that have changed occurrences, of which the index alone does not tell when they happen.

    Raises:
        FilterError: where it does not parse.
    """
    condition = Condition()
    terms = parse_filter(text)
    words = [term for term in terms if term.field in _TEXT]
    if any(not term.negated for term in words):
        match = " AND ".join(_match(term) for term in words if not term.negated)
        for term in words:
            match = f"({match}) NOT {_match(term)}" if term.negated else match
        condition.words = match
        terms = [term for term in terms if term.field not in _TEXT]
    condition.spans = [span_term(term, today, changed) for term in terms if term.field in ("before", "after")]
    terms = [term for term in terms if term.field not in ("before", "after")]
    for term in sorted(terms, key=lambda t: t.field == "on"):  # the costly one last
        parts = []
        for value in term.values:
            clause, values = _clause(term, value, today, changed)
            parts.append(clause)
            condition.values += values
        joined = " OR ".join(f"({p})" for p in parts)
        condition.clauses.append(f"NOT coalesce(({joined}), 0)" if term.negated else f"({joined})")
    return condition


def _clause(term: Term, value: str, today: date, changed: Sequence[Changed]) -> tuple[str, list[Any]]:
    name = term.field
    if name in _TEXT:
        return _SEARCH, [_match(Term(name, (value,)))]
    if name == "on":
        return _dated(term, value, today, changed)
    if name == "has":
        return f"marks & {_HAS[value]}", []
    if name in _YES_NO:
        return f"(marks & {_YES_NO[name]}) {'<>' if value == 'yes' else '='} 0", []
    if name == "calendar":
        return "calendar_id IN (SELECT c.id FROM calendar c WHERE c.live AND lower(c.name) = lower(?))", [value]
    if name == "account":
        lives = (
            "SELECT r.calendar_id FROM remote r JOIN account a ON a.id = r.account_id WHERE r.calendar_id IS NOT NULL"
        )
        if value.lower() == "here":
            return f"calendar_id NOT IN ({lives})", []
        return f"calendar_id IN ({lives} AND lower(a.name) = lower(?))", [value]
    if name == "zone":
        if value.lower() == "none":
            return "tzid = ''", []
        return "zone = ? COLLATE NOCASE OR tzid = ? COLLATE NOCASE", [value, value]
    if name == "category":
        among = "instr(char(31) || lower(categories) || char(31), char(31) || lower(?) || char(31))"
        return f"categories = ? COLLATE NOCASE OR (instr(categories, char(31)) AND {among})", [value, value]
    if name == "status":
        return "status = ?", ["" if value == "none" else value.upper()]
    if name == "kind":
        if value == "other":
            return f"component NOT IN ({bound(len(_KIND))})", list(_KIND.values())
        return "component = ?", [_KIND[value]]
    if name == "imported":
        return "id IN (SELECT after_id FROM change WHERE set_id = ?)", [int(value)]
    if name == "problem":
        return "id IN (SELECT version_id FROM problem WHERE code = ?)", [value.lower()]
    return "uid = ?", [value]


def _match(term: Term) -> str:
    """Free text as a full-text query: words in order, the last one open at its end."""
    found = []
    for value in term.values:
        words = "".join(c if c.isalnum() else " " for c in value).split()
        if not words:
            raise FilterError("There is no word in this to look for.", term.start, term.end)
        found.append(f'{_TEXT[term.field]}"{" ".join(words)}"*')
    return f"({' OR '.join(found)})"


def _dated(term: Term, value: str, today: date, changed: Sequence[Changed]) -> tuple[str, list[Any]]:
    first, following = day_range(value, today, term)
    low, high = wall_seconds_of(first), wall_seconds_of(following)
    once = "start_wall < ? AND (end_wall > ? OR start_wall >= ?)"
    days = (following - first).days
    # An occurrence of up to a day may have begun the day before; a longer one on any weekday.
    mask = 127 if days >= 6 else sum(1 << (first + timedelta(days=k)).weekday() for k in range(-1, days))
    # A series that runs right through with shorter gaps than the span is in it for sure (two days' slack
    # for what UNTIL leaves open). Of those left, on a weekday they can have, the rule is asked.
    sure = (
        f"gap_days BETWEEN 1 AND {days} AND start_wall <= ?"
        " AND (until_wall IS NULL OR until_wall - (end_wall - start_wall) - 172800 >= ?)"
    )
    series = (
        f"CASE WHEN (marks & {Mark.SERIES}) = 0 OR (start_wall >= ? AND NOT marks & {Mark.EARLY}) OR until_wall < ?"
        f" OR (end_wall - start_wall <= 86400 AND (weekdays & {mask}) = 0) THEN 0 WHEN {sure} THEN 1"
        " ELSE happens(recurrence, start_wall, ? - max(end_wall - start_wall - 1, 0), ?) END"
    )
    clause, values = f"({once}) OR ({series})", [high, low, low, high, low, low, high, low, high]
    if not changed:
        return clause, values
    masters = json.dumps([one.master.id for one in changed])
    happening = json.dumps([one.master.id for one in changed if one.happens(low, high)])
    asked = f"CASE WHEN id IN ({_LISTED_IDS}) THEN id IN ({_LISTED_IDS}) ELSE {clause} END"
    return asked, [masters, happening, *values]


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
        whole = self._orders.get((revision, sort), lambda: _in_order(connection, sort))
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
                if condition.clauses == [_LISTED]:
                    return flags
                return flags & _flags(connection, _ids(connection, condition.sql, condition.values))
            # The words first: what holds them is found much quicker than it is looked up entry by entry.
            holding = _joined(
                connection, "SELECT group_concat(rowid) FROM search WHERE search MATCH ?", (condition.words,)
            )
            flags = flags & _flags(connection, holding)
            if condition.clauses == [_LISTED]:
                return flags
            if len(holding) >= _FEW:
                return flags & _flags(connection, _ids(connection, condition.sql, condition.values))
            ids, where = json.dumps(holding.tolist()), f"id IN ({_LISTED_IDS}) AND {condition.sql}"
            return flags & _flags(connection, _ids(connection, where, [ids, *condition.values]))

        return self._matches.get((revision, today, text), found)

    def _listed(self, connection: Connection, revision: int) -> Flags:
        """Everything there is."""
        return self._everything.get((revision,), lambda: _flags(connection, _ids(connection, "listed = 1", [])))

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
                return total, rows_of(connection, _window(connection, sort, descending, offset, limit))
            matches = self._matching(connection, revision, text)
            total = int(np.count_nonzero(matches))
            return total, rows_of(connection, _first_of(connection, matches, total, sort, descending, offset, limit))

    def row_of_today(self, text: str = "") -> int:
        """How many of what matches begin before today (entries at no time come first)."""
        with self.store.read() as connection:
            revision = _revision(connection)
            flags = self._matching(connection, revision, text) if text.strip() else self._listed(connection, revision)
            begun = _ids(connection, "listed = 1 AND start < ?", [wall_seconds_of(this_day())])
            at_no_time = _ids(connection, "listed = 1 AND start IS NULL", [])
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


def _first_of(
    connection: Connection, matches: Flags, total: int, sort: str, descending: bool, offset: int, limit: int
) -> list[int]:
    """One page of what matches, in order, without putting all the others in order."""
    if total < _FEW:
        ids = json.dumps(np.flatnonzero(matches).tolist())
        return _listed(_sorted(connection, f"id IN ({_LISTED_IDS})", [ids], sort, descending)[offset : offset + limit])
    wanted = offset + limit
    found: list[int] = []
    for ids_there in _stretches(connection, sort, descending):
        found += ids_there[matches[ids_there]].tolist()
        if len(found) >= wanted:
            break
    return found[offset:wanted]


def _keys(sort: str, descending: bool = False) -> str:
    """The ORDER BY of a sort; ties in order of the ids, so that pages are parts of one whole."""
    way = " DESC" if descending else ""
    return ", ".join(f"{key.strip()}{way}" for key in (*filter(None, SORTS[sort].split(",")), "id"))


def _window(connection: Connection, sort: str, descending: bool, offset: int, limit: int) -> list[int]:
    """One page of everything."""
    if sort != "calendar":
        keys = _keys(sort, descending)
        return _listed(_ids(connection, "listed = 1", [], f"{keys} LIMIT {limit} OFFSET {offset}"))
    found: list[int] = []
    for ids in _stretches(connection, sort, descending):
        found += ids.tolist()
        if len(found) >= offset + limit:
            break
    return found[offset : offset + limit]


def _sorted(connection: Connection, where: str, values: list[Any], sort: str, descending: bool) -> Ids:
    way = " DESC" if descending else ""
    if sort == "calendar":
        name = "(SELECT k.name FROM calendar k WHERE k.id = calendar_id) COLLATE NOCASE"
        return _ids(connection, where, values, f"{name}{way}, calendar_id{way}, start{way}, id{way}")
    return _ids(connection, where, values, _keys(sort, descending))


def _stretches(connection: Connection, sort: str, descending: bool) -> Iterator[Ids]:
    """All listed entries in order, in growing stretches, from the index that holds the order."""
    way = " DESC" if descending else ""
    orders = [("listed = 1", (), _keys(sort, descending))]
    if sort == "calendar":
        names = connection.exec_driver_sql("SELECT id FROM calendar ORDER BY name COLLATE NOCASE, id").scalars().all()
        orders = [
            ("listed = 1 AND calendar_id = ?", (calendar,), f"start{way}, id{way}")  # type: ignore[misc]
            for calendar in (reversed(names) if descending else names)
        ]
    for where, values, order in orders:
        at, size = 0, 2_000
        while len(ids := _ids(connection, where, list(values), f"{order} LIMIT {size} OFFSET {at}")):
            yield ids
            at, size = at + size, size * 4


def _listed(ids: Ids) -> list[int]:
    return [int(i) for i in ids]


def _in_order(connection: Connection, sort: str) -> Ids:
    """All entries in an order. Each of the orders has an index that holds all it needs."""
    if sort != "calendar":
        return _ids(connection, "listed = 1", [], _keys(sort))
    calendars = connection.exec_driver_sql("SELECT id FROM calendar ORDER BY name COLLATE NOCASE, id").scalars().all()
    parts = [_ids(connection, "calendar_id = ? AND listed = 1", [calendar], "start, id") for calendar in calendars]
    return np.concatenate([np.empty(0, np.int64), *parts])


def _ids(connection: Connection, where: str, values: list[Any], order: str = "") -> Ids:
    """Matching ids."""
    by = f" ORDER BY {order}" if order else ""
    return _joined(connection, f"SELECT group_concat(id) FROM (SELECT id FROM entry WHERE {where}{by})", tuple(values))


def _joined(connection: Connection, sql: str, values: tuple[Any, ...]) -> Ids:
    """Ids as one string from SQLite: far quicker to fetch than as many rows."""
    joined = connection.exec_driver_sql(sql, values).scalar_one()
    return np.fromstring(joined or "", np.int64, sep=",")


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
