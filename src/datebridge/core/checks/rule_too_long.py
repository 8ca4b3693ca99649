"""A COUNT that cannot be counted to its end within the bounds of `core.recurrence`. Noted while the entry is placed."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "rule-too-long",
    "alters",
    "Repeat rule with too many occurrences",
    why="It repeats so often that programs cannot process it.",
)
