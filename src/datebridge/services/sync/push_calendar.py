"""Carrying what was done to a calendar itself: made, renamed, recoloured, deleted."""

from __future__ import annotations

import uuid
from urllib.parse import quote, urljoin

from datebridge.connect import dav
from datebridge.connect.errors import Unreachable
from datebridge.core.text.headers import Description, description_of
from datebridge.core.text.writer import write_calendar
from datebridge.core.zones.definition import define
from datebridge.services.accounts.connecting import Line
from datebridge.store.database import Store, now, this_day
from datebridge.store.entries.versions import text_of
from datebridge.store.remotes import PENDING
from datebridge.store.tables import Remote

_NAME = (dav.DAV, "displayname")
_TEXT = (dav.CAL, "calendar-description")
_ZONE = (dav.CAL, "calendar-timezone")


def carry_calendar(store: Store, line: Line, row: Remote) -> bool:
    """Carry a change of the calendar itself, if one waits; False where its entries cannot follow.

    Raises:
        Unreachable: if the server cannot be reached.
    """
    with store.read() as connection:
        waits = connection.exec_driver_sql(
            f"SELECT count(*) FROM carriage WHERE remote_id = ? AND kind = 'calendar' AND state IN {PENDING}", (row.id,)
        ).scalar_one()
        header = connection.exec_driver_sql(
            "SELECT id FROM entry WHERE calendar_id = ? AND component = 'VCALENDAR'", (row.calendar_id,)
        ).scalar()
        said = description_of(text_of(connection, header)) if header is not None else None
    if not waits:  # a calendar that is gone here and not there yet waits for a decision
        return bool(row.url) and said is not None
    if said is None:
        return _delete(store, line, row)
    if not row.url:
        return _make(store, line, row, said)
    values = _values(row, said)
    if values:
        answer = line.server.set_properties(row.url, values)
        if answer.status not in (200, 207):
            _end(store, row, "refused", f"{line.account.name}: {_words(answer.body, answer.status)}")
            return True
    _end(store, row, "carried")
    with store.write() as connection:
        connection.exec_driver_sql(
            "UPDATE remote SET name = ?, colour = ?, description = ?, zone = ? WHERE id = ?",
            (said.name, said.tint if said.tint.startswith("#") else row.colour, said.text, said.zone, row.id),
        )
    return True


def _values(row: Remote, said: Description) -> dict[tuple[str, str], str]:
    """The properties that differ from what the server is known to have."""
    values: dict[tuple[str, str], str] = {}
    if said.name != row.name:
        values[_NAME] = said.name
    if said.text != row.description:
        values[_TEXT] = said.text
    if said.zone and said.zone != row.zone:
        values[_ZONE] = zone_object(said.zone)
    # Colours have no standard property: set only where the server has shown its own (see `connect.dav`).
    if said.tint.startswith("#") and said.tint != row.colour and row.colour_space:
        values[row.colour_space, "calendar-color"] = said.tint
    return values


def zone_object(zone: str) -> str:
    """A calendar-timezone value: a whole calendar with the zone's definition (RFC 4791 §5.2.2)."""
    year = this_day().year
    return b"".join(write_calendar("BEGIN:VCALENDAR\nEND:VCALENDAR", [define(zone, zone, year, year)], [])).decode()


def _make(store: Store, line: Line, row: Remote, said: Description) -> bool:
    url = _begun(store, row)
    if url and line.server.exists(url):  # it was made, and the process died before it could say so
        return _made(store, line, row, said, url)
    values = {_NAME: said.name, **({_TEXT: said.text} if said.text else {})}
    url = _free(line, said.name)
    with store.write() as connection:  # so that it is not made twice
        connection.exec_driver_sql(
            "UPDATE carriage SET state = 'sending', theirs = ? WHERE remote_id = ? AND kind = 'calendar'"
            f" AND state IN {PENDING}",
            (url, row.id),
        )
    answer = line.server.make_calendar(url, values)
    if answer.status in (200, 201):
        return _made(store, line, row, said, url)
    _end(store, row, "refused", f"{line.account.name} does not make a calendar: {_words(answer.body, answer.status)}")
    return False


def _begun(store: Store, row: Remote) -> str:
    """Where the calendar was going to be made when that was begun; "" if it was not."""
    with store.read() as connection:
        found = connection.exec_driver_sql(
            "SELECT theirs FROM carriage WHERE remote_id = ? AND kind = 'calendar' AND state = 'sending'"
            " AND theirs <> ''",
            (row.id,),
        ).scalar()
    return str(found or "")


