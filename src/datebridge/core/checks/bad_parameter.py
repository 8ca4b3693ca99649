"""A line with an open quote, so that nobody can say where its value begins. Noted while the lines are read."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "bad-parameter",
    "breaks",
    "A parameter with an open quote",
    why="A quotation mark is missing, so where the value begins is anybody's guess.",
)
