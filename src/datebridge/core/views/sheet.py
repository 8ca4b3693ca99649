"""Entries as rows of a spreadsheet: one row an entry, stable columns (documented in docs/formats.md).

>>> defuse('=HYPERLINK("http://x.example")')
'\\'=HYPERLINK("http://x.example")'
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator
from contextlib import suppress
from datetime import UTC, datetime
from typing import NamedTuple
from zoneinfo import ZoneInfo

from datebridge.core.checks import examine
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.moments import from_wall_seconds, instant_at
from datebridge.core.text.lines import LINE, unescape_text
from datebridge.core.text.nesting import depths
from datebridge.core.tzids import zone_info
from datebridge.core.zones.meaning import NO_ZONES, Zones

COLUMNS = (
    "calendar",
    "uid",
    "recurrence_id",
    "kind",
    "title",
    "start",
    "end",
    "all_day",
    "zone",
    "repeats",
    "rule",
    "location",
    "description",
    "categories",
    "status",
    "privacy",
    "busy",
    "organizer",
    "attendees",
    "alarms",
    "url",
    "modified",
    "problems",
)
_KINDS = {"VEVENT": "event", "VTODO": "to-do", "VJOURNAL": "journal", "VFREEBUSY": "free-busy"}
#: What would be run as a formula by a spreadsheet: it is at the beginning of a cell, or of what becomes one
#: where a semicolon or tab parts them. Apostrophes that are there already are told apart by one more.
_DANGEROUS = re.compile(r"(?:\A|(?<=[;\t\r\n]))(?='*[=+\-@\t\r\n＝＋－＠])")

#: A word of a list; after a backslash comes what is part of it.
_WORD = re.compile(r"(?:[^;\\]|\\.?)+", re.DOTALL)
_DEFUSED = re.compile(r"(?:\A|(?<=[;\t\r\n]))'(?='*[=+\-@\t\r\n＝＋－＠])")


def defuse(cell: str) -> str:
    """A cell no spreadsheet runs: an apostrophe goes before what would be a formula."""
    return _DANGEROUS.sub("'", cell)


def listed(words: Iterable[str]) -> str:
    """A cell that lists words; a semicolon within one is told from one between two.

    >>> listed(["Lab; wet", "Tide"]), parted(listed(["Lab; wet", "Tide"]))
    ('Lab\\\\; wet; Tide', ['Lab; wet', 'Tide'])
    """
    return "; ".join(re.sub(r"([\\\\;])", r"\\\1", word) for word in words)


def parted(cell: str) -> list[str]:
    """The words that a cell lists."""
    parts = (re.sub(r"\\([\\;])", r"\1", one).strip() for one in _WORD.findall(cell))
    return [part for part in parts if part]


def armed(cell: str) -> str:
    """What a defused cell held.

    >>> armed(defuse("=1; '-2")), armed("'quoted'")
    ("=1; '-2", "'quoted'")
    """
    return _DEFUSED.sub("", cell)


class Row(NamedTuple):
    """An entry as it is to be written: its calendar's name, its component, its text, what its calendar defines."""

    calendar: str
    component: str
    text: str
    zones: Zones = NO_ZONES


def write_sheet(rows: Iterable[Row], zone: str = "") -> Iterator[bytes]:
    """CSV in pieces, UTF-8 with a byte order mark, CRLF (RFC 4180).

    Args:
        zone: an IANA zone all times are shown in; "" leaves each in its own.
    """
    info = zone_info(zone) if zone else None
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    yield b"\xef\xbb\xbf"
    for count, row in enumerate(rows, 1):
        writer.writerow([defuse(cell) for cell in _row(row, info)])
        if count % 500 == 0:
            yield out.getvalue().encode("utf-8", "replace")
            out.seek(0)
            out.truncate()
    yield out.getvalue().encode("utf-8", "replace")


def write_table(rows: Iterable[Row], zone: str = "") -> Iterator[bytes]:
    """The same as text for the clipboard: columns set apart by tabs, one line a row, UTF-8."""
    info = zone_info(zone) if zone else None
    yield ("\t".join(COLUMNS) + "\r\n").encode()
    for row in rows:
        cells = (" ".join(defuse(cell).split()) for cell in _row(row, info))
        yield ("\t".join(cells) + "\r\n").encode("utf-8", "replace")


def cells_of(row: Row, zone: str = "") -> dict[str, str]:
    """An entry's cells by column, as they are before they are defused."""
    return dict(zip(COLUMNS, _row(row, zone_info(zone) if zone else None), strict=True))


def _row(row: Row, zone: ZoneInfo | None) -> list[str]:
    calendar, component, text, zones = row
    facts = examine(component, text, zones)
    own: dict[str, str] = {}
    people: list[str] = []
    alarms: list[str] = []
    lines = text.split("\n")
    for raw, depth in zip(lines, depths(lines), strict=True):
        match = LINE.match(raw) if depth else None
        if match is None:
            continue
        name, value = match[1].upper(), match[3]
        if depth == 1:
            own.setdefault(name, value)
            if name == "ATTENDEE":
                people.append(_address(value))
        elif name == "TRIGGER":
            alarms.append(value)
    start, end = _times(facts, zone, zones)
    shown_zone = (
        "" if facts.all_day or facts.marks & Mark.FLOATING else (str(zone) if zone else facts.zone or facts.tzid)
    )
    return [
        calendar,
        facts.uid,
        facts.recurrence_id,
        _KINDS.get(component, component.lower()),
        facts.summary,
        start,
        end,
        "yes" if facts.all_day else "no",
        shown_zone,
        facts.repeats,
        own.get("RRULE", ""),
        facts.location,
        unescape_text(own.get("DESCRIPTION", "")),
        listed(facts.categories.split("\x1f")) if facts.categories else "",
        facts.status.lower(),
        facts.privacy.lower(),
        {"TRANSPARENT": "free", "OPAQUE": "busy"}.get(facts.busy, facts.busy.lower()),
        _address(own.get("ORGANIZER", "")),
        listed(people),
        listed(alarms),
        own.get("URL", ""),
        datetime.fromtimestamp(facts.modified, UTC).isoformat(" ")[:19] if facts.modified > 0 else "",
        "; ".join(p.code for p in facts.problems),
    ]


def _times(facts: Facts, zone: ZoneInfo | None, zones: Zones) -> tuple[str, str]:
    if facts.start_wall is None or facts.end_wall is None or facts.start is None:
        return "", ""
    start, end = from_wall_seconds(facts.start_wall), from_wall_seconds(facts.end_wall)
    if facts.all_day:
        return start.date().isoformat(), end.date().isoformat()
    clock = facts.zone or (zones.clock(facts.tzid) if facts.marks & Mark.DEFINED_ZONE else None)
    if zone is not None and clock:
        with suppress(OverflowError, ValueError):  # the first or last day there is: shown on its own clock
            start, end = (
                datetime.fromtimestamp(moment, zone) for moment in (facts.start, instant_at(facts.end_wall, clock))
            )
    return start.isoformat(" ")[:16], end.isoformat(" ")[:16]


def _address(value: str) -> str:
    return value[7:] if value[:7].lower() == "mailto:" else value
