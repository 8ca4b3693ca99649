"""A line without a name and a colon (RFC 5545 §3.1). Noted while the lines are read."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "not-a-content-line",
    "breaks",
    "Line that is not a property",
    why="Strict readers refuse the whole file for one such line.",
)
