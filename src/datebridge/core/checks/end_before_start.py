"""An end that lies before the start (RFC 5545 §3.8.2.2); see `core.index.placing.is_early`."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.index.placing import is_early


def find(entry: Reading) -> Iterator[CheckFinding]:
    start, end = entry.placing.start, entry.placing.end
    if start is not None and end is not None and is_early(start, end):
        yield CheckFinding(
            "The end is before the start.", "Shown with no length; kept as it is.", entry.placing.end_name
        )


CHECK = Check(
    "end-before-start",
    "breaks",
    "End before the start",
    find,
    needs=frozenset({"DTEND", "DUE"}),
    why="Strict servers refuse it. Open it and correct the end.",
)
