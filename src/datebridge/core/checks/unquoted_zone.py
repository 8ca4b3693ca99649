"""A zone name with a colon that is not in quotes, so that the value seems to begin within it (RFC 5545 §3.2).

Noted while the entry is placed.
"""

from __future__ import annotations

import re

from datebridge.core.checks.check import Check
from datebridge.core.checks.fixing import rewritten, without
from datebridge.core.text.lines import param_of

_DATED = frozenset({"DTSTART", "DTEND", "DUE", "RECURRENCE-ID", "RDATE", "EXDATE"})
#: The dates after the last colon.
_DATES = re.compile(r"[0-9TZ,/]+")


def fix(text: str) -> str | None:
    """Put the name in quotes."""
    return rewritten(text, _DATED, _quoted)


def _quoted(name: str, params: str, value: str) -> str | None:
    head, colon, dates = value.rpartition(":")
    tzid = param_of(params, "TZID") or ""
    if not colon or not tzid or not params.upper().endswith(f";TZID={tzid.upper()}") or not _DATES.fullmatch(dates):
        return None
    return f'{name}{without(params, "TZID")};TZID="{tzid}:{head}":{dates}'


CHECK = Check(
    "unquoted-zone",
    "breaks",
    "Zone name with an unquoted colon",
    fix=fix,
    why="The colon ends the zone's name too early. The fix adds quotation marks.",
)
