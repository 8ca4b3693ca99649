"""A zone as a calendar defines it: the offsets of a VTIMEZONE (RFC 5545 §3.6.5), for names nobody knows.

>>> zone = defined(define("Skerrow", "Atlantic/Faroe", 2026, 2026))
>>> datetime(2026, 7, 1, 9, tzinfo=zone).isoformat()
'2026-07-01T09:00:00+01:00'
"""

from __future__ import annotations

import re
from bisect import bisect_right
from datetime import datetime, timedelta, tzinfo
from functools import lru_cache
from typing import NamedTuple

from datebridge.core.ics.component import Component
from datebridge.core.moments import Moment, NotAMoment, from_wall_seconds, parse_moment
from datebridge.core.recurrence.rules import NotARule, on_clock_of, parse_rule
from datebridge.core.recurrence.starts import starts
from datebridge.core.zones.definition import define

__all__ = ["DefinedZone", "define", "defined"]

_OFFSET = re.compile(r"([+-])(\d\d)(\d\d)(\d\d)?")
_OBSERVANCE = re.compile(r"^BEGIN:(STANDARD|DAYLIGHT)\n.*?^END:\1$", re.MULTILINE | re.DOTALL | re.IGNORECASE)
#: How far the yearly rules of a definition are followed.
_LAST_YEAR = Moment(datetime(2200, 1, 1)).wall_seconds  # noqa: DTZ001


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
        self._changes = changes
        self._instants = [c.instant for c in changes]
        # When the clocks go forward, what they skip is taken with the offset before (§3.3.5), so a wall time
        # is in the new offset once the old one is over; when they go back, what comes twice is the first.
        self._walls = [c.instant + max(c.before, c.after) for c in changes]

    def _at_wall(self, moment: datetime) -> _Change:
        place = bisect_right(self._walls, Moment(moment.replace(tzinfo=None)).wall_seconds)
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
        return timedelta(seconds=self._at_wall(moment).after if moment else self._first.after)

    def dst(self, moment: datetime | None) -> timedelta:
        return timedelta(hours=1) if moment and self._at_wall(moment).daylight else timedelta()

    def tzname(self, moment: datetime | None) -> str:
        return self._at_wall(moment).name if moment else self._first.name

    def fromutc(self, moment: datetime) -> datetime:
        instant = self._wall(moment)
        place = bisect_right(self._instants, instant)
        change = self._changes[place - 1] if place else self._first
        wall = from_wall_seconds(instant + change.after)
        twice = place > 0 and change.after < change.before and instant < change.instant + change.before - change.after
        return wall.replace(tzinfo=self, fold=int(twice))


@lru_cache(maxsize=256)
def defined(text: str) -> DefinedZone | None:
    """The zone a VTIMEZONE defines, or None if it has no observance that can be read."""
    changes = [c for match in _OBSERVANCE.finditer(text) for c in _changes(Component(match[0]))]
    return DefinedZone(sorted(changes)) if changes else None


def _changes(observance: Component) -> list[_Change]:
    before, after = _seconds(observance, "TZOFFSETFROM"), _seconds(observance, "TZOFFSETTO")
    begin = observance.first("DTSTART")
    if before is None or after is None or begin is None:
        return []
    name = observance.first("TZNAME")
    daylight = observance.kind == "DAYLIGHT"
    walls: set[int] = set()
    try:
        start = parse_moment(begin.value.strip())
        walls.add(start.wall_seconds)
        for line in observance.all("RRULE"):
            rule = parse_rule(line.value)
            if rule.until is not None and rule.until.zone == "UTC":  # "in UTC time" (§3.6.5), of the offset before
                shown = from_wall_seconds(rule.until.wall_seconds + before)
                rule = parse_rule(re.sub(r"UNTIL=[^;]*", f"UNTIL={shown:%Y%m%dT%H%M%S}", rule.text.upper()))
            walls.update(starts(on_clock_of(rule, start), start.wall_seconds, start.wall_seconds, _LAST_YEAR))
        for line in observance.all("RDATE"):
            walls.update(parse_moment(item.partition("/")[0]).wall_seconds for item in line.value.split(","))
    except (NotAMoment, NotARule):
        pass  # what could be read of it still counts
    return [_Change(wall - before, before, after, name.value if name else "", daylight) for wall in walls]


def _seconds(observance: Component, name: str) -> int | None:
    line = observance.first(name)
    match = _OFFSET.fullmatch(line.value.strip()) if line else None
    if match is None:
        return None
    size = int(match[2]) * 3600 + int(match[3]) * 60 + int(match[4] or 0)
    return -size if match[1] == "-" else size
