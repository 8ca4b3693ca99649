"""Handing on: a selection or a calendar as iCalendar (one file, or a zip with one per calendar) or as CSV."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import Connection

from datebridge.core.index.facts import Mark
from datebridge.core.text.writer import ENDLESS, missing_definitions, new_header, write_calendar
from datebridge.core.views.sheet import Row, write_sheet
from datebridge.store.changesets.logbook import CannotApply
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger, Selection
from datebridge.store.entries.versions import bound, chunks
from datebridge.store.entries.zones import zones_of

Format = Literal["ics", "zip", "csv"]


#: How many texts are fetched at once.
_TEXTS = 2_000


@dataclass(frozen=True, slots=True)
class Handout:
    """What is handed on: the entries by calendar, in the order in which they are written."""

    calendars: dict[int, str]
    entries: dict[int, list[int]]
    whole: bool

    @property
    def count(self) -> int:
        return sum(len(ids) for ids in self.entries.values())


def demand_calendar(connection: Connection, calendar: int | None) -> None:
    """Raises:
    CannotApply: if a calendar is meant that is not there.
    """
    if (
        calendar is not None
        and not connection.exec_driver_sql("SELECT 1 FROM calendar WHERE id = ?", (calendar,)).first()
    ):
        raise CannotApply("There is no such calendar any more.")


def gather(connection: Connection, ledger: Ledger, selection: Selection | None, calendar: int | None = None) -> Handout:
    """The entries of a selection, or of a whole calendar, grouped by calendar."""
    entries: dict[int, list[int]] = {}
    if calendar is not None:
        rows = connection.exec_driver_sql(
            "SELECT id, calendar_id FROM entry WHERE calendar_id = ? AND listed ORDER BY id", (calendar,)
        ).fetchall()
        entries[calendar] = [row[0] for row in rows]
    else:
        ids = sorted(ledger.ids(connection, selection or Selection()))
        for chunk in chunks(ids):
            for i, owner in connection.exec_driver_sql(
                f"SELECT id, calendar_id FROM entry WHERE id IN ({bound(len(chunk))}) ORDER BY id", tuple(chunk)
            ):
                entries.setdefault(owner, []).append(i)
    names = connection.exec_driver_sql("SELECT id, name FROM calendar")
    return Handout({i: name for i, name in names if i in entries}, entries, calendar is not None)


def texts(connection: Connection, ids: Iterable[int]) -> Iterator[str]:
    """Entry texts in the order of ascending ids, without holding them all."""
    for chunk in chunks(ids, _TEXTS):
        rows = connection.exec_driver_sql(
            f"SELECT text FROM version_text WHERE id IN ({bound(len(chunk))}) ORDER BY id", tuple(chunk)
        ).fetchall()
        yield from (row[0] for row in rows)


def write_ics(connection: Connection, handout: Handout) -> Iterator[bytes]:
    """One iCalendar file. Entries of several calendars go under a header of their own."""
    owners = list(handout.entries)
    header = (
        _header(connection, owners[0]) if len(owners) == 1 else new_header(" and ".join(handout.calendars.values()))
    )
    ids = sorted(i for group in handout.entries.values() for i in group)
    yield from write_calendar(header, _zones(connection, owners, ids, handout.whole), texts(connection, ids))


def write_zip(connection: Connection, handout: Handout) -> Iterator[bytes]:
    """A zip with one file per calendar, written as it goes."""
    sink = _Sink()
    used: set[str] = set()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as packed:  # type: ignore[call-overload]
        for owner, ids in handout.entries.items():
            one = Handout({owner: handout.calendars[owner]}, {owner: ids}, handout.whole)
            with packed.open(_unused(file_name(handout.calendars[owner], "ics"), used), "w") as member:
                for piece in write_ics(connection, one):
                    member.write(piece)
                    yield sink.take()
    yield sink.take()


def write_csv(connection: Connection, handout: Handout, zone: str = "") -> Iterator[bytes]:
    """A spreadsheet, one row an entry, in order of start."""
    owner = {i: name for c, name in handout.calendars.items() for i in handout.entries[c]}

    zones = {name: zones_of(connection, c) for c, name in handout.calendars.items()}

    def rows() -> Iterator[Row]:
        ordered: list[tuple[int, int]] = []
        for chunk in chunks(owner):
            ordered += [
                (row[0] or 0, row[1])
                for row in connection.exec_driver_sql(
                    f"SELECT start, id FROM entry WHERE id IN ({bound(len(chunk))})", tuple(chunk)
                )
            ]
        for chunk in chunks(i for _, i in sorted(ordered)):
            found = {
                row[0]: row
                for row in connection.exec_driver_sql(
                    "SELECT v.id, v.component, t.text FROM version v JOIN version_text t ON t.id = v.id"
                    f" WHERE v.id IN ({bound(len(chunk))})",
                    tuple(chunk),
                )
            }
            yield from (Row(owner[i], found[i][1], found[i][2], zones[owner[i]]) for i in chunk)

    yield from write_sheet(rows(), zone)


def write(
    store: Store, ledger: Ledger, selection: Selection | None, calendar: int | None, form: Format, zone: str
) -> Iterator[bytes]:
    """The file in pieces, from one consistent state of the store."""
    with store.read() as connection:
        handout = gather(connection, ledger, selection, calendar)
        if form == "csv":
            yield from write_csv(connection, handout, zone)
        elif form == "zip":
            yield from write_zip(connection, handout)
        elif handout.entries:
            yield from write_ics(connection, handout)


def cautions(connection: Connection, handout: Handout) -> list[str]:
    """What a person should know before handing these entries on."""
    counts = {"not-a-content-line": 0, "no-uid": 0, "unplaced": 0, "unresolved": 0}
    for chunk in chunks(i for ids in handout.entries.values() for i in ids):
        holders, values = bound(len(chunk)), tuple(chunk)
        row = connection.exec_driver_sql(
            f"SELECT coalesce(sum((marks & {Mark.UNPLACED}) <> 0 AND component = 'VEVENT'), 0),"
            f" coalesce(sum((marks & {Mark.UNRESOLVED_ZONE}) <> 0), 0) FROM entry WHERE id IN ({holders})",
            values,
        ).one()
        counts["unplaced"] += row[0]
        counts["unresolved"] += row[1]
        for code, count in connection.exec_driver_sql(
            "SELECT code, count(DISTINCT version_id) FROM problem WHERE code IN ('not-a-content-line', 'no-uid')"
            f" AND version_id IN ({holders}) GROUP BY 1",
            values,
        ):
            counts[code] += count
    said = {
        "unplaced": "{} handed on without a start; other programs may leave them out.",
        "no-uid": "{} handed on without a UID; other programs may refuse them.",
        "not-a-content-line": "{} handed on with lines that are not iCalendar; other programs may refuse them.",
        "unresolved": "{} handed on in time zones nobody knows; other programs may show another hour.",
    }
    return [
        text.format(f"{counts[key]:,} {'entry is' if counts[key] == 1 else 'entries are'}")
        for key, text in said.items()
        if counts[key]
    ]


def _header(connection: Connection, calendar: int) -> str:
    text = connection.exec_driver_sql(
        "SELECT t.text FROM entry e JOIN version_text t ON t.id = e.id"
        " WHERE e.calendar_id = ? AND e.component = 'VCALENDAR' LIMIT 1",
        (calendar,),
    ).scalar()
    if text:
        return str(text)
    name = connection.exec_driver_sql("SELECT name FROM calendar WHERE id = ?", (calendar,)).scalar_one()
    return new_header(str(name))


def _zones(connection: Connection, calendars: list[int], ids: list[int], whole: bool) -> list[str]:
    """The definitions that go along: the original ones, and made ones for names that have none."""
    used: set[str] = set()
    first: int | None = None
    last: int | None = None
    for chunk in chunks(ids):
        for tzids, low, high in connection.exec_driver_sql(
            f"SELECT tzids, min(start_wall), max(max(start_wall, coalesce(until_wall, {ENDLESS})))"
            f" FROM entry WHERE tzids <> '' AND id IN ({bound(len(chunk))}) GROUP BY tzids",
            tuple(chunk),
        ):
            used.update(tzids.split("\x1f"))
            if low is not None:
                first = low if first is None else min(first, low)
                last = high if last is None else max(last, high)
    defined: dict[str, str] = {}
    for tzid, text in connection.exec_driver_sql(
        "SELECT e.uid, t.text FROM entry e JOIN version_text t ON t.id = e.id WHERE e.component = 'VTIMEZONE'"
        f" AND e.calendar_id IN ({bound(len(calendars))}) ORDER BY e.id",
        tuple(calendars),
    ):
        if whole or tzid in used:
            defined.setdefault(tzid, text)
    return [*defined.values(), *missing_definitions(used - {"UTC"}, defined, first or 0, last or 0)]


class _Sink:
    """Where a zip is written to in order to be sent on at once."""

    def __init__(self) -> None:
        self._pieces: list[bytes] = []

    def write(self, piece: bytes) -> int:
        self._pieces.append(bytes(piece))
        return len(piece)

    def flush(self) -> None:
        """Nothing is held back."""

    def take(self) -> bytes:
        taken = b"".join(self._pieces)
        self._pieces.clear()
        return taken


def file_name(name: str, ending: str) -> str:
    """A name any file system takes."""
    plain = re.sub(r"[^\w.-]+", "-", name).strip("-.")[:80] or "calendar"
    return f"{plain}.{ending}"


def _unused(name: str, used: set[str]) -> str:
    stem, dot, ending = name.rpartition(".")
    number, candidate = 1, name
    while candidate.lower() in used:
        number += 1
        candidate = f"{stem}-{number}{dot}{ending}"
    used.add(candidate.lower())
    return candidate
