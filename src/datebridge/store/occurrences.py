"""What happens in a window, read from the index and the engine, remembered until the next batch."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import Connection

from datebridge.core.facts import Mark
from datebridge.core.moments import Clock
from datebridge.core.recurrence.occurrences import Clocks, Occurrence, Timed, occurrences
from datebridge.core.recurrence.series import Series
from datebridge.core.recurrence.starts import DAY
from datebridge.core.zones.defined import defined
from datebridge.store.database import Store
from datebridge.store.ledger import Remembered
from datebridge.store.versions import bound

_TIMED = "id, calendar_id, uid, recurrence_id, start_wall, end_wall, until_wall, tzid, zone, marks, recurrence"
_SHOWN = "summary, location, component, status, busy, travel"
_STANDS = "listed = 1 AND component IN ('VEVENT', 'VTODO') AND start_wall IS NOT NULL"


class Shown(NamedTuple):
    """What is shown of an entry beside its times; `uid` and zone as in `Timed`."""

    calendar: int
    uid: str
    recurrence_id: str
    tzid: str
    zone: str
    marks: int
    title: str
    place: str
    component: str
    status: str
    busy: str
    travel: int

    @property
    def cancelled(self) -> bool:
        return self.status == "CANCELLED"

    @property
    def blocks(self) -> bool:
        """Whether it blocks time: an event that is not cancelled, and not transparent (RFC 5545 §3.8.2.7)."""
        return self.component == "VEVENT" and self.busy != "TRANSPARENT" and not self.cancelled


@dataclass(frozen=True, slots=True)
class Window:
    """The occurrences in order of shown time, and their entries by id."""

    occurrences: list[Occurrence]
    entries: dict[int, Shown]

    def key(self, one: Occurrence) -> tuple[str, int]:
        """What an occurrence is the same by in another calendar: UID and slot (an override's by what it stands for)."""
        entry = self.entries[one.entry]
        if not one.series and entry.recurrence_id:
            return f"{entry.uid} {entry.recurrence_id}", 0
        return entry.uid, one.start if one.series else 0


class Happenings:
    """Reads windows of time over any calendars."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._windows: Remembered[Window] = Remembered(12)

    def window(self, low: int, high: int, shown: str, calendars: Iterable[int]) -> Window:
        """What of the calendars overlaps [low, high), in wall seconds on the clock of `shown`."""
        wanted = tuple(sorted(set(calendars)))
        with self.store.read() as connection:
            revision = int(connection.exec_driver_sql("SELECT revision FROM meta").scalar_one())
            return self._windows.get(
                (revision, low, high, shown, wanted), lambda: _read(connection, low, high, shown, wanted)
            )

    def series(self, connection: Connection, calendar: int, uid: str, shown: str) -> Series:
        """The entries of a UID in a calendar, to be asked."""
        rows = connection.exec_driver_sql(
            f"SELECT {_TIMED} FROM entry WHERE uid = ? AND calendar_id = ? AND {_STANDS}", (uid, calendar)
        ).fetchall()
        return Series([Timed(*row) for row in rows], shown, clocks_of(connection, (calendar,)))

    def shown_of(self, connection: Connection, ids: Iterable[int]) -> dict[int, Shown]:
        """What is shown of entries in force."""
        wanted = tuple(set(ids))
        rows = connection.exec_driver_sql(
            f"SELECT {_TIMED}, {_SHOWN} FROM entry WHERE id IN ({bound(len(wanted))})", wanted
        )
        return {row[0]: _shown(Timed(*row[:11]), row[11:]) for row in rows.fetchall()}


def _shown(one: Timed, rest: Sequence[Any]) -> Shown:
    return Shown(one.calendar, one.uid, one.recurrence_id, one.tzid, one.zone, one.marks, *rest)


def _read(connection: Connection, low: int, high: int, shown: str, calendars: tuple[int, ...]) -> Window:
    run = connection.exec_driver_sql
    rows = run(
        f"SELECT {_TIMED}, {_SHOWN} FROM entry WHERE {_STANDS.replace('listed', '+listed')}"
        f" AND calendar_id IN ({bound(len(calendars))}) AND ((start_wall < ? AND (until_wall IS NULL OR"
        " until_wall >= ?)) OR recurrence_id <> '')",
        (*calendars, high + 2 * DAY, low - 2 * DAY),
    ).fetchall()
    timed = {row[0]: Timed(*row[:11]) for row in rows}
    unknown = any(one.marks & Mark.UNRESOLVED_ZONE for one in timed.values())
    clocks = clocks_of(connection, calendars) if unknown else None
    found = sorted(
        occurrences(timed.values(), low, high, shown, clocks), key=lambda o: (o.shown_start, -o.shown_end, o.entry)
    )
    used = {o.entry for o in found}
    return Window(found, {row[0]: _shown(timed[row[0]], row[11:]) for row in rows if row[0] in used})


def clocks_of(connection: Connection, calendars: Iterable[int]) -> Clocks:
    """The zones that calendars define themselves, read when first asked for."""
    wanted = tuple(calendars)
    found: dict[tuple[int, str], Clock | None] = {}
    for calendar, tzid, text in connection.exec_driver_sql(
        "SELECT e.calendar_id, e.uid, t.text FROM entry e JOIN version_text t ON t.id = e.id"
        f" WHERE e.component = 'VTIMEZONE' AND e.calendar_id IN ({bound(len(wanted))})",
        wanted,
    ):
        found[calendar, tzid] = defined(text)
    return lambda calendar, tzid: found.get((calendar, tzid))
