"""A TRIGGER that says no time (RFC 5545 §3.8.6.3). Noted while the lines are read."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "bad-trigger",
    "breaks",
    "Alarm with an invalid time",
    why="It never rings, and strict servers refuse the entry.",
)
