"""A property that may stand once at most, and stands more often (RFC 5545 §3.6.1–3.6.4)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[CheckFinding]:
    for name, times in entry.repeated.items():
        often = "more than once" if times == 2 else f"{times:,} times"
        yield CheckFinding(f"{name} exists {often}.", "The first one counts.", name)


CHECK = Check(
    "repeated-property",
    "alters",
    "Repeated property",
    find,
    why="Only one is allowed; systems choose differently which one counts.",
)
