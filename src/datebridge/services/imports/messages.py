"""A message without an invitation, as an event to be made of it: people agree by mail to meet."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from email.message import EmailMessage
from email.utils import getaddresses
from itertools import islice
from pathlib import PurePosixPath

from datebridge.core.editing.fields import Fields, Person
from datebridge.core.editing.typed import TypedLine, times_in
from datebridge.core.text.storable import storable
from datebridge.services.imports.uploads import MOST_PARTS, UNPARSED, parse_message

_MOST_PEOPLE, _MOST_TEXT = 200, 20_000


@dataclass(frozen=True, slots=True)
class Attached:
    """A file that came with a message."""

    name: str
    size: int


@dataclass(frozen=True, slots=True)
class Draft:
    """What an event made of a message would say: nothing is stored yet.

    Attributes:
        sender: as the message has it.
        fields: subject as title, everybody it went between as people, text as notes; at no time yet.
        times: days and hours that are in the text.
    """

    sender: str
    fields: Fields
    attached: tuple[Attached, ...]
    times: tuple[TypedLine, ...]


def draft_of(content: bytes, name: str, today: date) -> Draft:
    """An event of a message.

    Raises:
        NotTaken: if it cannot be taken apart.
    """
    message = parse_message(content, name)
    text = _text_of(message)
    subject = storable(" ".join(_header(message, "subject").split())) or PurePosixPath(name).stem
    fields = Fields(title=subject, notes=text, attendees=_people(message))
    # The subject is as good a place for a day as the text.
    times = [line for line in times_in(f"{subject} \n {text}", today) if line.day.year < date.max.year]
    return Draft(storable(_header(message, "from")), fields, tuple(_attached(message)), tuple(times))


def _header(message: EmailMessage, name: str) -> str:
    """A header, read only now; "" where it is such that it cannot be."""
    try:
        return ", ".join(str(value) for value in message.get_all(name, []))
    except UNPARSED:
        return ""


def _people(message: EmailMessage) -> list[Person]:
    headers = [_header(message, name) for name in ("from", "to", "cc")]
    people: dict[str, Person] = {}
    try:
        every = getaddresses([header for header in headers if header])
    except UNPARSED:
        every = []
    for text, address in islice(every, _MOST_PEOPLE):
        if "@" in address and not any(c.isspace() for c in address):
            people.setdefault(address.lower(), Person(storable(text), storable(address)))
    return list(people.values())


def _text_of(message: EmailMessage) -> str:
    try:
        part = message.get_body(preferencelist=("plain",))
    except UNPARSED:
        part = None
    try:
        content = part.get_content() if part is not None else ""
    except UNPARSED:  # a charset that is none
        size = part.get_payload(decode=True) if part is not None else b""
        content = size.decode("utf-8", "replace") if isinstance(size, bytes) else ""
    return storable("\n".join(line.rstrip() for line in str(content).splitlines()).strip()[:_MOST_TEXT])


def _attached(message: EmailMessage) -> list[Attached]:
    attachments: list[Attached] = []
    try:
        for part in islice(message.iter_attachments(), MOST_PARTS):
            content = part.get_payload(decode=True)
            size = len(content) if isinstance(content, bytes) else 0
            attachments.append(Attached(storable(part.get_filename() or part.get_content_type()), size))
    except UNPARSED:  # those before it are told
        pass
    return attachments
