"""Spans and lengths of time as people read them.

>>> length(5400), difference(-2700), span([date(2026, 11, 23), date(2026, 11, 29)])
('1 h 30', '−45 min', '23–29 Nov 2026')
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date


def day_name(day: date) -> str:
    """A day as in a heading: ``Tue 24 Nov``."""
    return f"{day:%a} {day.day} {day:%b}"


def span(days: Sequence[date]) -> str:
    """Days in words; scattered ones by their number.

    ``Tue 24 Nov 2026``, ``23–29 Nov 2026``, or ``30 Nov 2026 – 6 Dec 2026``.
    """
    first, last = min(days), max(days)
    if first == last:
        return f"{day_name(first)} {first.year}"
    if (last - first).days + 1 != len(days) > 2:
        return f"{len(days)} days, {first.day} {first:%b %Y} – {last.day} {last:%b %Y}"
    if (first.year, first.month) == (last.year, last.month):
        return f"{first.day}–{last.day} {last:%b %Y}"
    return f"{first.day} {first:%b %Y} – {last.day} {last:%b %Y}"


def length(seconds: int) -> str:
    """How long: ``45 min``, ``1 h 30``, ``12 h``, ``3 d 4 h``."""
    minutes = seconds // 60
    if minutes < 60:
        return f"{minutes} min"
    days, rest = divmod(minutes, 1440)
    hour, minute = divmod(rest, 60)
    if days:
        return f"{days} d" + (f" {hour} h" if hour else "")
    return f"{hour} h" + (f" {minute:02d}" if minute else "")


def difference(seconds: int) -> str:
    """By how much something is later or earlier: ``+1 h``, ``−45 min``; "" for not at all."""
    if not seconds:
        return ""
    return ("+" if seconds > 0 else "−") + length(abs(seconds))
