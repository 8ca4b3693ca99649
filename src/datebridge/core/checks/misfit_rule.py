"""An RRULE with parts that do not go with its frequency (RFC 5545 §3.3.10)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, Found
from datebridge.core.index.derive import Reading
from datebridge.core.recurrence.rules import Rule

#: The only frequencies with which a part means something.
_ONLY = {
    "BYWEEKNO": ("YEARLY",),
    "BYYEARDAY": ("YEARLY", "HOURLY", "MINUTELY", "SECONDLY"),
    "BYMONTHDAY": ("YEARLY", "MONTHLY", "DAILY", "HOURLY", "MINUTELY", "SECONDLY"),
}


def find(entry: Reading) -> Iterator[Found]:
    for read in entry.placing.rules:
        for part in _misfits(read.rule):
            yield Found(f"RRULE: {part} in a {read.rule.freq} rule.", "Kept as it is; systems differ in it.", "RRULE")


def _misfits(rule: Rule) -> Iterator[str]:
    yield from (name for name, allowed in _ONLY.items() if name in rule.by and rule.freq not in allowed)
    counted = next((f"BYDAY={number}{day}" for number, day in rule.byday if number), None)
    if counted and (rule.freq not in ("MONTHLY", "YEARLY") or "BYWEEKNO" in rule.by):
        yield counted


CHECK = Check(
    "misfit-rule",
    "alters",
    "A repeat rule with parts that do not go together",
    find,
    needs=frozenset({"RRULE"}),
    why="The standard gives it no meaning: some systems pass over the part, others refuse the entry.",
)
