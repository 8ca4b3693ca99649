"""A COUNT that cannot be counted to its end within the bounds of `core.recurrence`. Noted while the entry is placed."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "rule-too-long",
    "alters",
    "A repeat rule too long to be counted",
    why="It repeats so often that programs give up on it.",
)
