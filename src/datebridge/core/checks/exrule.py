"""EXRULE, which the standard has given up (RFC 5545 §8.3.2)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[CheckFinding]:
    yield CheckFinding(
        "EXRULE leaves occurrences out by a rule; the standard no longer has it.",
        "Kept; not followed, so what it leaves out is shown.",
        "EXRULE",
    )


CHECK = Check(
    "exrule",
    "alters",
    "Exception rule (EXRULE)",
    find,
    needs=frozenset({"EXRULE"}),
    why="The standard no longer has EXRULE, so excluded occurrences reappear in other systems.",
)
