"""What a strict server drops of an object, as it has no place for it."""

from __future__ import annotations

import re

from datebridge.core.objects import CalendarObject
from datebridge.core.text.properties import KNOWN
from datebridge.core.text.writer import complete_header, write_calendar

_MOST_ATTACHMENTS = 2
_DROPPED = frozenset({"COLOR", "IMAGE", "STYLED-DESCRIPTION", "CONTACT"})
_NESTED = re.compile(r"^(BEGIN|END):", re.IGNORECASE)


def keep_to_limits(data: bytes, parsed: CalendarObject) -> bytes:
    """What a strict server keeps: no unknown properties, one alarm, two attachments. The bytes as they are if all."""
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
