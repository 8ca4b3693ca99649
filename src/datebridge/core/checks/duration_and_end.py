"""Both an end and a DURATION, of which there may be one (RFC 5545 §3.6.1)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading, read_entry
from datebridge.core.text.component import Component, ComponentEditor


def find(entry: Reading) -> Iterator[CheckFinding]:
    if entry.placing.end_name:
        end = entry.placing.end_name
        yield CheckFinding(f"Both {end} and DURATION are given.", f"{end} counts.", "DURATION")


def fix(text: str) -> str | None:
    """Leave what counts: the end."""
    component = Component(text)
    if component.first("DURATION") is None or not any(find(read_entry(component.kind, text))):
        return None
    lines = ComponentEditor(text)
    lines.drop("DURATION")
    return lines.text


CHECK = Check(
    "duration-and-end",
    "alters",
    "Both an end and a duration",
    find,
    needs=frozenset({"DURATION"}),
    fix=fix,
    why="Only one of them is allowed. The fix removes the duration; the end counts.",
)
