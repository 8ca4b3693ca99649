"""Moments: a date, a floating time, a time in a zone, or a time in UTC (RFC 5545 §3.3.4, §3.3.5).

>>> parse_moment("20261124T090000", "Atlantic/Reykjavik").iso()
'2026-11-24T09:00:00+00:00'
>>> parse_moment("20261124").iso()
'2026-11-24'

Wall times are counted as *wall seconds*: the seconds since 1970-01-01 that a clock on the wall would
make of it, in no zone. They are what sorting, days and years go by. *Instants* are seconds since the
epoch in UTC; a date or a floating time has none.
"""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, timedelta, tzinfo
from functools import lru_cache
from typing import NamedTuple

from datebridge.core.tzids import resolve, zone_info

#: What tells the time: the name of an IANA zone, or a zone a calendar defines itself.
Clock = str | tzinfo
_EPOCH = datetime(1970, 1, 1)  # noqa: DTZ001  (wall clocks have no zone)
_EPOCH_UTC = datetime(1970, 1, 1, tzinfo=UTC)
#: The last moment a calendar can name; what lies beyond is held here.
LATEST = datetime(9999, 12, 31, 23, 59, 59)  # noqa: DTZ001
_EPOCH_DAY = _EPOCH.toordinal()
_DURATION = re.compile(
    r"([+-]?)P(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)S)?)?", re.IGNORECASE | re.ASCII
)


class NotAMoment(ValueError):
    """The value is not a date or time, or names one that does not exist."""


class Moment(NamedTuple):
    """A point in time as written.

    Attributes:
        wall: what the clock on the wall shows; midnight for a date.
        is_date: a whole day, in no zone.
        tzid: the TZID as written; "UTC" for a time that ends in Z; "" for dates and floating times.
        zone: the IANA zone it means, or the zone a calendar defines; "" where there is none or it is unknown.
    """

    wall: datetime
    is_date: bool = False
    tzid: str = ""
    zone: Clock = ""

    @property
    def wall_seconds(self) -> int:
        """The time on its own clock, in seconds since 1970-01-01 there."""
        wall = self.wall
        return (wall.toordinal() - _EPOCH_DAY) * 86400 + wall.hour * 3600 + wall.minute * 60 + wall.second

    def instant(self) -> int | None:
        """Seconds since the epoch in UTC, or None where the zone is unknown or there is none.

        A time that the clocks skip is taken with the offset before the gap; one that comes twice is
        the first of the two (RFC 5545 §3.3.5). That is what zoneinfo does with fold=0.
        """
        if not self.zone:
            return None
        if self.zone == "UTC":
            return self.wall_seconds
        offset = _tzinfo(self.zone).utcoffset(self.wall)
        return self.wall_seconds - (offset.days * 86400 + offset.seconds if offset is not None else 0)

    def on_clock_of(self, other: Moment) -> datetime:
        """The wall time of this moment on the clock that `other` goes by."""
        instant = self.instant()
        if instant is None or not other.zone or self.zone == other.zone:
            return self.wall
        return from_wall_seconds(wall_at(instant, other.zone))

    def iso(self) -> str:
        """ISO 8601: a date alone, a floating time without offset, a placed time with its offset."""
        if self.is_date:
            return self.wall.date().isoformat()
        if not self.zone:
            return self.wall.isoformat()
        tz = UTC if self.zone == "UTC" else _tzinfo(self.zone)
        return self.wall.replace(tzinfo=tz).isoformat()

    def key(self) -> str:
        """The moment in one spelling for all zones, so that RECURRENCE-IDs can be compared."""
        if self.is_date:
            return basic_date(self.wall)
        instant = self.instant()
        return basic(self.wall) if instant is None else basic(from_wall_seconds(instant)) + "Z"


def basic(wall: datetime) -> str:
    """A DATE-TIME as iCalendar writes it, without Z. The year always has four digits."""
    return wall.isoformat(timespec="seconds").replace("-", "").replace(":", "")[:15]


def basic_date(day: date) -> str:
    """A DATE as iCalendar writes it."""
    return day.isoformat()[:10].replace("-", "")


