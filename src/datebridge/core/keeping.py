"""What a server keeps of an object it was given, told by what it hands out afterwards.

>>> mine = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nCOLOR:red\\nEND:VEVENT"
>>> theirs = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nEND:VEVENT"
>>> dropped([mine], [theirs])
{'COLOR'}
>>> contents([without(mine, {"COLOR"})]) == contents([theirs])
True
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterable
from hashlib import blake2b

from datebridge.core.comparing.fields import differing
from datebridge.core.index.derive import digest_of
from datebridge.core.text.component import Component
from datebridge.core.text.nesting import fields_of, is_nested, nested_in
from datebridge.core.text.reader import Reader
from datebridge.core.text.source import open_bytes

_ENTRY = re.compile(rb"BEGIN:VCALENDAR\s.*?^BEGIN:(?!VCALENDAR|VTIMEZONE|STANDARD|DAYLIGHT)[A-Z-]", re.I | re.S | re.M)
#: What may follow the end of a text.
_AFTER = b" \t\r\n\0\x1a"
#: How these properties of an entry begin that say nothing of the meeting.
_BOOKKEEPING = tuple(
    f"{name}{mark}" for name in ("UID", "DTSTAMP", "CREATED", "LAST-MODIFIED", "SEQUENCE") for mark in ":;"
)
_TIMES = frozenset(
    {"DTSTART", "DTEND", "DUE", "DURATION", "RRULE", "RDATE", "EXDATE", "EXRULE", "RECURRENCE-ID", "UID"}
)
_TIME_NAMES = tuple(sorted(_TIMES - {"UID"}))


def contents(texts: Iterable[str]) -> Counter[bytes]:
    """What an object says: equal for two whose entries are the same but for DTSTAMP."""
    return Counter(map(digest_of, texts))


def entries_in(data: bytes) -> list[str]:
    """The texts of the entries in an object's bytes."""
    return [
        component.text for component in Reader(open_bytes(data)) if component.name not in ("VCALENDAR", "VTIMEZONE")
    ]


def is_object(data: bytes) -> bool:
    """Whether bytes are a calendar object with an entry in it, and have come to their end (RFC 4791 §4.1).

    >>> is_object(b"BEGIN:VCALENDAR\\nBEGIN:VTODO\\nEND:VTODO\\nEND:VCALENDAR\\n"), is_object(b"<html></html>")
    (True, False)
    """
    return data.rstrip(_AFTER)[-13:].upper() == b"END:VCALENDAR" and _ENTRY.search(data) is not None


def fingerprint(texts: Iterable[str]) -> str:
    """What two objects share whose entries are the same but for DTSTAMP; "" for no entries."""
    digests = sorted(map(digest_of, texts))
    return blake2b(b"".join(digests), digest_size=16).hexdigest() if digests else ""


def without(text: str, names: Collection[str]) -> str:
    """A component without its properties and nested components of some names."""
    lines = text.split("\n")
    gone = {at for kind, first, last in nested_in(lines) if kind in names for at in range(first, last + 1)}
    gone |= {at for at, line in Component(text).properties() if line.name in names}
    return "\n".join(raw for at, raw in enumerate(lines) if at not in gone)


def dropped(sent: Iterable[str], kept: Iterable[str]) -> set[str]:
    """The names of properties and nested components that a server has left out everywhere, and changed nothing else.

    Nothing where it has changed anything besides.
    """
    mine, theirs = list(sent), list(kept)
    names = {name for text in mine for name in names_in(text)} - {name for text in theirs for name in names_in(text)}
    if not names or contents(without(text, names) for text in mine) != contents(theirs):
        return set()
    return names


def substance(text: str) -> bytes:
    """What two texts share that say the same of an entry, whatever its UID, when it was written, and in which order.

    >>> one = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nSEQUENCE:4\\nEND:VEVENT"
    >>> substance(one) == substance("BEGIN:VEVENT\\nSUMMARY:Tide\\nUID:2\\nEND:VEVENT")
    True
    """
    parts = [part for some in fields_of(text).values() for part in some]
    own = [part[0] for part in parts if not is_nested(part) and not part[0].upper().startswith(_BOOKKEEPING)]
    nested = ["\n".join(sorted(part)) for part in parts if is_nested(part)]
    words = "\n".join((text.partition("\n")[0], *sorted(own), *sorted(nested)))
    return blake2b(words.encode("utf-8", "replace"), digest_size=16).digest()


def is_whole(sent: str, kept: str) -> bool:
    """Whether nothing of the meeting is missing from what is kept of an entry.

    How it was kept (DTSTAMP, SEQUENCE, who is told by whom) and ``X-`` properties do not count.
    """
    lost = [name for name in differing(sent, kept) if not name.startswith("X-")]
    return not lost and _times(sent) == _times(kept)


def same_times(one: str, other: str) -> bool:
    """Whether two entries say in the same way when they happen, whatever their UIDs."""
    if _time_lines(one) == _time_lines(other):
        return True
    mine, theirs = ({key: count for key, count in _times(text).items() if key[0] != "UID"} for text in (one, other))
    return mine == theirs


def _time_lines(text: str) -> list[str]:
    return sorted(line for line in text.split("\n") if line.startswith(_TIME_NAMES))


def _times(text: str) -> Counter[tuple[str, str, tuple[tuple[str, tuple[str, ...]], ...]]]:
    """What says when an entry happens."""
    return Counter(
        (line.name, line.value, tuple(sorted((name, tuple(values)) for name, values in line.params)))
        for _, line in Component(text).properties()
        if line.name in _TIMES
    )


def names_in(text: str) -> set[str]:
    """The names of everything directly in a component."""
    names = {line.name for _, line in Component(text).properties()}
    return names | {nested.kind for nested in nested_in(text.split("\n"))}
