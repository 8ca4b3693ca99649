"""A TZID that is no name anyone knows, and that nothing defines (RFC 5545 §3.2.19)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, Found
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[Found]:
    for meaning in entry.placing.meanings_used():
        if meaning.clock == "":
            said = f"“{meaning.tzid}” is not a zone name anyone knows."
            yield Found(said, "Kept; its times are shown as they are written.", "DTSTART")


CHECK = Check(
    "unresolved-zone",
    "alters",
    "A time zone name nobody knows",
    find,
    why="Nobody knows these clocks, so other systems show it at another hour.",
)
