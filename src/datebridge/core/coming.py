"""What a calendar brings in the coming time, for a first look at it.

>>> text = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Lamp Day\\nDTSTART;VALUE=DATE:20200106\\nRRULE:FREQ=YEARLY\\nEND:VEVENT"
>>> [(c.day.isoformat(), c.title) for c in coming([("VEVENT", text)], date(2027, 1, 1), 30)]
[('2027-01-06', 'Lamp Day')]
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from datebridge.core.events import derive
from datebridge.core.facts import Facts, Mark
from datebridge.core.moments import from_wall_seconds, wall_seconds_of
from datebridge.core.recurrence.bounds import happens

DAY = 86400


@dataclass(frozen=True, slots=True)
class Coming:
    """One day on which an entry begins; `time` is on the entry's own clock, "" for a whole day."""

    day: date
    time: str
    title: str


def coming(entries: Iterable[tuple[str, str]], first: date, days: int, most: int = 400) -> list[Coming]:
    """What begins within `days` from `first`, in order, at most `most`; entries are (component, text)."""
    low = wall_seconds_of(first)
    high = low + days * DAY
    found: list[Coming] = []
    for component, text in entries:
        facts = derive(component, text)
        if facts.start_wall is None or facts.start_wall >= high:
            continue
        found += [_at(facts, day) for day in _days(facts, low, high)]
    return sorted(found, key=lambda c: (c.day, c.time, c.title))[:most]


def _days(facts: Facts, low: int, high: int) -> list[date]:
    assert facts.start_wall is not None  # noqa: S101
    if not facts.marks & Mark.SERIES:
        return [from_wall_seconds(facts.start_wall).date()] if facts.start_wall >= low else []
    if facts.until_wall is not None and facts.until_wall < low:
        return []
    start = from_wall_seconds(low).date()
    return [
        start + timedelta(days=k)
        for k in range((high - low) // DAY)
        if facts.weekdays >> (start + timedelta(days=k)).weekday() & 1
        and happens(facts.recurrence, facts.start_wall, low + k * DAY, low + (k + 1) * DAY)
    ]


def _at(facts: Facts, day: date) -> Coming:
    assert facts.start_wall is not None  # noqa: S101
    return Coming(day, "" if facts.all_day else f"{from_wall_seconds(facts.start_wall):%H:%M}", facts.summary)
