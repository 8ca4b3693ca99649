"""EXRULE, which the standard has given up (RFC 5545 §8.3.2)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, Found
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[Found]:
    yield Found(
        "EXRULE leaves occurrences out by a rule; the standard has given it up.",
        "Kept; not followed, so what it leaves out is shown.", "EXRULE",
    )  # fmt: skip


CHECK = Check(
    "exrule",
    "alters",
    "A rule for what is left out (EXRULE)",
    find,
    needs=frozenset({"EXRULE"}),
    why="The standard has given it up, so what it leaves out comes back in other systems.",
)
