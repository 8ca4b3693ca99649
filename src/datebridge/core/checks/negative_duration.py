"""A DURATION that lies before the start (RFC 5545 §3.8.2.5). Noted while the entry is placed."""

from __future__ import annotations

from datebridge.core.checks.check import Check

CHECK = Check(
    "negative-duration",
    "breaks",
    "Negative duration",
    why="Strict servers refuse an entry that ends before it begins.",
)
