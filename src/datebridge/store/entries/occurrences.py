"""What happens in a window, read from the index and the engine, remembered until the next batch."""

from __future__ import annotations

import json
from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection

from datebridge.core.index.facts import Mark
from datebridge.core.occurrences.expanding import Bounds, Clocks, Timed, occurrences
from datebridge.core.occurrences.series import Series
from datebridge.core.occurrences.window import ShownEntry, Window
from datebridge.core.recurrence.starts import DAY
from datebridge.core.views.overlaps import People, people_in
from datebridge.core.zones.meaning import Zones
from datebridge.store.database import Store
from datebridge.store.entries.spans import KnownSpans
from datebridge.store.remembered import Remembered
from datebridge.store.sql import chunks

_TIMED = "id, calendar_id, uid, recurrence_id, start_wall, end_wall, until_wall, tzid, zone, marks, recurrence"
#: So many columns of a row that is shown are those of `Timed`.
_TIMES = len(Timed._fields)
_SHOWN = "summary, location, component, status, busy, travel"
_STANDS = "listed = 1 AND component IN ('VEVENT', 'VTODO') AND start_wall IS NOT NULL"
#: Of so many entries at most it is remembered who is invited.
_MOST_PEOPLE = 100_000
#: Series that a change for all that follow may move past their end; the change itself tells which they are.
_MOVED_ON = (
    f"SELECT id FROM entry INDEXED BY ix_entry_uid WHERE +listed = 1 AND marks & {Mark.SERIES} AND uid IN (SELECT f.uid"
    f" FROM entry f WHERE f.id IN (SELECT id FROM entry INDEXED BY ix_entry_span WHERE listed = 1"
    f" AND marks & {Mark.FUTURE}))"
)


class OccurrenceReader:
    """Reads windows of time over any calendars."""

    def __init__(self, store: Store, spans: KnownSpans | None = None) -> None:
        self.store, self.spans = store, spans or KnownSpans()
        self._windows: Remembered[Window] = Remembered(12)
        self._odd: Remembered[str] = Remembered(1)
        self._people: dict[int, People] = {}

    def _among(self, connection: Connection, low: int, high: int) -> str:
        """The ids, as JSON, of what may happen in a window."""
        numbers = self.spans.of(connection).between(low - 2 * DAY, high + 2 * DAY)
        return json.dumps([*numbers, *json.loads(self.anywhere(connection))])

    def anywhere(self, connection: Connection) -> str:
        """What may be in any window; see `may_be_anywhere`."""
        revision = int(connection.exec_driver_sql("SELECT revision FROM meta").scalar_one())
        return self._odd.get((revision,), lambda: may_be_anywhere(connection))

    def window(self, low: int, high: int, shown: str, calendars: Iterable[int]) -> Window:
        """What of the calendars overlaps [low, high), in wall seconds on the clock of `shown`."""
        wanted = tuple(sorted(set(calendars)))
        with self.store.read() as connection:
            revision = int(connection.exec_driver_sql("SELECT revision FROM meta").scalar_one())
            return self._windows.get(
                (revision, low, high, shown, wanted),
                lambda: read_window(connection, low, high, shown, wanted, self._among(connection, low, high)),
            )

    def series(self, connection: Connection, calendar: int, uid: str, shown: str) -> Series:
        """The entries of a UID in a calendar, to be asked."""
        rows = connection.exec_driver_sql(
            f"SELECT {_TIMED} FROM entry WHERE uid = ? AND calendar_id = ? AND {_STANDS}", (uid, calendar)
        ).fetchall()
        return Series([Timed(*row) for row in rows], shown, clocks_of(connection, (calendar,)))

    def shown_of(self, connection: Connection, ids: Iterable[int]) -> dict[int, ShownEntry]:
        """What is shown of entries in force."""
        wanted = tuple(set(ids))
        rows = connection.exec_driver_sql(
            f"SELECT {_TIMED}, {_SHOWN} FROM entry WHERE id IN ({_bound(len(wanted))})", wanted
        )
        return {row.id: _shown(Timed(*row[:_TIMES]), row[_TIMES:]) for row in rows}

    def people(self, wanted: Iterable[int]) -> Mapping[int, People]:
        """Who is invited to entries that have attendees; read once, since a version never changes."""
        if len(self._people) > _MOST_PEOPLE:
            self._people = {}
        people = self._people
        missing = [one for one in wanted if one not in people]
        if not missing:
            return people
        with self.store.read() as connection:
            for chunk in chunks(missing):
                rows = connection.exec_driver_sql(
                    "SELECT t.id, t.text FROM version_text t JOIN entry e ON e.id = t.id"
                    f" WHERE t.id IN ({_bound(len(chunk))}) AND e.marks & {Mark.ATTENDEES}",
                    tuple(chunk),
                ).fetchall()
                people_of: dict[int, People] = dict.fromkeys(chunk, frozenset())
                people_of.update((entry, people_in(text)) for entry, text in rows)
                people.update(people_of)  # at once: others may be asking
        return people


