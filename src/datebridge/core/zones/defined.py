"""A zone as a calendar defines it: the offsets of a VTIMEZONE (RFC 5545 §3.6.5), for unknown names.

>>> zone = defined(define("Skerrow", "Atlantic/Faroe", 2026, 2026))
>>> datetime(2026, 7, 1, 9, tzinfo=zone).isoformat()
'2026-07-01T09:00:00+01:00'
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator
from contextlib import suppress
from datetime import datetime, timedelta, tzinfo
from functools import lru_cache
from itertools import accumulate, islice
from typing import NamedTuple

from datebridge.core.moments import Moment, NotAMoment, from_wall_seconds, parse_moment
from datebridge.core.recurrence.rules import NotARule, on_clock_of, parse_rule, read_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.recurrence.starts import starts
from datebridge.core.text.component import Component
from datebridge.core.text.lines import ContentLine
from datebridge.core.zones.definition import define

__all__ = ["DefinedZone", "define", "defined"]

_OFFSET = re.compile(r"([+-])(\d\d)(\d\d)(\d\d)?", re.ASCII)
_BEGIN = re.compile(r"BEGIN:(?:STANDARD|DAYLIGHT)\s*", re.IGNORECASE)
#: How far the yearly rules of a definition are followed.
_LAST_YEAR = Moment(datetime(2200, 1, 1)).wall_seconds  # noqa: DTZ001
#: A definition that changes the clocks more often is nonsense, and is not followed beyond this.
_MOST_CHANGES = 2_000


class _Change(NamedTuple):
    """From `instant` on, clocks show `after` seconds more than UTC; until then `before`."""

    instant: int
    before: int
    after: int
    name: str
    daylight: bool


class DefinedZone(tzinfo):
    """What a VTIMEZONE says, as Python has zones. Made by `defined`, one object for one text."""

    def __init__(self, changes: list[_Change]) -> None:
        # What was in force before is what the change before it says, whatever TZOFFSETFROM has.
        befores = [changes[0].before, *(c.after for c in changes)]
        self._changes = [c._replace(before=before) for c, before in zip(changes, befores, strict=False)]
        self._instants = [c.instant for c in changes]
        # When the clocks go forward, what they skip is taken with the offset before (§3.3.5), so a wall time
        # is in the new offset once the old one is over; when they go back, what comes twice is the first.
        walls = [c.instant + max(c.before, c.after) for c in self._changes]
        self._walls = list(accumulate(walls, max))

    @property
    def instants(self) -> list[int]:
        """When its clocks change."""
        return self._instants

    @property
    def shown(self) -> tuple[tuple[int, int], ...]:
        """What it shows: from which instants on it is how many seconds ahead. The same for zones that go alike."""
        return tuple((c.instant, c.after) for c in self._changes if c.after != c.before)

    @property
    def names(self) -> frozenset[str]:
        """What its clocks are called now: after the last two changes it says."""
        return frozenset(change.name for change in self._changes[-2:] if change.name)

    def is_fixed(self, first: int, last: int) -> bool:
        """Whether its clocks never change in the years from `first` to `last`."""
        low, high = (Moment(datetime(year, 1, 1)).wall_seconds for year in (first, min(last + 1, 9999)))  # noqa: DTZ001
        within = self._instants[bisect_right(self._instants, low) : bisect_right(self._instants, high)]
        return len({self.offset_at(instant) for instant in (low, *within)}) == 1

    def offset_at(self, instant: int) -> int:
        """The seconds its clocks are ahead of UTC at an instant."""
        place = bisect_right(self._instants, instant)
        return self._changes[place - 1].after if place else self._changes[0].before

    def _at_wall(self, moment: datetime) -> _Change:
        place = bisect_right(self._walls, self._wall(moment))
        if moment.fold and place < len(self._changes):
            change = self._changes[place]
            if change.after < change.before and self._instants[place] + change.after <= self._wall(moment):
                return change
        return self._changes[place - 1] if place else self._first

    @staticmethod
    def _wall(moment: datetime) -> int:
        return Moment(moment.replace(tzinfo=None)).wall_seconds

    @property
    def _first(self) -> _Change:
        first = self._changes[0]
        return first._replace(after=first.before, daylight=False)

    def utcoffset(self, moment: datetime | None) -> timedelta:
        """How far the clock is ahead of UTC."""
        return timedelta(seconds=self._at_wall(moment).after if moment else self._first.after)

    def dst(self, moment: datetime | None) -> timedelta:
        """An hour in what is called daylight time there."""
        return timedelta(hours=1) if moment and self._at_wall(moment).daylight else timedelta()

    def tzname(self, moment: datetime | None) -> str:
        """What the clock is called then."""
        return self._at_wall(moment).name if moment else self._first.name

    def fromutc(self, moment: datetime) -> datetime:
        """The time on this clock at an instant."""
        instant = self._wall(moment)
        place = bisect_right(self._instants, instant)
        change = self._changes[place - 1] if place else self._first
        wall = from_wall_seconds(instant + change.after)
        twice = place > 0 and change.after < change.before and instant < change.instant + change.before - change.after
        return wall.replace(tzinfo=self, fold=int(twice))


@lru_cache(maxsize=1024)
def defined(text: str) -> DefinedZone | None:
    """The zone a VTIMEZONE defines, or None if it has no observance that can be read."""
    changes: list[_Change] = []
    for observance in _observances(text):
        if len(changes) < _MOST_CHANGES:
            changes += _changes(Component(observance))
    return DefinedZone(sorted(set(changes))) if changes else None


def _observances(text: str) -> Iterator[str]:
    lines = text.split("\n")
    begin = -1
    for number, line in enumerate(lines):
        if _BEGIN.fullmatch(line):
            begin = number
        elif begin >= 0 and line[:4].upper() == "END:":
            yield "\n".join(lines[begin : number + 1])
            begin = -1


def _changes(observance: Component) -> list[_Change]:
    by_name: dict[str, list[ContentLine]] = {}
    for _, line in observance.properties():
        by_name.setdefault(line.name, []).append(line)
    before, after = _seconds(by_name, "TZOFFSETFROM"), _seconds(by_name, "TZOFFSETTO")
    if before is None or after is None or "DTSTART" not in by_name:
        return []
    name = by_name["TZNAME"][0].value if "TZNAME" in by_name else ""
    daylight = observance.kind == "DAYLIGHT"
    walls: set[int] = set()
    with suppress(NotAMoment, NotARule):  # what could be read of it still counts
        start = parse_moment(by_name["DTSTART"][0].value.strip())
        walls.add(start.wall_seconds)
        for line in by_name.get("RRULE", [])[:20]:
            rule = read_rule(line.value)[0]
            if rule.until is not None and rule.until.zone == "UTC":  # "in UTC time" (§3.6.5), of the offset before
                shown = Moment(from_wall_seconds(rule.until.wall_seconds + before))
                rule = parse_rule(str(RuleText.of(rule.text).with_until(shown, shown)))
            begun = starts(on_clock_of(rule, start), start.wall_seconds, start.wall_seconds, _LAST_YEAR)
            walls.update(islice(begun, _MOST_CHANGES))
        for line in by_name.get("RDATE", []):
            for item in line.value.split(","):
                with suppress(NotAMoment):
                    walls.add(parse_moment(item.partition("/")[0].strip()).wall_seconds)
    return [_Change(wall - before, before, after, name, daylight) for wall in walls]


def _seconds(by_name: dict[str, list[ContentLine]], name: str) -> int | None:
    match = _OFFSET.fullmatch(by_name[name][0].value.strip()) if name in by_name else None
    if match is None:
        return None
    size = int(match[2]) * 3600 + int(match[3]) * 60 + int(match[4] or 0)
    return None if size >= 86400 else -size if match[1] == "-" else size
