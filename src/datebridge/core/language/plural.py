"""Numbers with their nouns.

>>> counted(1, "entry", "entries"), counted(1200, "entry", "entries"), counted(3, "event")
('1 entry', '1,200 entries', '3 events')
"""

from __future__ import annotations


def counted(number: int, one: str, many: str = "") -> str:
    """So many of something."""
    return f"{number:,} {noun(number, one, many)}"


def noun(number: int, one: str, many: str = "") -> str:
    """What one calls so many of something."""
    return one if number == 1 else many or f"{one}s"