def _shown(timed: Timed, rest: Sequence[Any]) -> ShownEntry:
    return ShownEntry(timed.calendar, timed.uid, timed.recurrence_id, timed.tzid, timed.zone, timed.marks, *rest)


def _bound(count: int) -> str:
    """Placeholders for so many bound values."""
    return ", ".join("?" * count)


def may_be_anywhere(connection: Connection) -> str:
    """Ids, as JSON, of series whose index does not tell when they may happen: those with an extra date before their
    start, and those that a change for all that follow may have moved past their end."""
    joined = connection.exec_driver_sql(
        "SELECT group_concat(id) FROM (SELECT id FROM entry INDEXED BY ix_entry_span WHERE listed = 1"
        f" AND marks & {Mark.EARLY} UNION {_MOVED_ON})"
    ).scalar()
    return f"[{joined or ''}]"


def may_be_then(connection: Connection, low: int, high: int, calendar: int) -> str:
    """The ids, as JSON, of all of a calendar that may happen in a window, without anything that is remembered."""
    joined = connection.exec_driver_sql(
        "SELECT group_concat(id) FROM entry INDEXED BY ix_entry_span WHERE listed = 1 AND start_wall < ?"
        " AND (until_wall IS NULL OR until_wall >= ?) AND calendar_id = ?",
        (high + 2 * DAY, low - 2 * DAY, calendar),
    ).scalar()
    anywhere = json.loads(may_be_anywhere(connection))
    return json.dumps([*json.loads(f"[{joined or ''}]"), *anywhere])


def read_window(
    connection: Connection,
    low: int,
    high: int,
    shown: str,
    calendars: tuple[int, ...],
    among: str,
    ordered: bool = True,
) -> Window:
    """What of the calendars overlaps [low, high), in wall seconds on the clock of `shown`.

    Args:
        among: the ids, as JSON, of all that may happen then.
    """
    rows = _rows(connection, among, calendars)
    timed = _timed(rows)
    series = {one.uid for one in timed.values() if one.marks & Mark.SERIES and not one.recurrence_id}
    if series and (others := _overrides_of(connection, series, timed)):
        changed = _rows(connection, json.dumps(others), calendars)
        timed |= _timed(changed)
        rows += changed
    own = any(entry.marks & Mark.DEFINED_ZONE for entry in timed.values())
    clocks = clocks_of(connection, calendars) if own else None
    bounds = Bounds.drawn()
    happening = list(occurrences(timed.values(), low, high, shown, clocks, bounds=bounds))
    if ordered:
        happening.sort(key=lambda o: (o.shown_start, -o.shown_end, o.entry))
    used = {o.entry for o in happening} | bounds.cut
    entries = {
        one.id: _shown(one, row[_TIMES:]) for one, row in zip(timed.values(), rows, strict=True) if one.id in used
    }
    return Window(happening, entries, tuple(sorted(entries[one].title or "(no title)" for one in bounds.cut)))


