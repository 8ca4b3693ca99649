"""The lossless writer: calendar lines, zone definitions, entries, in CRLF and lines of 75 octets.

>>> b"".join(write_calendar(new_header("Tides"), [], ["BEGIN:VEVENT\\nUID:1\\nEND:VEVENT"])).splitlines()[-2]
b'END:VEVENT'
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from datebridge.core.text.lines import escape_text, fold

PRODID = "-//Date Bridge//Date Bridge//EN"
_BATCH = 500
#: A name that is not in quotes may hold a colon all the same: it ends at the last one of its line.
_PARAM_TZID = re.compile(
    r";TZID=(\"[^\"\n]*\"|[^;:\"\n]+(?::[^;:\"\n]+)*?)(?=;|:[^:\n]*$|,)", re.IGNORECASE | re.MULTILINE
)


def new_header(name: str) -> str:
    """The lines of a calendar that has none of its own yet (RFC 5545 §3.6, RFC 7986 §5.1)."""
    text = escape_text(name)
    return f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:{PRODID}\nNAME:{text}\nX-WR-CALNAME:{text}\nEND:VCALENDAR"


def complete_header(header: str) -> str:
    """The header with the lines RFC 5545 §3.6 demands, added at the top where they are missing."""
    lines = header.split("\n")
    names = {re.split(r"[:;]", line, maxsplit=1)[0].upper() for line in lines}
    missing = [line for line in ("VERSION:2.0", f"PRODID:{PRODID}") if line.split(":")[0] not in names]
    return "\n".join([lines[0], *missing, *lines[1:]])


def write_calendar(header: str, zones: Iterable[str], entries: Iterable[str]) -> Iterator[bytes]:
    """One VCALENDAR in pieces. Entries leave as they are, but for line ends and folds."""
    lines = complete_header(header).split("\n")
    yield fold("\n".join(lines[:-1]) + "\n")
    batch: list[str] = []
    for text in zones:
        yield fold(text + "\n")
    for text in entries:
        batch.append(text)
        if len(batch) == _BATCH:
            yield fold("\n".join(batch) + "\n")
            batch = []
    if batch:
        yield fold("\n".join(batch) + "\n")
    yield fold(lines[-1] + "\n")


def tzids_in(text: str) -> set[str]:
    """Every TZID parameter in an entry's text."""
    return {name.strip('"') for name in _PARAM_TZID.findall(text)} if "TZID" in text.upper() else set()
