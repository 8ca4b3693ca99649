"""A TZID that is no name anyone knows, and that nothing defines (RFC 5545 §3.2.19)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[CheckFinding]:
    for meaning in entry.placing.meanings_used():
        if meaning.clock == "":
            text = f"“{meaning.tzid}” is not a known zone name."
            yield CheckFinding(text, "Kept; its times are shown as they are written.", "DTSTART")


CHECK = Check(
    "unresolved-zone",
    "alters",
    "Unknown time zone",
    find,
    why="Other systems show the entry at another hour.",
)
