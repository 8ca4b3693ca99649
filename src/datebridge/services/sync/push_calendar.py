"""Pushing what was done to a calendar itself: made, renamed, recoloured, deleted."""

from __future__ import annotations

import uuid
from urllib.parse import quote, urljoin

from datebridge.clock import now, this_day
from datebridge.connect import dav
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer
from datebridge.core.ids import RemoteId
from datebridge.core.text.headers import Description, description_of
from datebridge.core.text.writer import write_calendar
from datebridge.core.zones.definition import define
from datebridge.services.accounts.connecting import AccountConnection
from datebridge.store.accounts import switched_on
from datebridge.store.calendars import header_of
from datebridge.store.database import Store
from datebridge.store.pushes import PENDING, PushState, is_calendar_waiting, mark, past_deciding, planned_url
from datebridge.store.remotes import forget_objects, known_objects, note
from datebridge.store.tables import Remote

_NAME = (dav.DAV, "displayname")
_TEXT = (dav.CAL, "calendar-description")
_ZONE = (dav.CAL, "calendar-timezone")


def push_calendar(store: Store, line: AccountConnection, row: Remote) -> bool:
    """Push a change of the calendar itself, if one waits; False where its entries cannot follow.

    Raises:
        Unreachable: if the server cannot be reached.
    """
    remote, calendar = switched_on(row)
    with store.read() as connection:
        waits = is_calendar_waiting(connection, remote)
        header = header_of(connection, calendar)
    description = description_of(header[1]) if header is not None else None
    if not waits:  # a deleted calendar here and not there yet waits for a decision
        return bool(row.url) and description is not None
    if description is None:
        return _delete(store, line, row)
    if not row.url:
        return _make(store, line, row, description)
    values = _values(row, description)
    if values:
        answer = line.server.set_properties(row.url, values)
        why = _not_set(answer, line.account.name)
        if why:
            _end(store, remote, PushState.REFUSED, why)
            return True
    _end(store, remote, PushState.PUSHED)
    colour = description.own_colour if description.own_colour.startswith("#") else row.colour
    with store.write() as connection:
        note(
            connection,
            remote,
            name=description.name,
            colour=colour,
            description=description.text,
            zone=description.zone,
        )
    return True


def _not_set(answer: Answer, host: str) -> str:
    """Why a server has not set the properties it was given; "" where it has (RFC 4918 §9.2)."""
    if answer.status not in (200, 207):
        return f"{host}: {_words(answer.body, answer.status)}"
    left = dav.refused(answer.body, host) if answer.status == 207 else []
    if not left:
        return ""
    names = ", ".join(_PLAIN.get(name, name) for name, _, _ in left)
    _, code, words = left[0]
    return f"{host} does not take the {names}: {words or 'no reason given'} ({code})."


_PLAIN = {
    "displayname": "name",
    "calendar-description": "description",
    "calendar-timezone": "time zone",
    "calendar-color": "colour",
}


def _values(row: Remote, wanted: Description) -> dict[tuple[str, str], str]:
    """The properties that differ from what the server is known to have."""
    values: dict[tuple[str, str], str] = {}
    if wanted.name != row.name:
        values[_NAME] = wanted.name
    if wanted.text != row.description:
        values[_TEXT] = wanted.text
    if wanted.zone and wanted.zone != row.zone:
        values[_ZONE] = zone_object(wanted.zone)
    # Colours have no standard property: set only where the server has shown its own (see `connect.dav`).
    if wanted.own_colour.startswith("#") and wanted.own_colour != row.colour and row.colour_space:
        values[row.colour_space, "calendar-color"] = wanted.own_colour
    return values


def zone_object(zone: str) -> str:
    """A calendar-timezone value: a whole calendar with the zone's definition (RFC 4791 §5.2.2)."""
    year = this_day().year
    return b"".join(write_calendar("BEGIN:VCALENDAR\nEND:VCALENDAR", [define(zone, zone, year, year)], [])).decode()


