"""What an hour on one clock is on others, before and after each change of any of the clocks.

>>> rows = across(time(15), "Australia/Hobart", ["America/Halifax"], date(2026, 11, 25), date(2027, 5, 1))
>>> [(row.first.isoformat(), row.times[0].shown, row.times[0].days) for row in rows]
[('2026-11-25', '00:00', 0), ('2027-03-15', '01:00', 0), ('2027-04-04', '02:00', 0)]
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from datebridge.core.moments import Moment, from_wall_seconds, instant_at, wall_at
from datebridge.core.zones.definition import Transition, changes_of


@dataclass(frozen=True, slots=True)
class There:
    """A time on another clock: ``09:30``, so many days later (1) or earlier (-1), with the offset in force."""

    shown: str
    days: int
    offset: str


@dataclass(frozen=True, slots=True)
class Stretch:
    """From `first` on, until the clocks of `changed` change; "" for the first stretch. `times` in the order asked."""

    first: date
    changed: str
    times: tuple[There, ...]


def across(at: time, zone: str, zones: Sequence[str], first: date, last: date) -> list[Stretch]:
    """A time of day in `zone` as `zones` show it, from `first` to `last`, one row for each stretch without change."""
    begins: dict[date, set[str]] = {first: set()}
    for one in (zone, *zones):
        for change in changes(one, first.year, last.year):
            # From the first day on which the hour asked lies after the change.
            local = (change.instant + change.after).date() if one == zone else None
            day = local or from_wall_seconds(wall_at(int(change.instant.timestamp()), zone)).date()
            if instant_at(Moment(datetime.combine(day, at)).wall_seconds, zone) < change.instant.timestamp():
                day += timedelta(days=1)
            if first < day <= last:
                begins.setdefault(day, set()).add(one)
    rows = []
    for day in sorted(begins):
        wall = Moment(datetime.combine(day, at)).wall_seconds
        instant = instant_at(wall, zone)
        rows.append(Stretch(day, " and ".join(sorted(begins[day])), tuple(_there(instant, wall, z) for z in zones)))
    return rows


def _there(instant: int, wall: int, zone: str) -> There:
    shown = wall_at(instant, zone)
    return There(f"{from_wall_seconds(shown):%H:%M}", shown // 86400 - wall // 86400, offset_of(instant, zone))


def offset_of(instant: int, zone: str) -> str:
    """The offset in force, as ISO 8601 writes it: ``+11:00``."""
    return offset_text(wall_at(instant, zone) - instant)


def offset_text(seconds: int) -> str:
    """An offset as ISO 8601 writes it; seconds only where there are any."""
    sign, seconds = ("-", -seconds) if seconds < 0 else ("+", seconds)
    text = f"{sign}{seconds // 3600:02d}:{seconds // 60 % 60:02d}"
    return text + (f":{seconds % 60:02d}" if seconds % 60 else "")


def changes(zone: str, first_year: int, last_year: int) -> tuple[Transition, ...]:
    """Every time the clocks of a zone change in these years."""
    return tuple(c for year in range(first_year, last_year + 1) for c in changes_of(zone, year) if c.before != c.after)


def change_on(day: date, zone: str) -> str:
    """How the clocks change on a day, in words; "" where they do not."""
    for change in changes(zone, day.year, day.year) if zone != "UTC" else ():
        if change.wall.date() == day:
            minutes = int((change.after - change.before).total_seconds()) // 60
            size = f"{abs(minutes) // 60} h" if minutes % 60 == 0 else f"{abs(minutes)} min"
            return f"clocks go {'forward' if minutes > 0 else 'back'} {size} at {change.wall:%H:%M}"
    return ""
