"""Calendars themselves: made, described, deleted; each by a change set, like everything else."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Connection

from datebridge.core.text.headers import Description, described, is_tint
from datebridge.services.look.details import is_zone
from datebridge.store.changesets.logbook import (
    CannotApply,
    Proposal,
    StoredChange,
    add_changes,
    add_deletions,
    close_set,
    open_set,
)
from datebridge.store.database import Store, now
from datebridge.store.entries.versions import add_text, text_of

#: As many places as the palette has.
COLOURS = 12


def add_calendar_row(connection: Connection, name: str, source: str) -> int:
    """A row for a calendar that comes to life with its first entry or header."""
    return int(
        connection.exec_driver_sql(
            "INSERT INTO calendar (name, colour, live, source, taken_at)"
            f" SELECT ?, count(*) % {COLOURS}, 0, ?, ? FROM calendar RETURNING id",
            (name, source, now()),
        ).scalar_one()
    )


def fresh_calendar(
    connection: Connection, name: str, account_id: int | None, wanted: Description | None = None
) -> tuple[int, StoredChange]:
    """A new calendar, here or (to be made when the set is carried) on an account; with the change that makes it.

    Raises:
        CannotApply: if it has no name, one that is taken, or the account cannot take calendars.
    """
    name = name.strip()
    if not name:
        raise CannotApply("A calendar needs a name.")
    taken = connection.exec_driver_sql(
        "SELECT 1 FROM calendar k LEFT JOIN remote r ON r.calendar_id = k.id WHERE k.live AND lower(k.name) = lower(?)"
        " AND r.account_id IS ?",
        (name, account_id),
    ).first()
    if taken:
        raise CannotApply(f"There is a calendar called “{name}” already. Choose another name.")
    calendar = add_calendar_row(connection, name, "made here")
    if account_id is not None:
        kind = connection.exec_driver_sql("SELECT kind FROM account WHERE id = ? AND NOT gone", (account_id,)).scalar()
        if kind != "server":
            raise CannotApply("Calendars can only be made on a server.")
        connection.exec_driver_sql(
            "INSERT INTO remote (account_id, calendar_id, url, name, colour, colour_space, description, zone, owner,"
            " owned, writable, components, position, endless, syncs, tag, token, etag, modified, every,"
            " published_every, outcome, trouble, failures, held_digest)"
            " VALUES (?, ?, '', ?, '', '', '', '', '', 1, 1, '', 999, 0, 0, '', '', '', '', 0, 0, '', '', 0, '')",
            (account_id, calendar, name),
        )
    header = described("", wanted or Description(name))
    return calendar, StoredChange(calendar, "", "", None, add_text(connection, "VCALENDAR", header), "A new calendar.")


def propose_new(store: Store, account_id: int | None, wanted: Description) -> int:
    """Propose a new, empty calendar.

    Raises:
        CannotApply: see `fresh_calendar`; or if colour or zone are none.
    """
    _check(wanted)
    with store.write() as connection:
        set_id = open_set(connection, Proposal(f"New calendar: {wanted.name}", "calendar"))
        _, change = fresh_calendar(connection, wanted.name, account_id, wanted)
        add_changes(connection, set_id, [change])
        close_set(connection, set_id)
    return set_id


def propose_description(store: Store, calendar_id: int, wanted: Description) -> int:
    """Propose another name, colour, zone or description for a calendar.

    Raises:
        CannotApply: if there is nothing to change, no such calendar, or a value is none.
    """
    _check(wanted)
    with store.write() as connection:
        row = _row(connection, calendar_id)
        before = text_of(connection, row.header) if row.header is not None else ""
        after = described(before, wanted)
        if after == before:
            raise CannotApply("Nothing would change.")
        title = f"Rename {row.name} to {wanted.name}" if wanted.name != row.name else f"Describe {row.name} anew"
        set_id = open_set(connection, Proposal(title, "calendar", "Name, colour, zone or description."))
        version = add_text(connection, "VCALENDAR", after)
        add_changes(connection, set_id, [StoredChange(calendar_id, "", "", row.header, version)])
        close_set(connection, set_id)
    return set_id


def propose_deletion(store: Store, calendar_id: int) -> int:
    """Propose deleting a calendar with everything in it.

    Raises:
        CannotApply: if it can only be read, or is not one's own to delete.
    """
    with store.write() as connection:
        row = _row(connection, calendar_id)
        if not row.writable:
            raise CannotApply(f"{row.name} can only be read. Switch it off instead.")
        if row.owned == 0:
            raise CannotApply(f"{row.name} belongs to {row.owner or 'somebody else'}. Only its owner may delete it.")
        where = f" on {row.account}" if row.account else ""
        noun = "entry" if row.entries == 1 else "entries"
        title = f"Delete {row.name}{where} with {row.entries:,} {noun}"
        set_id = open_set(connection, Proposal(title, "calendar-gone", "The calendar with everything in it."))
        ids = connection.exec_driver_sql("SELECT id FROM entry WHERE calendar_id = ?", (calendar_id,)).fetchall()
        add_deletions(connection, set_id, [i for (i,) in ids], "Goes with its calendar.")
        close_set(connection, set_id)
    return set_id


@dataclass(frozen=True, slots=True)
class _Row:
    name: str
    writable: bool
    header: int | None
    entries: int
    owned: int | None
    owner: str
    account: str


def _row(connection: Connection, calendar_id: int) -> _Row:
    row = connection.exec_driver_sql(
        "SELECT k.name, k.writable, (SELECT id FROM entry WHERE calendar_id = k.id AND component = 'VCALENDAR'),"
        " (SELECT count(*) FROM entry WHERE calendar_id = k.id AND listed), r.owned, coalesce(r.owner, ''),"
        " coalesce(a.name, '') FROM calendar k LEFT JOIN remote r ON r.calendar_id = k.id LEFT JOIN account a"
        " ON a.id = r.account_id WHERE k.id = ? AND k.live",
        (calendar_id,),
    ).one_or_none()
    if row is None:
        raise CannotApply("There is no such calendar any more.")
    return _Row(*row)


def _check(wanted: Description) -> None:
    if not wanted.name.strip():
        raise CannotApply("A calendar needs a name.")
    if wanted.tint and not is_tint(wanted.tint):
        raise CannotApply(f"“{wanted.tint}” is no colour. Write it as #rrggbb.")
    if wanted.zone and not is_zone(wanted.zone):
        raise CannotApply(f"“{wanted.zone}” is not a time zone.")
