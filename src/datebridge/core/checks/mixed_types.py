"""A start that is a day with an end that is a time, or the other way round (RFC 5545 §3.8.2.2)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, Found
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[Found]:
    start, end = entry.placing.start, entry.placing.end
    if start is not None and end is not None and start.is_date != end.is_date:
        what = ("a day", "a time") if start.is_date else ("a time", "a day")
        yield Found(f"The start is {what[0]}, the end {what[1]}.", "Kept as it is.", entry.placing.end_name)


CHECK = Check(
    "mixed-types",
    "breaks",
    "A day and a time together",
    find,
    needs=frozenset({"DTEND", "DUE"}),
    why="A day and a time cannot be compared; systems guess differently.",
)
