"""Very many alarms in one entry: more than many systems keep."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.alarms import alarms_of, is_alone
from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.index.facts import Mark

#: As many as most systems keep of one entry.
MOST = 4


def find(entry: Reading) -> Iterator[CheckFinding]:
    number = 0 if is_alone(entry.text) else len(alarms_of(entry.text))
    if number > MOST:
        yield CheckFinding(f"It has {number:,} alarms.", "All are kept.", "BEGIN")


CHECK = Check(
    "many-alarms",
    "alters",
    "Many alarms",
    find,
    marks=Mark.ALARM,
    why="Many systems keep only a few alarms of an entry and drop the others silently.",
)
