"""A start and an end of two kinds: a day and a time, or a time in a zone and one in none (RFC 5545 §3.8.2.2)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[CheckFinding]:
    start, end = entry.placing.start, entry.placing.end
    if start is not None and end is not None and start.is_date != end.is_date:
        what = ("a day", "a time") if start.is_date else ("a time", "a day")
        yield CheckFinding(f"The start is {what[0]}, the end {what[1]}.", "Kept as it is.", entry.placing.end_name)
    elif start is not None and end is not None and bool(start.tzid) != bool(end.tzid) and not start.is_date:
        what = ("in a zone", "in none") if start.tzid else ("in no zone", "in one")
        yield CheckFinding(f"The start is {what[0]}, the end {what[1]}.", "Kept as it is.", entry.placing.end_name)
    if start is not None and start.is_date and "T" in entry.value("DURATION").upper():
        yield CheckFinding("The start is a day, and the length has hours.", "Kept as it is.", "DURATION")


CHECK = Check(
    "mixed-types",
    "breaks",
    "Times of different types",
    find,
    needs=frozenset({"DTEND", "DUE", "DURATION"}),
    revision=2,
    why="They cannot be compared; systems interpret them differently.",
)