@lru_cache(maxsize=8192)  # stamps, and the starts and ends of what happens together, come again and again
def parse_moment(value: str, tzid: str = "", clock: Clock | None = None) -> Moment:
    """Read a DATE or DATE-TIME value with the TZID of its property.

    Args:
        clock: what the TZID means where it stands; left to its name where it is not given.

    Raises:
        NotAMoment: if there is no such date or time.
    """
    try:
        size = len(value)
        if not (value.isascii() and value[:8].isdigit() and (size == 8 or value[9:15].isdigit())):
            raise NotAMoment(value)  # int() takes signs, spaces and digits of other scripts
        if size == 8:
            return Moment(datetime(int(value[:4]), int(value[4:6]), int(value[6:])), True)  # noqa: DTZ001
        if size in (15, 16) and value[8] in "Tt":
            # Leap seconds exist (RFC 5545 §3.3.12); datetime's do not.
            wall = datetime.fromisoformat(value[:15] if value[13:15] != "60" else value[:13] + "59")
            if size == 16:
                if value[15] not in "Zz":
                    raise NotAMoment(value)
                return Moment(wall, False, "UTC", "UTC")
            return Moment(wall, False, tzid, (resolve(tzid).zone if tzid else "") if clock is None else clock)
    except ValueError as error:
        raise NotAMoment(value) from error
    raise NotAMoment(value)


def parse_duration(value: str) -> tuple[int, int]:
    """Read a DURATION value (RFC 5545 §3.3.6): nominal days, and exact seconds; both below 0 if it is negative.

    Raises:
        NotAMoment: if it is not one.
    """
    match = _DURATION.fullmatch(value.strip())
    if match is None or not any(match.groups()[1:]) or len(value) > 60:
        raise NotAMoment(value)
    weeks, days, hours, minutes, seconds = (int(g or 0) for g in match.groups()[1:])
    days, seconds = weeks * 7 + days, hours * 3600 + minutes * 60 + seconds
    if days + seconds // 86400 > _EPOCH_DAY:
        raise NotAMoment(value)
    return (-days, -seconds) if match[1] == "-" else (days, seconds)


@lru_cache(maxsize=65536)  # the occurrences of a month begin and end at far fewer times than there are of them
def instant_at(wall: int, clock: Clock) -> int:
    """The instant at which a clock shows wall seconds; see `Moment.instant` for what is skipped or comes twice."""
    if clock == "UTC":
        return wall
    offset = _tzinfo(clock).utcoffset(from_wall_seconds(wall))
    return wall - (offset.days * 86400 + offset.seconds if offset is not None else 0)


@lru_cache(maxsize=65536)
def wall_at(instant: int, clock: Clock) -> int:
    """What a clock shows at an instant, in wall seconds."""
    if clock == "UTC":
        return instant
    zone = _tzinfo(clock)
    try:
        offset = (_EPOCH_UTC + timedelta(seconds=instant)).astimezone(zone).utcoffset()
    except OverflowError:  # the first or last day there is
        return instant
    return instant + (offset.days * 86400 + offset.seconds if offset is not None else 0)


def _tzinfo(clock: Clock) -> tzinfo:
    return zone_info(clock) if isinstance(clock, str) else clock


def last_wall(instant: int, clock: Clock) -> int:
    """The latest wall seconds whose time is not after an instant.

    That is what the clock shows, but for the second pass of an hour it repeats: all of the first pass is over then.
    """
    wall = wall_at(instant, clock)
    if instant_at(wall, clock) == instant:
        return wall
    low, high = instant_at(wall, clock), instant  # the clocks went back in between
    before = wall - low
    while high - low > 1:
        middle = (low + high) // 2
        if wall_at(middle, clock) - middle == before:
            low = middle
        else:
            high = middle
    return low + before if instant_at(wall, clock) < instant else wall


def wall_seconds_of(day: date) -> int:
    """Midnight of a day in wall seconds."""
    return (day.toordinal() - _EPOCH_DAY) * 86400


def from_wall_seconds(seconds: int) -> datetime:
    """The wall clock's datetime (without zone) for wall seconds, held within the years there are."""
    try:
        return _EPOCH + timedelta(seconds=seconds)
    except OverflowError:
        return LATEST if seconds > 0 else datetime(1, 1, 1)  # noqa: DTZ001
