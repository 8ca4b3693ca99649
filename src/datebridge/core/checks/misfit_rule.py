"""An RRULE with parts that do not go with its frequency (RFC 5545 §3.3.10)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.recurrence.rules import Rule

#: The only frequencies with which a part means something.
_ONLY = {
    "BYWEEKNO": ("YEARLY",),
    "BYYEARDAY": ("YEARLY", "HOURLY", "MINUTELY", "SECONDLY"),
    "BYMONTHDAY": ("YEARLY", "MONTHLY", "DAILY", "HOURLY", "MINUTELY", "SECONDLY"),
}


def find(entry: Reading) -> Iterator[CheckFinding]:
    for read in entry.placing.rules:
        for part in _misfits(read.rule):
            yield CheckFinding(
                f"RRULE: {part} in a {read.rule.freq} rule.", "Kept as it is; systems differ in it.", "RRULE"
            )


def _misfits(rule: Rule) -> Iterator[str]:
    yield from (name for name, allowed in _ONLY.items() if name in rule.by and rule.freq not in allowed)
    counted = next((f"BYDAY={number}{day}" for number, day in rule.byday if number), None)
    if counted and (rule.freq not in ("MONTHLY", "YEARLY") or "BYWEEKNO" in rule.by):
        yield counted


CHECK = Check(
    "misfit-rule",
    "alters",
    "Repeat rule with parts that do not fit together",
    find,
    needs=frozenset({"RRULE"}),
    why="The standard does not define its meaning: some systems ignore the part, others refuse the entry.",
)
