"""An RRULE with parts that make no sense, or more rules than can be meant (RFC 5545 §3.3.10)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.index.placing import MOST_RULES


def find(entry: Reading) -> Iterator[CheckFinding]:
    number = len({text for _, text in entry.lists.get("RRULE", ())})
    if number > MOST_RULES:
        yield CheckFinding(f"There are {number:,} rules.", f"The first {MOST_RULES} count; all are kept.", "RRULE")
    for read in entry.placing.rules:
        for what in read.invalid:
            yield CheckFinding(f"RRULE: {what}.", "Kept; what is left of the rule counts.", "RRULE")


CHECK = Check(
    "invalid-rule-part",
    "alters",
    "Repeat rule with invalid parts",
    find,
    needs=frozenset({"RRULE"}),
    of_series=True,
    why="Systems ignore different parts of it, so it repeats differently.",
)
