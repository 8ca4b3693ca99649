"""Who a server tells when a meeting is written, and how to write it so that nobody is told (RFC 6638).

>>> text = "BEGIN:VEVENT\\nORGANIZER:mailto:a@x.example\\nATTENDEE:mailto:b@x.example\\nEND:VEVENT"
>>> told(text, ["a@x.example"]), told(silenced(text), ["a@x.example"])
(1, 0)
"""

from __future__ import annotations

import re
from collections.abc import Collection

from datebridge.core.index.facts import ANSWERS
from datebridge.core.text.component import Component
from datebridge.core.text.lines import ContentLine

_AGENT = re.compile(r';SCHEDULE-AGENT=(?:"[^"]*"|[^;:]*)', re.IGNORECASE)
_PEOPLE = ("ATTENDEE", "ORGANIZER")
_NAME = re.compile(r"^(ATTENDEE|ORGANIZER)(?=[;:])", re.IGNORECASE)


def silenced(text: str) -> str:
    """The entry with SCHEDULE-AGENT=NONE (§7.1) on every attendee and the organiser; no other line changes.

    Entries without attendees come back as they are. On attendees it binds the organiser's server, on the
    organiser the attendee's.
    """
    if "\nATTENDEE" not in text and "\nattendee" not in text.lower():
        return text
    component = Component(text)
    people = {index for index, line in component.properties() if line.name in _PEOPLE}
    if not component.first("ATTENDEE"):
        return text
    lines = text.split("\n")
    for index in people:
        lines[index] = _NAME.sub(r"\1;SCHEDULE-AGENT=NONE", _AGENT.sub("", lines[index]))
    return "\n".join(lines)


def address_of(line: ContentLine) -> str:
    """The e-mail address of an ATTENDEE or ORGANIZER, lower case."""
    return line.value.strip().lower().removeprefix("mailto:")


def told(text: str, addresses: Collection[str]) -> int:
    """How many attendees a server would tell if somebody with these addresses changed or deleted the entry."""
    component = Component(text)
    organizer = component.first("ORGANIZER")
    if organizer is None or address_of(organizer) not in addresses:
        return 0
    return sum(
        (line.param("SCHEDULE-AGENT") or "SERVER").upper() == "SERVER" and address_of(line) not in addresses
        for line in component.all("ATTENDEE")
    )


def answered(text: str, addresses: Collection[str]) -> str:
    """What somebody with these addresses has answered: ``accepted``, ``declined``, ``tentative``, or nothing."""
    for line in Component(text).all("ATTENDEE"):
        if address_of(line) in addresses:
            return ANSWERS.get((line.param("PARTSTAT") or "").upper(), "")
    return ""