def _rows(connection: Connection, among: str, calendars: tuple[int, ...]) -> list[Any]:
    """What the engine needs of entries in force, and what is shown of them."""
    rows = connection.exec_driver_sql(
        f"WITH found AS (SELECT DISTINCT value AS id FROM json_each(?))"
        f" SELECT {_TIMED}, {_SHOWN} FROM found CROSS JOIN entry USING (id)"
        f" WHERE {_STANDS.replace('listed', '+listed')} AND calendar_id IN ({_bound(len(calendars))})",
        (among, *calendars),
    )
    return list(rows.fetchall())


def _timed(rows: Iterable[Any]) -> dict[int, Timed]:
    return {one.id: one for one in [Timed(*row[:_TIMES]) for row in rows]}


def _overrides_of(connection: Connection, uids: Iterable[str], present: Container[int]) -> list[int]:
    """The ids of the changed occurrences of series, wherever they were moved to; but for those that are known."""
    rows = connection.exec_driver_sql(
        "WITH series AS (SELECT value AS uid FROM json_each(?)) SELECT o.id FROM series CROSS JOIN entry o"
        " INDEXED BY ix_entry_uid ON o.uid = series.uid AND o.recurrence_id > ''",
        (json.dumps([*uids]),),
    )
    return [id for (id,) in rows if id not in present]


@dataclass(frozen=True, slots=True)
class Changed:
    """A series with changed occurrences: its own index does not tell when it happens, so it has to be asked."""

    master: Timed
    overrides: tuple[Timed, ...]
    clocks: Clocks

    @property
    def moves_on(self) -> bool:
        """Whether a change holds for all that follow."""
        return any(override.marks & Mark.FUTURE for override in self.overrides)

    def happens(self, low: int, high: int) -> bool:
        """Whether its rules put anything into [low, high) on its own clock that no override stands for."""
        happening = occurrences([self.master], low, high, "", self.clocks, self.overrides)
        return any(occurrence.series for occurrence in happening)

    def last_end(self) -> int | None:
        """When the last of it has ended on its own clock; None for a series without end."""
        series = Series([self.master, *self.overrides], "", self.clocks)
        last = series.last()
        return None if series.is_endless() else last.shown_end if last else self.master.end_wall


def changed_series(connection: Connection) -> list[Changed]:
    """All series that have changed occurrences."""
    run = connection.exec_driver_sql
    # The index of marks holds all that is asked of the many, so their rows are not read.
    result = run(
        "SELECT DISTINCT calendar_id, uid FROM entry WHERE uid <> '' AND id IN"
        f" (SELECT id FROM entry INDEXED BY ix_entry_marks WHERE listed = 1 AND marks & {Mark.OVERRIDE})"
    )
    wanted = {(calendar, uid) for calendar, uid in result}
    groups: dict[tuple[int, str], list[Timed]] = {}
    for chunk in chunks({uid for _, uid in wanted}):
        for row in run(
            f"SELECT {_TIMED} FROM entry WHERE {_STANDS.replace('listed', '+listed')}"
            f" AND uid IN ({_bound(len(chunk))})",
            tuple(chunk),
        ):
            one = Timed(*row)
            if (one.calendar, one.uid) in wanted:
                groups.setdefault((one.calendar, one.uid), []).append(one)
    clocks = clocks_of(connection, {calendar for calendar, _ in groups})
    return [
        Changed(entry, tuple(other for other in group if other.recurrence_id), clocks)
        for group in groups.values()
        for entry in group
        if entry.marks & Mark.SERIES and not entry.recurrence_id
    ]


def clocks_of(connection: Connection, calendars: Iterable[int]) -> Clocks:
    """The zones that calendars define themselves, read when first asked for."""
    wanted = tuple(calendars)
    zones: dict[int, Zones] = {}
    for calendar, tzid, text in connection.exec_driver_sql(
        "SELECT e.calendar_id, e.uid, t.text FROM entry e JOIN version_text t ON t.id = e.id"
        f" WHERE e.component = 'VTIMEZONE' AND e.calendar_id IN ({_bound(len(wanted))}) ORDER BY e.id",
        wanted,
    ):
        zones.setdefault(calendar, Zones()).add(tzid, text)
    return lambda calendar, tzid: zones[calendar].clock(tzid) if calendar in zones else None
