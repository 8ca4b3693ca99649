"""Entries as rows of a spreadsheet: one row an entry, stable columns (documented in docs/formats.md).

>>> defuse('=HYPERLINK("http://x.example")')
'\\'=HYPERLINK("http://x.example")'
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from contextlib import suppress
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from datebridge.core.events import derive
from datebridge.core.facts import Facts, Mark
from datebridge.core.ics.lines import LINES, unescape_text
from datebridge.core.moments import from_wall_seconds, instant_at
from datebridge.core.zones.names import zone_info

COLUMNS = (
    "calendar", "uid", "recurrence_id", "kind", "title", "start", "end", "all_day", "zone", "repeats", "rule",
    "location", "description", "categories", "status", "privacy", "busy", "organizer", "attendees", "alarms",
    "url", "modified", "problems",
)  # fmt: skip
_KINDS = {"VEVENT": "event", "VTODO": "to-do", "VJOURNAL": "journal", "VFREEBUSY": "free-busy"}
#: A cell that begins like this would be run as a formula by a spreadsheet.
_DANGEROUS = ("=", "+", "-", "@", "\t", "\r")


def defuse(cell: str) -> str:
    """A cell no spreadsheet runs: an apostrophe goes before what would be a formula."""
    return "'" + cell if cell.startswith(_DANGEROUS) else cell


def write_sheet(rows: Iterable[tuple[str, str, str]], zone: str = "") -> Iterator[bytes]:
    """CSV in pieces, UTF-8 with a byte order mark, CRLF (RFC 4180).

    Args:
        rows: calendar name, component name and text of each entry.
        zone: an IANA zone all times are shown in; "" leaves each in its own.
    """
    info = zone_info(zone) if zone else None
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    yield b"\xef\xbb\xbf"
    for count, (calendar, component, text) in enumerate(rows, 1):
        writer.writerow([defuse(cell) for cell in _row(calendar, component, text, info)])
        if count % 500 == 0:
            yield out.getvalue().encode("utf-8", "replace")
            out.seek(0)
            out.truncate()
    yield out.getvalue().encode("utf-8", "replace")


def _row(calendar: str, component: str, text: str, zone: ZoneInfo | None) -> list[str]:
    facts = derive(component, text)
    own: dict[str, str] = {}
    people: list[str] = []
    alarms: list[str] = []
    depth = 0
    for name, _, value in LINES.findall(text):
        name = name.upper()
        depth += (name == "BEGIN") - (name == "END")
        if depth == 1:
            own.setdefault(name, value)
            if name == "ATTENDEE":
                people.append(_address(value))
        elif name == "TRIGGER":
            alarms.append(value)
    start, end = _times(facts, zone)
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
        "; ".join(facts.categories.split("\x1f")) if facts.categories else "",
        facts.status.lower(),
        facts.privacy.lower(),
        {"TRANSPARENT": "free", "OPAQUE": "busy"}.get(facts.busy, facts.busy.lower()),
        _address(own.get("ORGANIZER", "")),
        "; ".join(people),
        "; ".join(alarms),
        own.get("URL", ""),
        f"{datetime.fromtimestamp(facts.modified, UTC):%Y-%m-%d %H:%M:%S}" if facts.modified > 0 else "",
        "; ".join(p.code for p in facts.problems),
    ]


def _times(facts: Facts, zone: ZoneInfo | None) -> tuple[str, str]:
    if facts.start_wall is None or facts.end_wall is None or facts.start is None:
        return "", ""
    start, end = from_wall_seconds(facts.start_wall), from_wall_seconds(facts.end_wall)
    if facts.all_day:
        return f"{start:%Y-%m-%d}", f"{end:%Y-%m-%d}"
    if zone is not None and facts.zone:
        with suppress(OverflowError, ValueError):  # the first or last day there is: shown on its own clock
            start, end = (
                datetime.fromtimestamp(moment, zone) for moment in (facts.start, instant_at(facts.end_wall, facts.zone))
            )
    return f"{start:%Y-%m-%d %H:%M}", f"{end:%Y-%m-%d %H:%M}"


def _address(value: str) -> str:
    return value[7:] if value[:7].lower() == "mailto:" else value
