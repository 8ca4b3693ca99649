"""An entry without a UID, which everything but a busy time needs (RFC 5545 §3.6.1)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading, digest_of
from datebridge.core.text.component import Component, with_property


def find(entry: Reading) -> Iterator[CheckFinding]:
    if not entry.facts.uid and entry.facts.component != "VFREEBUSY":
        yield CheckFinding("There is no UID.", "Kept; it can only be recognised by its text.")


def fix(text: str) -> str | None:
    """Give it the UID that it gets everywhere it needs one: always the same for the same text."""
    component = Component(text)
    if component.first("UID") is not None and component.first("UID").value.strip():  # type: ignore[union-attr]
        return None
    return with_property(text, "UID", f"{digest_of(text).hex()}@date-bridge.example")


CHECK = Check(
    "no-uid",
    "breaks",
    "No UID",
    find,
    fix=fix,
    why="Servers refuse it, and every import adds it again. The fix assigns a UID, always the same one.",
)
