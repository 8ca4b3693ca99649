"""What a calendar brings in the coming time, for a first look at it.

>>> text = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Lamp Day\\nDTSTART;VALUE=DATE:20200106\\nRRULE:FREQ=YEARLY\\nEND:VEVENT"
>>> [(c.day.isoformat(), c.title) for c in coming([("VEVENT", text)], date(2027, 1, 1), 30)]
[('2027-01-06', 'Lamp Day')]
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts
from datebridge.core.moments import from_wall_seconds, wall_seconds_of
from datebridge.core.occurrences.expanding import Occurrence, occurrences, timed
from datebridge.core.recurrence.starts import DAY


@dataclass(frozen=True, slots=True)
class Coming:
    """One day on which an entry begins; `time` is on the entry's own clock, "" for a whole day."""

    day: date
    time: str
    title: str


def coming(entries: Iterable[tuple[str, str]], first: date, days: int, most: int = 400) -> list[Coming]:
    """What begins within `days` from `first`, in order, at most `most`; entries are (component, text)."""
    facts = [derive(component, text) for component, text in entries]
    placed = [entry for number, happening in enumerate(facts) if (entry := timed(happening, number))]
    low = wall_seconds_of(first)
    high = low + days * DAY
    happening = occurrences(placed, low - DAY, high + DAY)  # on its own clock it may be the day before or after
    return sorted(
        (_at(occurrence, facts[occurrence.entry]) for occurrence in happening if low <= occurrence.slot < high),
        key=lambda c: (c.day, c.time, c.title),
    )[:most]


def _at(occurrence: Occurrence, facts: Facts) -> Coming:
    begin = from_wall_seconds(occurrence.slot)
    return Coming(begin.date(), "" if facts.all_day else f"{begin:%H:%M}", facts.summary)
