"""An event or busy time without DTSTART (RFC 5545 §3.6.1)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, Found
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[Found]:
    if entry.facts.component in ("VEVENT", "VFREEBUSY") and "DTSTART" not in entry.fields:
        yield Found("There is no DTSTART.", "Kept; it stands at no time.")


CHECK = Check(
    "no-start", "breaks", "No start", find, why="It stands at no time, and other systems leave it out or refuse it."
)
