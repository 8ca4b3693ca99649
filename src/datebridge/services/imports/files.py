"""Files as they wait for a decision: proposed names, turning away."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from datebridge.core.ids import CalendarId, FileId
from datebridge.services.imports.decide import Decision
from datebridge.services.imports.uploads import forget_upload
from datebridge.settings import Settings
from datebridge.store import calendars, imports
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.database import Connection, Store
from datebridge.store.imports import Here


def suggested_name(taken: Iterable[str], name: str, file_name: str) -> str:
    """A name for a fresh calendar that no other has: the stated one, else the file's, else numbered.

    >>> suggested_name(["Tides"], "Tides", "tides.ics"), suggested_name([], "", "berths.ics")
    ('tides 2', 'berths')

    Args:
        taken: the names there are, also those given at the same time.
    """
    stem = file_name.rsplit(".", 1)[0] or file_name
    names = {given.lower() for given in taken}
    for candidate in (name, stem):
        if candidate and candidate.lower() not in names:
            return candidate
    number = 2
    while f"{stem} {number}".lower() in names:
        number += 1
    return f"{stem} {number}"


def joined_decisions(
    connection: Connection, files: list[FileId], calendar: CalendarId | None, name: str
) -> list[Decision]:
    """All parts of the given files into one calendar: one there is, or a fresh one."""
    wanted = name.strip() or "Imported"
    called = suggested_name(calendars.names(connection, live=True).values(), wanted, wanted)
    return [
        Decision(group.id, calendar, "" if calendar else called, joined=calendar is None)
        for number in files
        for group in imports.groups_of(connection, number)
    ]


def fresh_decisions(connection: Connection, files: list[FileId]) -> list[Decision]:
    """Each part of the given files into a fresh calendar of its own."""
    taken = list(calendars.names(connection, live=True).values())
    decisions: list[Decision] = []
    for number in files:
        for group in imports.groups_of(connection, number):
            name = suggested_name(taken, group.name, group.file_name)
            decisions.append(Decision(group.id, None, name))
            taken.append(name)
    return decisions


def turn_away(store: Store, settings: Settings, file: FileId) -> None:
    """Forget a file that was not imported.

    Raises:
        CannotApply: if it was imported, or is being read.
    """
    with store.write() as connection:
        row = imports.one(connection, file)
        if row is None:
            raise CannotApply("This file no longer exists.")
        if row.state in ("taken", "reading", "queued"):
            state = "imported" if row.state == "taken" else row.state
            raise CannotApply(f"{row.name} is {state}, so it cannot be discarded.")
        imports.forget(connection, file)
    forget_upload(settings, row.path)


class Suggested(NamedTuple):
    """What is usual for a part of a file, by what of it is here already.

    Attributes:
        suggested_calendar: the calendar it is another version of; None for a fresh one.
        all_here: all of it stands, identical, in calendars that can only be read: there is nothing to do.
    """

    suggested_calendar: CalendarId | None
    all_here: bool


def suggested(here: Iterable[Here], summary: Mapping[str, Any]) -> Suggested:
    """Where a part of a file goes unless told otherwise: into the calendar that has half of it or more."""
    entries = sum(int(summary.get(kind, 0)) for kind in ("events", "todos", "journals", "others"))
    copies = sorted(here, key=lambda there: there.identical + there.newer + there.older + there.different, reverse=True)
    for there in copies:
        if there.writable and 2 * (there.identical + there.newer + there.older + there.different) >= entries > 0:
            return Suggested(there.calendar_id, False)
    return Suggested(None, any(there.identical >= entries > 0 for there in copies))
