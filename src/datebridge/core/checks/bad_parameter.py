"""A line with an open quote, so that nobody can say where its value begins. Noted while the lines are read."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "bad-parameter",
    "breaks",
    "Parameter without a closing quotation mark",
    why="A quotation mark is missing, so the start of the value is unclear.",
)
