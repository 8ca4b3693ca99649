"""An event or busy time without DTSTART (RFC 5545 §3.6.1)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[CheckFinding]:
    if entry.facts.component in ("VEVENT", "VFREEBUSY") and "DTSTART" not in entry.fields:
        yield CheckFinding("There is no DTSTART.", "Kept; it has no date.")


CHECK = Check("no-start", "breaks", "No start", find, why="It has no date, and other systems skip it or refuse it.")
