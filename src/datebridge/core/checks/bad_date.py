"""A date or time that does not exist, such as 30 February.

Noted while the entry is placed (`core.index.placing`), since reading a date and finding that it is none are one.
"""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "bad-date",
    "breaks",
    "Date that does not exist",
    why="Other systems refuse the entry or show it on another date.",
)
