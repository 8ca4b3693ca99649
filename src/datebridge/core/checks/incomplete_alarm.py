"""A VALARM that does not say what it does, or when (RFC 5545 §3.6.6)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.alarms import alarms_of
from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.index.facts import Mark


def find(entry: Reading) -> Iterator[CheckFinding]:
    for alarm in alarms_of(entry.text):
        names = {line.partition(":")[0].partition(";")[0].strip().upper() for line in alarm.says}
        lacks = [name for name in ("ACTION", "TRIGGER") if name not in names]
        if lacks:
            yield CheckFinding(f"An alarm without {' and '.join(lacks)}.", "Kept as it is.", alarm.first)


CHECK = Check(
    "incomplete-alarm",
    "breaks",
    "Alarm without an action or time",
    find,
    marks=Mark.ALARM,
    why="It never rings, and strict servers refuse the entry.",
)