def _free(line: Line, name: str) -> str:
    """An address in the account's home where nothing is yet, as much as possible like the calendar's name."""
    slug = quote("".join(c if c.isalnum() else "-" for c in name.lower()).strip("-") or "calendar", safe="")
    home = line.account.home
    url = urljoin(home, f"{home.rstrip('/')}/{slug}/")
    return urljoin(home, f"{home.rstrip('/')}/{slug}-{uuid.uuid4().hex[:6]}/") if line.server.exists(url) else url


def _made(store: Store, line: Line, row: Remote, said: Description, url: str) -> bool:
    """Note where a new calendar is, and give it what cannot be said at its making. It is refreshed from now on."""
    state = line.server.state(url)
    row.url, row.name, row.colour = url, state.name, state.colour
    row.colour_space, row.description = state.colour_space, state.description
    late = {key: value for key, value in _values(row, said).items() if key not in (_NAME, _TEXT)}
    if late:
        line.server.set_properties(url, late)
    with store.write() as connection:
        connection.exec_driver_sql(
            "UPDATE remote SET url = ?, name = ?, colour = ?, colour_space = ?, description = ?, syncs = ?,"
            " owner = ?, next_at = ? WHERE id = ?",
            (url, state.name, state.colour, state.colour_space, state.description, state.syncs,
             line.account.user, now(), row.id),
        )  # fmt: skip
    _end(store, row, "carried")
    return True


def _delete(store: Store, line: Line, row: Remote) -> bool:
    """Delete a calendar there, unless something changed in it that is not known here."""
    if row.url:
        try:
            state = line.server.state(row.url)
            same = state.token == row.token if row.token else state.tag == row.tag
            if not same and not _only_own(line, row, store):
                why = "Entries were changed there meanwhile. Take it back, refresh, and decide again."
                _end(store, row, "collided", why)
                return False
            answer = line.web.request("DELETE", row.url)
            if answer.status not in (200, 204, 404, 410):
                _end(store, row, "refused", f"{line.account.name}: {_words(answer.body, answer.status)}")
                return False
        except Unreachable as error:
            if error.trouble != "missing":  # if it is, it was deleted there before
                raise
    with store.write() as connection:
        connection.exec_driver_sql("DELETE FROM resource WHERE remote_id = ?", (row.id,))
        connection.exec_driver_sql(
            "UPDATE remote SET url = '', tag = '', token = '', next_at = NULL WHERE id = ?", (row.id,)
        )
        connection.exec_driver_sql(
            f"UPDATE carriage SET state = 'carried', theirs = '' WHERE remote_id = ? AND state IN {PENDING}", (row.id,)
        )
    return False


def _only_own(line: Line, row: Remote, store: Store) -> bool:
    """Whether everything that is there is in the very state that is known here."""
    with store.read() as connection:
        rows = connection.exec_driver_sql("SELECT href, etag FROM resource WHERE remote_id = ?", (row.id,))
        known = {row[0]: row[1] for row in rows}
    return line.server.etags(row.url) == known


def hold_entries(store: Store, remote: int) -> None:
    """Entries cannot be carried until it is decided what becomes of their calendar."""
    with store.write() as connection:
        connection.exec_driver_sql(
            "UPDATE carriage SET state = 'refused', message = 'It waits for a decision about its calendar.'"
            f" WHERE remote_id = ? AND kind = 'entry' AND state IN {PENDING}",
            (remote,),
        )


def _end(store: Store, row: Remote, state: str, message: str = "") -> None:
    with store.write() as connection:
        connection.exec_driver_sql(
            "UPDATE carriage SET state = ?, message = ?, theirs = '' WHERE remote_id = ? AND kind = 'calendar'"
            f" AND state IN {PENDING}",
            (state, message, row.id),
        )
        if state == "carried":
            connection.exec_driver_sql(
                "UPDATE carriage SET state = 'dropped', message = 'A later batch was carried.' WHERE remote_id = ?"
                " AND kind = 'calendar' AND state IN ('refused', 'collided')",
                (row.id,),
            )


def _words(body: bytes, status: int) -> str:
    name, words = dav.condition(body)
    return f"{words or name or 'it gives no reason'} ({status})"
