"""The table of everything: filters as SQL, pages in any order, facet counts, selections."""

from __future__ import annotations

import json
import threading
from array import array
from collections import Counter, OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any, Generic, TypeVar

from sqlalchemy import Connection

from datebridge.core.facts import Mark
from datebridge.core.filters import FilterError, Term, day_range, parse_filter
from datebridge.core.moments import wall_seconds_of
from datebridge.store.database import Store, this_day
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
#: What can be counted by, as SQL; the three without SQL are counted in their own way.
FACETS = {
    "calendar": "", "year": "coalesce(CAST(year AS TEXT), 'no date')",
    "kind": f"CASE component {_KINDS} ELSE 'other' END",
    "zone": "CASE WHEN zone <> '' THEN zone WHEN tzid <> '' THEN tzid ELSE 'none' END",
    "category": "", "status": "CASE status WHEN '' THEN 'none' ELSE lower(status) END", "marks": "",
}  # fmt: skip
MARK_NAMES = {
    "series": Mark.SERIES, "all day": Mark.ALL_DAY, "private": Mark.PRIVATE, "override": Mark.OVERRIDE, **_HAS,
}  # fmt: skip
_ROW = (
    "id", "calendar_id", "component", "uid", "recurrence_id", "summary", "location", "start", "start_wall",
    "end_wall", "until_wall", "tzid", "zone", "repeats", "marks", "status", "privacy", "busy", "categories",
    "attendees",
)  # fmt: skip
#: The plus keeps SQLite from walking an index of listed entries where a scan of the table is quicker.
_LISTED = "+listed = 1"
_SEARCH = "id IN (SELECT rowid FROM search WHERE search MATCH ?)"
#: Fields that are looked for in the words, with the column of the full-text index.
_TEXT = {"text": "", "what": "summary : ", "where": "location : "}
Value = TypeVar("Value")


@dataclass(frozen=True, slots=True)
class Selection:
    """What is selected: all that match a filter, less exceptions; or the listed entries only."""

    filter: str = ""
    excluded: tuple[int, ...] = ()
    only: tuple[int, ...] | None = None


@dataclass(slots=True)
class Condition:
    """A WHERE clause over `entry` with its bound values."""

    clauses: list[str] = field(default_factory=lambda: [_LISTED])
    values: list[Any] = field(default_factory=list)

    @property
    def sql(self) -> str:
        return " AND ".join(self.clauses)