def _make(store: Store, line: AccountConnection, row: Remote, wanted: Description) -> bool:
    remote, _ = switched_on(row)
    with store.read() as connection:
        url = planned_url(connection, remote)
    if url and line.server.exists(url):  # it was made, and the process died before it could say so
        return _made(store, line, row, wanted, url)
    values = {_NAME: wanted.name, **({_TEXT: wanted.text} if wanted.text else {})}
    url = _free(line, wanted.name)
    with store.write() as connection:  # so that it is not made twice
        mark(connection, remote, "calendar", PushState.SENDING, among_states=PENDING, theirs=url)
    answer = line.server.make_calendar(url, values)
    if answer.status in (200, 201):
        return _made(store, line, row, wanted, url)
    _end(
        store,
        remote,
        PushState.REFUSED,
        f"{line.account.name} does not make a calendar: {_words(answer.body, answer.status)}",
    )
    return False


def _free(line: AccountConnection, name: str) -> str:
    """An address in the account's home where nothing is yet, as much as possible like the calendar's name."""
    slug = quote("".join(c if c.isalnum() else "-" for c in name.lower()).strip("-") or "calendar", safe="")
    home = line.account.home
    url = urljoin(home, f"{home.rstrip('/')}/{slug}/")
    return urljoin(home, f"{home.rstrip('/')}/{slug}-{uuid.uuid4().hex[:6]}/") if line.server.exists(url) else url


def _made(store: Store, line: AccountConnection, row: Remote, wanted: Description, url: str) -> bool:
    """Note where a new calendar is, and give it what cannot be said at its making. It is refreshed from now on."""
    remote, _ = switched_on(row)
    state = line.server.state(url)
    row.url, row.name, row.colour = url, state.name, state.colour
    row.colour_space, row.description = state.colour_space, state.description
    late = {key: value for key, value in _values(row, wanted).items() if key not in (_NAME, _TEXT)}
    if late:
        line.server.set_properties(url, late)
    with store.write() as connection:
        note(
            connection,
            remote,
            url=url,
            name=state.name,
            colour=state.colour,
            colour_space=state.colour_space,
            description=state.description,
            syncs=state.syncs,
            owner=line.account.user,
            next_at=now(),
        )
    _end(store, remote, PushState.PUSHED)
    return True


def _delete(store: Store, line: AccountConnection, row: Remote) -> bool:
    """Delete a calendar there, unless something changed in it that is not known here."""
    remote, _ = switched_on(row)
    if row.url:
        try:
            state = line.server.state(row.url)
            same = state.token == row.token if row.token else state.tag == row.tag
            if not same and not _only_own(line, row, store, remote):
                why = "Entries were changed there in the meantime. Undo the batch, refresh, and decide again."
                _end(store, remote, PushState.CONFLICT, why)
                return False
            answer = line.web.request("DELETE", row.url)
            if answer.status not in (200, 204, 404, 410):
                _end(store, remote, PushState.REFUSED, f"{line.account.name}: {_words(answer.body, answer.status)}")
                return False
        except Unreachable as error:
            if error.trouble != "missing":  # if it is, it was deleted there before
                raise
    with store.write() as connection:
        forget_objects(connection, remote)
        note(connection, remote, url="", tag="", token="", next_at=None)
        for kind in ("entry", "calendar"):
            mark(connection, remote, kind, PushState.PUSHED, among_states=PENDING, theirs="")
    return False


def _only_own(line: AccountConnection, row: Remote, store: Store, remote: RemoteId) -> bool:
    """Whether everything that is there is in the very state that is known here."""
    with store.read() as connection:
        etags = {href: known_object.etag for href, known_object in known_objects(connection, remote).items()}
    return line.server.etags(row.url) == etags


def hold_entries(store: Store, remote: RemoteId) -> None:
    """Entries cannot be pushed until it is decided what becomes of their calendar."""
    message = "It waits for a decision about its calendar."
    with store.write() as connection:
        mark(connection, remote, "entry", PushState.REFUSED, message, among_states=PENDING)


def _end(store: Store, remote: RemoteId, state: PushState, message: str = "") -> None:
    with store.write() as connection:
        mark(connection, remote, "calendar", state, message, among_states=PENDING, theirs="")
        if state is PushState.PUSHED:
            past_deciding(connection, remote, "calendar")


def _words(body: bytes, status: int) -> str:
    name, words = dav.condition(body)
    return f"{words or name or 'no reason given'} ({status})"
