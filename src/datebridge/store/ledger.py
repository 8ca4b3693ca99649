"""The table of everything: filters as SQL, pages in any order, facet counts, selections."""

from __future__ import annotations

import threading
from array import array
from collections import Counter, OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from sqlalchemy import Connection

from datebridge.core.events import Mark
from datebridge.core.filters import Term, day_range, parse_filter
from datebridge.core.moments import wall_seconds_of
from datebridge.store.database import Store
from datebridge.store.versions import bound, chunks

SORTS = {
    "when": "start", "what": "summary_key", "where": "location_key",
    "calendar": "(SELECT c.name FROM calendar c WHERE c.id = calendar_id)",
    "repeats": "repeats", "zone": "zone, tzid", "marks": "marks", "status": "status",
}  # fmt: skip
_HAS = {
    "alarm": Mark.ALARM, "attendees": Mark.ATTENDEES, "attachment": Mark.ATTACHMENT,
    "problem": Mark.PROBLEM, "unknown": Mark.UNKNOWN,
}  # fmt: skip
_YES_NO = {"repeats": Mark.SERIES, "private": Mark.PRIVATE, "allday": Mark.ALL_DAY, "override": Mark.OVERRIDE}
_KIND = {"event": "VEVENT", "todo": "VTODO", "journal": "VJOURNAL", "freebusy": "VFREEBUSY"}
_ROW = (
    "id", "calendar_id", "component", "uid", "recurrence_id", "summary", "location", "start", "start_wall",
    "end_wall", "until_wall", "tzid", "zone", "repeats", "marks", "status", "privacy", "busy", "categories",
    "attendees",
)  # fmt: skip
_CACHE_SIZE = 24


@dataclass(frozen=True, slots=True)
class Selection:
    """What is selected: all that match a filter, less exceptions; or the listed entries only."""

    filter: str = ""
    excluded: tuple[int, ...] = ()
    only: tuple[int, ...] | None = None


@dataclass(slots=True)
class Condition:
    """A WHERE clause over `entry` with its bound values."""

    clauses: list[str] = field(default_factory=lambda: ["listed = 1"])
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
    terms = sorted(parse_filter(text), key=lambda t: t.field == "on")  # the costly one last
    for term in terms:
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
    if name in ("text", "what", "where"):
        column = {"text": "", "what": "summary : ", "where": "location : "}[name]
        match = _match(value)
        return ("id IN (SELECT rowid FROM search WHERE search MATCH ?)", [column + match]) if match else ("1", [])
    if name in ("before", "after", "on"):
        return _dated(term, value, today)
    if name == "has":
        return f"marks & {_HAS[value]}", []
    if name in _YES_NO:
        return f"(marks & {_YES_NO[name]}) {'<>' if value == 'yes' else '='} 0", []
    if name == "calendar":
        return "calendar_id IN (SELECT c.id FROM calendar c WHERE c.live AND lower(c.name) = lower(?))", [value]
    if name == "zone":
        if value.lower() == "none":
            return "tzid = ''", []
        return "lower(zone) = lower(?) OR lower(tzid) = lower(?)", [value, value]
    if name == "category":
        return "instr(char(31) || lower(categories) || char(31), char(31) || lower(?) || char(31)) > 0", [value]
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


def _match(value: str) -> str:
    """Free text as a full-text query: words in order, the last one open at its end."""
    words = "".join(c if c.isalnum() else " " for c in value).split()
    return f'"{" ".join(words)}"*' if words else ""


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
    mask = 127 if days >= 7 else sum(1 << (first + timedelta(days=k)).weekday() for k in range(days))
    # A series: running then, on a weekday it can have, and for these few its rule is asked.
    series = (
        f"CASE WHEN (marks & {Mark.SERIES}) AND start_wall < ? AND (until_wall IS NULL OR until_wall > ?)"
        f" AND (weekdays & {mask}) THEN happens(recurrence, start_wall, ?, ?) ELSE 0 END"
    )
    return f"({once}) OR ({series})", [high, low, low, high, low, low, high]