def compile_filter(text: str, today: date) -> Condition:
    """A filter line as SQL.

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
        condition.clauses.append(_SEARCH)
        condition.values.append(match)
        terms = [term for term in terms if term.field not in _TEXT]
    for term in sorted(terms, key=lambda t: t.field == "on"):  # the costly one last
        parts = []
        for value in term.values:
            clause, values = _clause(term, value, today)
            parts.append(clause)
            condition.values += values
        joined = " OR ".join(f"({p})" for p in parts)
        condition.clauses.append(f"NOT coalesce(({joined}), 0)" if term.negated else f"({joined})")
    return condition


def _clause(term: Term, value: str, today: date) -> tuple[str, list[Any]]:
    name = term.field
    if name in _TEXT:
        return _SEARCH, [_match(Term(name, (value,)))]
    if name in ("before", "after", "on"):
        return _dated(term, value, today)
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


def _dated(term: Term, value: str, today: date) -> tuple[str, list[Any]]:
    first, following = day_range(value, today, term)
    low, high = wall_seconds_of(first), wall_seconds_of(following)
    if term.field == "before":
        # An entry of no length ends when it starts; it is over before the day it starts on.
        return "until_wall <= ? AND start_wall < ?", [low, low]
    if term.field == "after":
        return "start_wall >= ?", [low]
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
        f"CASE WHEN (marks & {Mark.SERIES}) = 0 OR start_wall >= ? OR until_wall < ?"
        f" OR (end_wall - start_wall <= 86400 AND (weekdays & {mask}) = 0) THEN 0 WHEN {sure} THEN 1"
        " ELSE happens(recurrence, start_wall, ? - max(end_wall - start_wall - 1, 0), ?) END"
    )
    return f"({once}) OR ({series})", [high, low, low, high, low, low, high, low, high]


class Ledger:
    """Reads the entries in force. Orderings are remembered until the next batch."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._orders: Remembered[array[int]] = Remembered(len(SORTS))
        self._calendars: Remembered[list[tuple[Any, ...]]] = Remembered(1)
        self._matches: Remembered[frozenset[int]] = Remembered(16)

    def order(self, connection: Connection, text: str, sort: str = "when", descending: bool = False) -> array[int]:
        """The ids of all entries that match, in order.

        Raises:
            FilterError: where the filter does not parse.
        """
        today = this_day()
        condition = compile_filter(text, today)
        revision = int(connection.exec_driver_sql("SELECT revision FROM meta").scalar_one())
        whole = self._orders.get((revision, sort), lambda: array("q", _in_order(connection, sort)))
        if not text.strip():
            return whole[::-1] if descending else whole

        def matching() -> frozenset[int]:
            return frozenset(_ids(connection, condition.sql, condition.values))

        matches = self._matches.get((revision, today, text), matching)
        ids = array("q", list(filter(matches.__contains__, whole)))
        return ids[::-1] if descending else ids

    def page(
        self, text: str = "", sort: str = "when", descending: bool = False, offset: int = 0, limit: int = 100
    ) -> tuple[int, list[dict[str, Any]]]:
        """How many match, and the rows [offset, offset + limit) of them."""
        with self.store.read() as connection:
            ids = self.order(connection, text, sort, descending)
            return len(ids), rows_of(connection, ids[offset : offset + limit])

    def row_of_today(self, text: str = "") -> int:
        """How many of what matches begin before today (entries at no time come first)."""
        today = this_day()
        condition = compile_filter(text, today)
        with self.store.read() as connection:
            return int(
                connection.exec_driver_sql(
                    f"SELECT count(*) FROM entry WHERE {condition.sql} AND coalesce(start, -9e15) < ?",
                    (*condition.values, wall_seconds_of(today)),
                ).scalar_one()
            )

    def calendars(self) -> list[tuple[Any, ...]]:
        """Each calendar: id, name, colour, source, taken_at, entries, with problems, first, last, any without end."""
        with self.store.read() as connection:
            revision = int(connection.exec_driver_sql("SELECT revision FROM meta").scalar_one())
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
        return (i for i in self.order(connection, selection.filter) if i not in excluded)

    def only_readable(self, connection: Connection, selection: Selection) -> int:
        """How many of the selected entries are in calendars that can only be read."""
        rows = connection.exec_driver_sql(
            "SELECT e.id FROM entry e JOIN calendar k ON k.id = e.calendar_id WHERE NOT k.writable AND e.listed"
        )
        readable = {row[0] for row in rows}
        return sum(1 for i in self.ids(connection, selection) if i in readable) if readable else 0

    def facets(self, by: str, text: str = "") -> list[tuple[str, int]]:
        """Counts of what matches by one of FACETS, most frequent first; years newest first."""
        condition = compile_filter(text, this_day())
        with self.store.read() as connection:

            def grouped(expression: str) -> list[tuple[Any, int]]:
                rows = connection.exec_driver_sql(
                    f"SELECT {expression}, count(*) FROM entry WHERE {condition.sql} GROUP BY 1",
                    tuple(condition.values),
                )
                return [(row[0], row[1]) for row in rows]

            counts: Counter[str] = Counter()
            if by == "marks":
                sums = ", ".join(f"coalesce(sum((marks & {bit}) <> 0), 0)" for bit in MARK_NAMES.values())
                row = connection.exec_driver_sql(
                    f"SELECT {sums} FROM entry WHERE {condition.sql}", tuple(condition.values)
                ).one()
                counts.update({name: n for name, n in zip(MARK_NAMES, row, strict=True) if n})
            elif by == "category":
                for joined, count in grouped("categories"):
                    for category in joined.split("\x1f") if joined else ():
                        counts[category] += count
            elif by == "calendar":
                names = {row[0]: row[1] for row in connection.exec_driver_sql("SELECT id, name FROM calendar")}
                for calendar, n in grouped("calendar_id"):
                    counts[names.get(calendar, "")] += n
            else:
                counts.update(dict(grouped(FACETS[by])))
        if by == "year":
            return sorted(counts.items(), reverse=True)
        return counts.most_common(60)


class Remembered(Generic[Value]):
    """The few results asked for last; keys hold the revision, so what is old is never asked for again."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[tuple[Any, ...], Value] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: tuple[Any, ...], make: Callable[[], Value]) -> Value:
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made


def _in_order(connection: Connection, sort: str) -> list[int]:
    """All entries in an order. Each of the orders has an index that holds all it needs."""
    if sort != "calendar":
        return _ids(connection, "listed = 1", [], SORTS[sort])
    ids: list[int] = []
    for (calendar,) in connection.exec_driver_sql(
        "SELECT id FROM calendar ORDER BY name COLLATE NOCASE, id"
    ).fetchall():
        ids += _ids(connection, "calendar_id = ? AND listed = 1", [calendar], "start")
    return ids


def _ids(connection: Connection, where: str, values: list[Any], order: str = "") -> list[int]:
    """Matching ids, as one string from SQLite: far quicker to fetch than as many rows."""
    by = f" ORDER BY {order}" if order else ""
    joined = connection.exec_driver_sql(
        f"SELECT group_concat(id) FROM (SELECT id FROM entry WHERE {where}{by})", tuple(values)
    ).scalar_one()
    return json.loads(f"[{joined}]") if joined else []


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
