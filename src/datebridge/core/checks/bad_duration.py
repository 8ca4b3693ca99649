"""A DURATION, or the length of a PERIOD, that is none (RFC 5545 §3.3.6). Noted while the entry is placed."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "bad-duration",
    "breaks",
    "Invalid duration",
    why="Other systems refuse the entry or give it another length.",
)
