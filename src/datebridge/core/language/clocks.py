"""Hours as people read them, on one clock for all and on an entry's own.

>>> hours(50400, 55800), hours(72000, 115200), hours(72000, 86400)
('14:00–15:30', '20:00–08:00 +1 d', '20:00–24:00')
>>> standing(At(0, 39600, 43200, zone="Australia/Hobart"), "Atlantic/Reykjavik").own
'11:00–12:00 Hobart +11:00'
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import NamedTuple

from datebridge.core.moments import from_wall_seconds, instant_at, wall_at

DAY = 86400


@dataclass(frozen=True, slots=True)
class At:
    """Where an entry is in time, as the index has it (`core.index.facts.Facts`)."""

    start: int | None
    start_wall: int | None
    end_wall: int | None
    zone: str = ""
    tzid: str = ""
    whole: bool = False
    floating: bool = False


class Standing(NamedTuple):
    """When something is on the clock that was asked for; and on its own, where that is another time."""

    when: str
    own: str


def hours(start: int, end: int) -> str:
    """From wall seconds to wall seconds, with the days it goes on; midnight belongs to the day before."""
    begin, close = from_wall_seconds(start), from_wall_seconds(end)
    if start == end:
        return f"{begin:%H:%M}"
    later = end // DAY - start // DAY
    if later and end % DAY == 0:
        return f"{begin:%H:%M}–24:00" + (f" +{later - 1} d" if later > 1 else "")
    return f"{begin:%H:%M}–{close:%H:%M}" + (f" +{later} d" if later else "")


def place_of(zone: str) -> str:
    """The place a zone is named after: ``Hobart``."""
    return zone.rsplit("/", 1)[-1].replace("_", " ")


def own_clock(start: int, end: int, zone: str, shown: int) -> str:
    """The hours of two instants on another clock than the one they are shown on; "" where it shows the same.

    Args:
        shown: the start in wall seconds of the clock they are shown on.
    """
    begin, close = wall_at(start, zone), wall_at(end, zone)
    if begin == shown:
        return ""
    offset = (begin - start) // 60
    sign = "-" if offset < 0 else "+"
    day = {1: "next day ", -1: "day before "}.get(begin // DAY - shown // DAY, "")
    return f"{day}{hours(begin, close)} {place_of(zone)} {sign}{abs(offset) // 60:02d}:{abs(offset) % 60:02d}"


def standing(at: At, clock: str) -> Standing:
    """When an entry is, on a clock; on its own one where `clock` is "" or it has none.

    ``2026-11-24 Tue 09:00–10:30``, ``2026-11-24 Tue``, or two dates.
    """
    if at.start_wall is None or at.end_wall is None:
        return Standing("at no time", "")
    if at.whole:
        first, after = from_wall_seconds(at.start_wall), from_wall_seconds(at.end_wall)
        last = after - timedelta(days=1) if after > first else first
        return Standing(f"{first:%Y-%m-%d %a}" if last <= first else f"{first:%Y-%m-%d} – {last:%Y-%m-%d}", "")
    if not clock or at.floating or at.start is None:
        return Standing(_timed(at.start_wall, at.end_wall), "floating" if clock and at.floating else "")
    # A zone that its calendar defines itself is known by what it said at the start.
    end = instant_at(at.end_wall, at.zone) if at.zone else at.end_wall - at.start_wall + at.start
    shown = wall_at(at.start, clock)
    when = _timed(shown, wall_at(end, clock))
    if at.zone:
        return Standing(when, own_clock(at.start, end, at.zone, shown))
    return Standing(when, "" if shown == at.start_wall else f"{hours(at.start_wall, at.end_wall)} “{at.tzid}”")


def _timed(start: int, end: int) -> str:
    return f"{from_wall_seconds(start):%Y-%m-%d %a} {hours(start, end)}"