class Ledger:
    """Reads the entries in force. Orderings are remembered until the next batch."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._orders: OrderedDict[tuple[Any, ...], array[int]] = OrderedDict()
        self._lock = threading.Lock()

    def order(self, connection: Connection, text: str, sort: str = "when", descending: bool = False) -> array[int]:
        """The ids of all entries that match, in order.

        Raises:
            FilterError: where the filter does not parse.
        """
        today = this_day()
        revision = connection.exec_driver_sql("SELECT revision FROM meta").scalar_one()
        key = (revision, today, text, sort, descending)
        with self._lock:
            if key in self._orders:
                self._orders.move_to_end(key)
                return self._orders[key]
        condition = compile_filter(text, today)
        direction = " DESC" if descending else ""
        by = (
            ", ".join(f"{column}{direction}" for column in SORTS[sort].split(", "))
            if sort != "calendar"
            else (f"{SORTS[sort]}{direction}, start{direction}")
        )
        # One string of ids is far quicker to fetch than as many rows.
        joined = connection.exec_driver_sql(
            f"SELECT group_concat(id) FROM (SELECT id FROM entry WHERE {condition.sql} ORDER BY {by})",
            tuple(condition.values),
        ).scalar_one()
        ids = array("q", map(int, joined.split(","))) if joined else array("q")
        with self._lock:
            self._orders[key] = ids
            while len(self._orders) > _CACHE_SIZE:
                self._orders.popitem(last=False)
        return ids

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

    def ids(self, connection: Connection, selection: Selection) -> Iterator[int]:
        """The selected entries, in order of start."""
        if selection.only is not None:
            wanted = set(selection.only)
            return iter(sorted(i for c in chunks(wanted) for i in _existing(connection, c)))
        excluded = set(selection.excluded)
        return (i for i in self.order(connection, selection.filter) if i not in excluded)

    def facets(self, text: str = "") -> dict[str, list[tuple[str, int]]]:
        """Counts of what matches, by calendar, year, kind, zone, status, category and mark."""
        condition = compile_filter(text, this_day())
        counts: dict[str, Counter[str]] = {
            name: Counter() for name in ("calendar", "year", "kind", "zone", "status", "category", "marks")
        }
        kinds = {component: kind for kind, component in _KIND.items()}
        with self.store.read() as connection:
            names = {row[0]: row[1] for row in connection.exec_driver_sql("SELECT id, name FROM calendar")}
            rows = connection.exec_driver_sql(
                "SELECT calendar_id, year, component, coalesce(nullif(zone, ''), nullif(tzid, ''), 'none'), status,"
                f" categories, marks, count(*) FROM entry WHERE {condition.sql} GROUP BY 1, 2, 3, 4, 5, 6, 7",
                tuple(condition.values),
            )
            for calendar, year, component, zone, status, categories, marks, count in rows:
                counts["calendar"][names.get(calendar, "")] += count
                counts["year"]["no date" if year is None else str(year)] += count
                counts["kind"][kinds.get(component, "other")] += count
                counts["zone"][zone] += count
                counts["status"][status.lower() or "none"] += count
                for category in categories.split("\x1f") if categories else ():
                    counts["category"][category] += count
                for name, bit in (("series", Mark.SERIES), ("all day", Mark.ALL_DAY), ("private", Mark.PRIVATE),
                                  ("override", Mark.OVERRIDE), *_HAS.items()):  # fmt: skip
                    if marks & bit:
                        counts["marks"][name] += count
        ordered = {name: counter.most_common(60) for name, counter in counts.items()}
        ordered["year"].sort(reverse=True)
        return ordered


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


def this_day() -> date:
    """Today by this machine's clock, for words such as ``today`` in a filter."""
    return date.today()  # noqa: DTZ011
