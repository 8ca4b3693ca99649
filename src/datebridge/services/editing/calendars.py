"""Calendars themselves: made, described, deleted; each by a change set, like everything else."""

from __future__ import annotations

from datebridge.core.changes import PERSON, By, Change, Kind
from datebridge.core.ids import AccountId, CalendarId, SetId
from datebridge.core.language.plural import counted
from datebridge.core.text.headers import Description, described, is_css_colour
from datebridge.services.look.details import is_zone
from datebridge.store import accounts
from datebridge.store.calendars import (
    CalendarFacts,
    add_calendar,
    add_to_account,
    facts_of,
    header_of,
)
from datebridge.store.changesets.draft import CannotApply, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.present import entries_of
from datebridge.store.entries.versions import VersionWriter


def fresh_calendar(
    writer: VersionWriter, name: str, account_id: AccountId | None, wanted: Description | None = None
) -> tuple[CalendarId, Change]:
    """A new calendar, here or (to be made when the set is pushed) on an account; with the change that makes it.

    Raises:
        CannotApply: if it has no name, one that is taken, or the account cannot take calendars.
    """
    connection, name = writer.connection, name.strip()
    if not name:
        raise CannotApply("A calendar needs a name.")
    if accounts.calendar_named(connection, name, account_id) is not None:
        raise CannotApply(f"There is a calendar named “{name}” already. Choose another name.")
    if account_id is not None and not accounts.takes_changes(connection, account_id):
        raise CannotApply("Calendars can only be made on a server.")
    if account_id is not None and accounts.off_named(connection, name, account_id) is not None:
        raise CannotApply(
            f"There is a calendar named “{name}” on this account already, and it is switched off. Switch it on in"
            " Connect, or choose another name."
        )
    calendar = add_calendar(connection, name, "made here")
    if account_id is not None:
        add_to_account(connection, calendar, account_id, name)
    version = writer.add_text("VCALENDAR", described("", wanted or Description(name)))
    return calendar, Change(calendar, "VCALENDAR", "", "", None, version, "A new calendar.")


def propose_new(store: Store, account_id: AccountId | None, wanted: Description, by: By = PERSON) -> SetId:
    """Propose a new, empty calendar.

    Raises:
        CannotApply: see `fresh_calendar`; or if colour or zone are none.
    """
    _check(wanted)
    with propose(store, Kind.CALENDAR, by, f"New calendar: {wanted.name}") as draft:
        with draft.stage() as writer:
            _, change = fresh_calendar(writer, wanted.name, account_id, wanted)
        draft.add(change)
    return draft.id


def propose_description(store: Store, calendar_id: CalendarId, wanted: Description, by: By = PERSON) -> SetId:
    """Propose another name, colour, zone or description for a calendar.

    Raises:
        CannotApply: if there is nothing to change, no such calendar, or a value is none.
    """
    _check(wanted)
    with store.read() as connection:
        row = _demand(connection, calendar_id)
        before, text = header_of(connection, calendar_id) or (None, "")
    after = described(text, wanted)
    title = (
        f"Rename {row.name} to {wanted.name}"
        if wanted.name != row.name
        else f"Change the properties of {row.name} again"
    )
    with propose(store, Kind.CALENDAR, by, title, "Name, colour, zone or description.") as draft:
        if after != text:
            with draft.stage() as writer:
                version = writer.add_text("VCALENDAR", after)
            draft.add(Change(calendar_id, "VCALENDAR", "", "", before, version))
    return draft.id


def propose_deletion(store: Store, calendar_id: CalendarId, by: By = PERSON) -> SetId:
    """Propose deleting a calendar with everything in it.

    Raises:
        CannotApply: if it can only be read, or is not one's own to delete.
    """
    with store.read() as connection:
        row = _demand(connection, calendar_id)
        ids = entries_of(connection, calendar_id)
    if not row.writable:
        raise CannotApply(f"{row.name} is read-only. Switch it off instead.")
    if row.owned is False:
        raise CannotApply(f"{row.name} belongs to {row.owner or 'somebody else'}. Only its owner may delete it.")
    where = f" on {row.account}" if row.account else ""
    title = f"Delete {row.name}{where} with {counted(row.entries, 'entry', 'entries')}"
    with propose(store, Kind.CALENDAR_GONE, by, title, "The calendar and all its entries.") as draft:
        draft.delete(ids, "Deleted with its calendar.")
    return draft.id


def _demand(connection: Connection, calendar_id: CalendarId) -> CalendarFacts:
    row = facts_of(connection, calendar_id)
    if row is None or not row.live:
        raise CannotApply("This calendar no longer exists.")
    return row


def _check(wanted: Description) -> None:
    if not wanted.name.strip():
        raise CannotApply("A calendar needs a name.")
    if wanted.own_colour and not is_css_colour(wanted.own_colour):
        raise CannotApply(f"“{wanted.own_colour}” is not a colour. Write it as #rrggbb.")
    if wanted.zone and not is_zone(wanted.zone):
        raise CannotApply(f"“{wanted.zone}” is not a time zone.")
