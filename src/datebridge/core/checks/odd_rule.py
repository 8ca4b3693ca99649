"""An RRULE with parts that make no sense, or more rules than can be meant (RFC 5545 §3.3.10)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, Found
from datebridge.core.index.derive import Reading
from datebridge.core.index.placing import MOST_RULES


def find(entry: Reading) -> Iterator[Found]:
    number = len({text for _, text in entry.lists.get("RRULE", ())})
    if number > MOST_RULES:
        yield Found(f"There are {number:,} rules.", f"The first {MOST_RULES} count; all are kept.", "RRULE")
    for read in entry.placing.rules:
        for what in read.odd:
            yield Found(f"RRULE: {what}.", "Kept; what is left of the rule counts.", "RRULE")


CHECK = Check(
    "odd-rule",
    "alters",
    "A repeat rule with parts that make no sense",
    find,
    needs=frozenset({"RRULE"}),
    together=True,
    why="Systems pass over different parts of it, and so it repeats differently.",
)
