"""What a server does with single objects: query filters (RFC 4791 §9.7), and what a strict one drops."""

from __future__ import annotations

import re
from datetime import UTC, datetime

from lxml import etree

from datebridge.core.index.facts import Facts, Mark
from datebridge.core.objects import CalendarObject, take_apart
from datebridge.core.recurrence.pattern import happens
from datebridge.core.text.component import Component
from datebridge.core.text.properties import KNOWN
from datebridge.core.text.writer import complete_header, write_calendar
from datebridge.standins.multistatus import CAL
from datebridge.standins.records import Stored

_MOST_ATTACHMENTS = 2
_DROPPED = frozenset({"COLOR", "IMAGE", "STYLED-DESCRIPTION", "CONTACT"})
_NESTED = re.compile(r"^(BEGIN|END):", re.IGNORECASE)


def matches(stored: Stored, filters: etree._Element) -> bool:
    """Whether an object passes a calendar-query's filter: kind of component, time range, text of a property."""
    for component in filters.findall(f"{{{CAL}}}comp-filter/{{{CAL}}}comp-filter"):
        if component.get("name", "").upper() != stored.component:
            return False
        span = component.find(f"{{{CAL}}}time-range")
        wanted = component.findall(f"{{{CAL}}}prop-filter")
        if span is None and not wanted:
            continue
        entries = take_apart(stored.data).entries
        if span is not None and not any(_within(facts, *time_range(span)) for facts, _ in entries):
            return False
        if not all(_has(text, prop) for prop in wanted for _, text in entries[:1]):
            return False
    return True


def time_range(span: etree._Element) -> tuple[int, int]:
    """Seconds since the epoch of a time-range's start and end; open ends reach far."""

    def seconds(name: str, default: int) -> int:
        value = span.get(name)
        return int(datetime.strptime(value, "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC).timestamp()) if value else default

    return seconds("start", -(1 << 40)), seconds("end", 1 << 40)


def _within(facts: Facts, low: int, high: int) -> bool:
    if facts.start is None or facts.start_wall is None or facts.end_wall is None:
        return False
    shift = facts.start_wall - facts.start
    low, high = low + shift, high + shift
    length = facts.end_wall - facts.start_wall
    if facts.marks & Mark.SERIES and low > -(1 << 39) and high < 1 << 39:
        return bool(happens(facts.recurrence, facts.start_wall, low - max(length - 1, 0), high))
    end = facts.until_wall if facts.marks & Mark.SERIES else facts.end_wall
    return facts.start_wall < high and (end is None or end > low or (length == 0 and facts.start_wall >= low))


def _has(text: str, prop: etree._Element) -> bool:
    line = Component(text).first(prop.get("name", "").upper())
    match = prop.find(f"{{{CAL}}}text-match")
    if line is None or match is None:
        return line is not None
    return (match.text or "").lower() in line.value.lower()


def keep_to_limits(data: bytes, parsed: CalendarObject) -> bytes:
    """What a strict server keeps: no unknown properties, one alarm, two attachments. The octets as they are if all."""
    texts = [_kept(text) for _, text in parsed.entries]
    if texts == [text for _, text in parsed.entries]:
        return data
    header = complete_header("BEGIN:VCALENDAR\nEND:VCALENDAR")
    return b"".join(write_calendar(header, [text for _, text in parsed.zones], texts))


def _kept(text: str) -> str:
    lines, depth, alarms, attachments = [], 0, 0, 0
    for raw in text.split("\n"):
        name = re.split(r"[:;]", raw, maxsplit=1)[0].upper()
        if name == "BEGIN":
            depth += 1
            alarms += raw.upper().startswith("BEGIN:VALARM")
        skip = depth > 1 and alarms > 1
        if name == "END":
            depth -= 1
        if depth == 1 and name == "ATTACH":
            attachments += 1
            skip = attachments > _MOST_ATTACHMENTS
        unknown = name not in KNOWN and not _NESTED.match(raw)
        if not skip and not unknown and not (depth == 1 and name in _DROPPED):
            lines.append(raw)
    return "\n".join(lines)
