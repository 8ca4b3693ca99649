"""Exporting: a selection or a calendar as iCalendar (one file, or a zip with one per calendar) or as CSV."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from datebridge.core.attachments import inline_files
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.language.filters import Selection
from datebridge.core.language.plural import counted
from datebridge.core.objects import missing_definitions
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.core.views.sheet import Row, write_sheet, write_table
from datebridge.store.calendars import header_of, is_there, names
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.database import Connection, Store
from datebridge.store.entries import leaving
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.zones import zones_of

Format = Literal["ics", "zip", "csv", "tsv", "files"]
#: How the file of a format ends, where it is not by its name.
ENDINGS: dict[Format, str] = {"files": "zip"}


@dataclass(frozen=True, slots=True)
class Export:
    """What is exported: the entries by calendar, in the order in which they are written."""

    calendars: dict[CalendarId, str]
    entries: dict[CalendarId, list[VersionId]]
    whole: bool

    @property
    def count(self) -> int:
        return sum(len(ids) for ids in self.entries.values())

    @property
    def ids(self) -> list[VersionId]:
        """All of them, in the order in which they came."""
        return sorted(i for group in self.entries.values() for i in group)


def demand_calendar(connection: Connection, calendar: CalendarId | None) -> None:
    """Raises:
    CannotApply: if a calendar is meant that is not there.
    """
    if calendar is not None and not is_there(connection, calendar):
        raise CannotApply("This calendar no longer exists.")


def gather(
    connection: Connection, ledger: Ledger, selection: Selection | None, calendar: CalendarId | None = None
) -> Export:
    """The entries of a selection, or of a whole calendar, grouped by calendar."""
    if calendar is not None:
        entries = {calendar: leaving.listed_of(connection, calendar)}
    else:
        entries = leaving.by_calendar(connection, ledger.ids(connection, selection or Selection()))
    calendar_names = names(connection)
    return Export({i: calendar_names[i] for i in entries if i in calendar_names}, entries, calendar is not None)


def write_ics(connection: Connection, export: Export) -> Iterator[bytes]:
    """One iCalendar file. Entries of several calendars go under a header of their own."""
    owners = list(export.entries)
    header = (
        header_for(connection, owners[0]) if len(owners) == 1 else new_header(" and ".join(export.calendars.values()))
    )
    ids = export.ids
    yield from write_calendar(header, zones_for(connection, owners, ids, export.whole), leaving.texts(connection, ids))


def write_zip(connection: Connection, export: Export) -> Iterator[bytes]:
    """A zip with one file per calendar, written as it goes."""
    sink = _Sink()
    used: set[str] = set()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as packed:  # type: ignore[call-overload]
        for owner, ids in export.entries.items():
            one = Export({owner: export.calendars[owner]}, {owner: ids}, export.whole)
            with packed.open(_unused(file_name(export.calendars[owner], "ics"), used), "w") as member:
                for piece in write_ics(connection, one):
                    member.write(piece)
                    yield sink.take()
    yield sink.take()


def write_files(connection: Connection, export: Export) -> Iterator[bytes]:
    """A zip with what is attached within entries, each file once, named as links to it are (`LinkAttachments`)."""
    sink = _Sink()
    used: set[str] = set()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as packed:  # type: ignore[call-overload]
        for text in leaving.texts(connection, export.ids):
            for file in inline_files(text) if "ATTACH" in text else ():
                if file.name not in used:
                    used.add(file.name)
                    packed.writestr(file.name, file.data)
                    yield sink.take()
    yield sink.take()


def write_csv(connection: Connection, export: Export, zone: str = "", table: bool = False) -> Iterator[bytes]:
    """A spreadsheet, one row an entry, in order of start; or the same for the clipboard, as a table."""
    owner = {i: name for c, name in export.calendars.items() for i in export.entries[c]}

    zones = {name: zones_of(connection, c) for c, name in export.calendars.items()}

    def rows() -> Iterator[Row]:
        for version in leaving.in_order_of_start(connection, owner):
            yield Row(owner[version.id], version.component, version.text, zones[owner[version.id]])

    yield from (write_table if table else write_sheet)(rows(), zone)


def write(
    store: Store, ledger: Ledger, selection: Selection | None, calendar: CalendarId | None, form: Format, zone: str
) -> Iterator[bytes]:
    """The file in pieces, from one consistent state of the store."""
    with store.read() as connection:
        export = gather(connection, ledger, selection, calendar)
        if form in ("csv", "tsv"):
            yield from write_csv(connection, export, zone, table=form == "tsv")
        elif form == "zip":
            yield from write_zip(connection, export)
        elif form == "files":
            yield from write_files(connection, export)
        elif export.entries:
            yield from write_ics(connection, export)


def cautions(connection: Connection, export: Export) -> list[str]:
    """What a person should know before exporting these entries."""
    counts = leaving.privacy_counts(connection, export.ids)
    sentences = {
        "unplaced": "{} exported without a start; other programs may leave them out.",
        "no-uid": "{} exported without a UID; other programs may refuse them.",
        "not-a-content-line": "{} exported with lines that are not iCalendar; other programs may refuse them.",
        "unresolved": "{} exported in unknown time zones; other programs may show another hour.",
    }
    return [
        text.format(counted(counts[key], "entry is", "entries are"))
        for key, text in sentences.items()
        if counts.get(key)
    ]


def header_for(connection: Connection, calendar: CalendarId) -> str:
    """What a calendar says of itself, in a file of its own."""
    header = header_of(connection, calendar)
    return header[1] if header is not None and header[1] else new_header(names(connection)[calendar])


def zones_for(connection: Connection, calendars: list[CalendarId], ids: list[VersionId], whole: bool) -> list[str]:
    """The definitions that go along: the original ones, and made ones for names that have none."""
    used = leaving.zones_used(connection, ids)
    defined: dict[str, str] = {}
    rulings: dict[str, str] = {}
    for calendar in calendars:
        own = zones_of(connection, calendar)
        rulings |= own.rulings
        for tzid, text in own.items():
            if whole or tzid in used.tzids:
                defined.setdefault(tzid, text)
    return [*defined.values(), *missing_definitions(used.tzids - {"UTC"}, defined, used.first, used.last, rulings)]


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
