"""An RRULE with both COUNT and UNTIL, of which there may be one (RFC 5545 §3.3.10)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[CheckFinding]:
    for read in entry.placing.rules:
        if read.rule.count is not None and read.rule.until is not None:
            yield CheckFinding("RRULE has both COUNT and UNTIL.", "The earlier end counts.", "RRULE")


CHECK = Check(
    "count-and-until",
    "breaks",
    "Repeat rule with both COUNT and UNTIL",
    find,
    needs=frozenset({"RRULE"}),
    of_series=True,
    why="The two ends contradict each other, and systems choose differently.",
)
