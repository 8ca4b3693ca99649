"""An RRULE that cannot be read (RFC 5545 §3.3.10). Noted while the entry is placed."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "bad-rule",
    "breaks",
    "Invalid repeat rule",
    why="No system can tell when it repeats; most refuse it, some show it once.",
)
