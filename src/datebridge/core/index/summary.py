"""What is inside a file or a calendar, counted while it streams by.

>>> summary = Summary()
>>> summary.add(derive("VEVENT", "BEGIN:VEVENT\\nUID:1\\nDTSTART:20261124T080000Z\\nEND:VEVENT"))
>>> summary.events, summary.zones[("UTC")]
(1, 1)
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import Any

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.moments import from_wall_seconds
from datebridge.core.tzids import resolve

__all__ = ["Summary", "derive"]

#: Feature names for people, by mark.
FEATURES = {
    Mark.ALARM: "alarms",
    Mark.ATTENDEES: "attendees",
    Mark.ATTACHMENT: "attachments",
    Mark.PRIVATE: "private entries",
    Mark.ALL_DAY: "all-day entries",
    Mark.FLOATING: "floating times",
    Mark.ENDLESS: "series without end",
    Mark.UNKNOWN: "unknown properties",
}


@dataclass(slots=True)
class Summary:
    """Counts over entries. `first` and `last` are wall seconds; `zones` counts entries per TZID."""

    events: int = 0
    series: int = 0
    overrides: int = 0
    todos: int = 0
    journals: int = 0
    others: int = 0
    problems: int = 0
    unplaced: int = 0
    first: int | None = None
    last: int | None = None
    zones: Counter[str] = field(default_factory=Counter)
    #: Of the zones, those whose own definition counts for an entry at least.
    defined: Counter[str] = field(default_factory=Counter)
    marks: Counter[int] = field(default_factory=Counter)
    unknown: Counter[str] = field(default_factory=Counter)

    def add(self, facts: Facts) -> None:
        """Count one entry. Calendar headers and zone definitions are not entries."""
        component, marks = facts.component, facts.marks
        if component in ("VCALENDAR", "VTIMEZONE"):
            return
        if component == "VEVENT":
            self.events += 1
            self.series += bool(marks & Mark.SERIES)
            self.overrides += bool(marks & Mark.OVERRIDE)
        elif component == "VTODO":
            self.todos += 1
        elif component == "VJOURNAL":
            self.journals += 1
        else:
            self.others += 1
        self.problems += bool(marks & Mark.PROBLEM)
        self.unplaced += bool(marks & Mark.UNPLACED)
        self.marks[marks] += 1
        for name in facts.unknown:
            self.unknown[name] += 1
        if facts.tzids:
            self.zones.update(facts.tzids)
        elif facts.tzid:
            self.zones[facts.tzid] += 1
        if marks & Mark.DEFINED_ZONE:
            self.defined[facts.tzid] += 1
        if facts.start_wall is not None:
            self.first = facts.start_wall if self.first is None else min(self.first, facts.start_wall)
            end = facts.until_wall if facts.until_wall is not None else facts.end_wall or facts.start_wall
            self.last = end if self.last is None else max(self.last, end)

    def merge(self, other: Summary) -> None:
        """Count what another has counted."""
        for name in ("events", "series", "overrides", "todos", "journals", "others", "problems", "unplaced"):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        for name, choose in (("first", min), ("last", max)):
            both = [one for one in (getattr(self, name), getattr(other, name)) if one is not None]
            setattr(self, name, choose(both, default=None))
        self.zones.update(other.zones)
        self.marks.update(other.marks)
        self.defined.update(other.defined)
        self.unknown.update(other.unknown)

    @property
    def features(self) -> Counter[str]:
        """How many entries have what, by name, the most frequent first."""
        counts: Counter[str] = Counter()
        for marks, count in self.marks.items():
            for mark, name in FEATURES.items():
                if marks & mark:
                    counts[name] += count
        return counts

    @property
    def entries(self) -> int:
        """How many entries there are of all kinds."""
        return self.events + self.todos + self.journals + self.others

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON; days as YYYY-MM-DD, zones with what they mean."""
        return {
            "entries": self.entries,
            "events": self.events,
            "series": self.series,
            "overrides": self.overrides,
            "todos": self.todos,
            "journals": self.journals,
            "others": self.others,
            "with_problems": self.problems,
            "unplaced": self.unplaced,
            "first": _day(self.first),
            "last": _day(self.last),
            "zones": [
                {"tzid": tzid, "zone": "", "method": "defined", "events": count}
                if tzid in self.defined
                else {"tzid": tzid, "zone": resolve(tzid).zone, "method": resolve(tzid).method, "events": count}
                for tzid, count in self.zones.most_common()
            ],
            "features": dict(self.features.most_common()),
            "unknown_properties": dict(self.unknown.most_common(50)),
        }


def _day(seconds: int | None) -> str | None:
    return None if seconds is None else from_wall_seconds(seconds).date().isoformat()
