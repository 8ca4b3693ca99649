"""A property that the standards define, in a component in which it may not stand (RFC 5545 §3.6)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.text.properties import MISPLACED


def find(entry: Reading) -> Iterator[CheckFinding]:
    misplaced = MISPLACED[entry.facts.component]
    if misplaced.isdisjoint(entry.fields) and misplaced.isdisjoint(entry.lists):
        return
    for name in sorted(misplaced.intersection([*entry.fields, *entry.lists])):
        yield CheckFinding(f"{name} is not allowed in a {entry.facts.component}.", "Kept.", name)


CHECK = Check(
    "misplaced-property",
    "untidy",
    "Property in the wrong place",
    find,
    why="Other systems ignore it.",
)
