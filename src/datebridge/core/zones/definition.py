"""A VTIMEZONE made from the zone data, for the years in use (RFC 5545 §3.6.5).

Each change of the clocks that falls into the years is written out as it happened. The pattern in force
in the last year goes on as a yearly rule, so that series without end keep their hour.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from datebridge.core.recurrence.rules import WEEKDAYS
from datebridge.core.zones.names import zone_info

_STEP = timedelta(days=7)


@dataclass(frozen=True, slots=True)
class Transition:
    """The clocks change at `instant` (UTC) from one offset to another."""

    instant: datetime
    before: timedelta
    after: timedelta
    name: str
    daylight: bool

    @property
    def wall(self) -> datetime:
        """What the clocks showed when they were changed (RFC 5545 §3.6.5: DTSTART of an observance)."""
        return (self.instant + self.before).replace(tzinfo=None)


def transitions(zone: ZoneInfo, first: datetime, last: datetime) -> Iterator[Transition]:
    """Every change of offset, name or daylight saving in [first, last), both in UTC."""
    low, state = first, _state(zone, first)
    while low < last:
        high = min(low + _STEP, last)
        if _state(zone, high) != state:
            left, right = low, high
            while right - left > timedelta(seconds=1):
                middle = left + timedelta(seconds=int((right - left).total_seconds()) // 2)
                if _state(zone, middle) == state:
                    left = middle
                else:
                    right = middle
            after = _state(zone, right)
            yield Transition(right, state[0], after[0], after[2], bool(after[1]))
            low, state = right, after
        else:
            low = high


def _state(zone: ZoneInfo, instant: datetime) -> tuple[timedelta, timedelta, str]:
    local = instant.astimezone(zone)
    return local.utcoffset() or timedelta(), local.dst() or timedelta(), local.tzname() or ""


@lru_cache(maxsize=512)
def define(tzid: str, zone: str, first_year: int, last_year: int) -> str:
    """The VTIMEZONE for `zone` under the name `tzid`, as unfolded lines joined by LF."""
    info = zone_info(zone)
    start = datetime(first_year, 1, 1, tzinfo=UTC)
    offset, dst, name = _state(info, start)
    lines = ["BEGIN:VTIMEZONE", f"TZID:{tzid}"]
    lines += _observance("DAYLIGHT" if dst else "STANDARD", datetime(first_year, 1, 1), offset, offset, name)  # noqa: DTZ001
    changes = list(transitions(info, start, datetime(last_year + 1, 1, 1, tzinfo=UTC)))
    following = list(
        transitions(info, datetime(last_year + 1, 1, 1, tzinfo=UTC), datetime(last_year + 3, 1, 1, tzinfo=UTC))
    )
    yearly = _yearly(following)
    for change in changes:
        if yearly and change.instant.year == last_year and _pattern(change) in yearly:
            continue
        lines += _change(change)
    for pattern in yearly:
        latest = [c for c in changes if c.instant.year == last_year] + following
        lines += _change(next(c for c in latest if _pattern(c) == pattern), pattern[0])
    lines.append("END:VTIMEZONE")
    return "\n".join(lines)


def _pattern(change: Transition) -> tuple[str, timedelta, timedelta]:
    """Which weekday of which month a change falls on, as a yearly rule, with its offsets."""
    wall = change.wall
    last_week = (wall + timedelta(days=7)).month != wall.month
    nth = -1 if last_week else (wall.day - 1) // 7 + 1
    rule = f"FREQ=YEARLY;BYMONTH={wall.month};BYDAY={nth}{WEEKDAYS[wall.weekday()]}"
    return rule, change.before, change.after


def _yearly(changes: list[Transition]) -> list[tuple[str, timedelta, timedelta]]:
    """The patterns that come in each of the two years looked at; nothing unless all changes do."""
    years: dict[tuple[str, timedelta, timedelta], int] = {}
    for change in changes:
        years[_pattern(change)] = years.get(_pattern(change), 0) + 1
    return list(years) if years and all(count == 2 for count in years.values()) else []


def _change(change: Transition, rule: str = "") -> list[str]:
    kind = "DAYLIGHT" if change.daylight else "STANDARD"
    return _observance(kind, change.wall, change.before, change.after, change.name, rule)


def _observance(
    kind: str, start: datetime, before: timedelta, after: timedelta, name: str, rule: str = ""
) -> list[str]:
    lines = [f"BEGIN:{kind}", f"DTSTART:{start:%Y%m%dT%H%M%S}"]
    if rule:
        lines.append(f"RRULE:{rule}")
    lines += [f"TZOFFSETFROM:{_offset(before)}", f"TZOFFSETTO:{_offset(after)}", f"TZNAME:{name}", f"END:{kind}"]
    return lines


def _offset(offset: timedelta) -> str:
    seconds = int(offset.total_seconds())
    sign, seconds = ("-", -seconds) if seconds < 0 else ("+", seconds)
    text = f"{sign}{seconds // 3600:02d}{seconds // 60 % 60:02d}"
    return text + (f"{seconds % 60:02d}" if seconds % 60 else "")
