"""UNTIL of another type than the start (RFC 5545 §3.3.10)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.moments import Moment


def find(entry: Reading) -> Iterator[CheckFinding]:
    start = entry.placing.start
    for read in entry.placing.rules:
        if start is not None and read.rule.until is not None and (wrong := _wrong(read.rule.until, start)):
            yield CheckFinding(f"UNTIL is {wrong}.", "Read as it was meant.", "RRULE")


def _wrong(until: Moment, start: Moment) -> str:
    """What is wrong with the type of an UNTIL; "" where nothing is."""
    if start.is_date:
        return "" if until.is_date else "a time, but the start is a day"
    if until.is_date:
        return "a day, but the start is a time"
    if start.tzid and until.zone != "UTC":
        return "not in UTC, but the start has a time zone"
    if not start.tzid and until.zone == "UTC":
        return "in UTC, but the start is floating"
    return ""


CHECK = Check(
    "until-type",
    "alters",
    "UNTIL of another type than the start",
    find,
    needs=frozenset({"RRULE"}),
    of_series=True,
    why="Systems read the end of such a series differently, by a day or by hours.",
)
