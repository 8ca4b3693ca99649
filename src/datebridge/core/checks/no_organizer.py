"""Attendees without an organiser (RFC 5545 §3.8.4.3: whoever is invited is invited by somebody)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading


def find(entry: Reading) -> Iterator[CheckFinding]:
    if entry.lists.get("ATTENDEE") and not entry.value("ORGANIZER").strip() and not entry.facts.recurrence_id:
        number = len(entry.lists["ATTENDEE"])
        who = "1 attendee has" if number == 1 else f"{number:,} attendees have"
        yield CheckFinding(f"{who} no organiser.", "Kept.", "ATTENDEE")


CHECK = Check(
    "no-organizer",
    "alters",
    "Attendees without an organiser",
    find,
    needs=frozenset({"ATTENDEE"}),
    why="Servers that send invitations drop the attendees, or make the writer of the entry its organiser.",
)
