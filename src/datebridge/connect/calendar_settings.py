"""What a calendar says of itself beside its name, colour, description and zone.

That is its place among the others, whether its events block time, and which reminders they get by default.
"""

from __future__ import annotations

from typing import NamedTuple

from lxml import etree

from datebridge.connect import dav
from datebridge.connect.caldav import CalDavServer
from datebridge.connect.homes import FLAT

#: Whether events of a calendar count as busy (RFC 6638 §9.1).
_BLOCKING = "schedule-calendar-transp"
#: Reminders by default, of events at times and of whole days; widespread, and of no finished standard.
_REMINDERS = {"default-alarm-vevent-datetime": "of events", "default-alarm-vevent-date": "of all-day events"}
_ORDER = "calendar-order"
_WORDS = {
    _ORDER: "place in the order of calendars",
    _BLOCKING: "setting whether its events block time",
    **{name: f"default reminder {words}" for name, words in _REMINDERS.items()},
}


class CalendarSettings(NamedTuple):
    """Settings of a calendar; "" for what its server does not say.

    Attributes:
        order: its place among the others, a number; `space`: the namespace in which the server says it.
        blocking: ``opaque`` where its events block time, ``transparent`` where they do not.
        reminders: the components of reminders by default, by the name of their property.
    """

    order: str = ""
    space: str = ""
    blocking: str = ""
    reminders: tuple[tuple[str, str], ...] = ()


def settings_of(server: CalDavServer, url: str) -> CalendarSettings:
    """The settings of a calendar.

    Raises:
        Unreachable: if its server cannot be asked.
    """
    wanted = dav.propfind((f"C:{_BLOCKING}", *(f"C:{name}" for name in _REMINDERS)), everything=True)
    answer = server.web.request("PROPFIND", url, wanted, FLAT)
    responses, _ = dav.multistatus(answer.body, server.host) if answer.status == 207 else ([], "")
    if not responses:
        return CalendarSettings()
    own = responses[0]
    said = own.children(_BLOCKING) & {"opaque", "transparent"}
    reminders = ((name, own.text(name).strip()) for name in _REMINDERS)
    return CalendarSettings(
        own.text(_ORDER).strip(),
        own.namespace(_ORDER),
        next(iter(said), ""),
        tuple((name, text) for name, text in reminders if text),
    )


def take_over(server: CalDavServer, url: str, wanted: CalendarSettings) -> list[str]:
    """Give a calendar the settings of another; returns, in words, those its server does not take.

    Raises:
        Unreachable: if its server cannot be asked.
    """
    there = settings_of(server, url)
    values: dict[tuple[str, str], str | etree._Element] = {}
    if wanted.order and wanted.order != there.order:
        # Without a namespace there is no place for it: where no calendar of a server has one, it knows none.
        values[there.space, _ORDER] = wanted.order
    if wanted.blocking and wanted.blocking != (there.blocking or "opaque"):
        values[dav.CAL, _BLOCKING] = dav.empty(wanted.blocking)
    known = dict(there.reminders)
    for name, text in wanted.reminders:
        if known.get(name) != text:
            values[dav.CAL, name] = text
    return [_WORDS[name] for (space, name), value in values.items() if not _set(server, url, space, name, value)]


def _set(server: CalDavServer, url: str, space: str, name: str, value: str | etree._Element) -> bool:
    """Set one property by itself, since where one is refused all others fail for it (RFC 4918 §9.2)."""
    if not space:
        return False
    answer = server.set_properties(url, {(space, name): value})
    return answer.status in (200, 204) or (answer.status == 207 and not dav.refused(answer.body, server.host))
