"""A DURATION, or the length of a PERIOD, that is none (RFC 5545 §3.3.6). Noted while the entry is placed."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "bad-duration",
    "breaks",
    "A duration that cannot be read",
    why="How long it lasts cannot be read; other systems refuse it or give it a length of their own.",
)
