"""An alarm that rings when all is over: after the end, or at a fixed time that lies after it."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datebridge.core.checks.alarms import alarms_of
from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.index.facts import Mark

#: A trigger that can ring after the start: nearly all ring before it.
_MAYBE = re.compile(r"\nTRIGGER[^\n]*:(?!\s*-)", re.IGNORECASE)


def find(entry: Reading) -> Iterator[CheckFinding]:
    facts = entry.facts
    if facts.start is None or facts.start_wall is None or facts.end_wall is None:
        return
    long = facts.end_wall - facts.start_wall
    for alarm in alarms_of(entry.text) if _MAYBE.search(entry.text) else ():
        if alarm.offset is not None and alarm.offset > (0 if alarm.to_end else long):
            yield CheckFinding("An alarm rings after the end.", "Kept.", "BEGIN")
        elif alarm.at is not None and not facts.marks & Mark.SERIES and alarm.at > facts.start + max(long, 0):
            yield CheckFinding("An alarm at a fixed time rings after the end.", "Kept.", "BEGIN")


CHECK = Check(
    "late-alarm",
    "alters",
    "Alarm after the end",
    find,
    marks=Mark.ALARM,
    why="It rings when the event is over; usually the event was moved and the alarm was not.",
)
