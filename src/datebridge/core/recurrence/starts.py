"""When a rule begins occurrences within a window, without walking the series from its start.

>>> monday = 20_780 * DAY + 9 * 3600  # 2026-11-23 09:00
>>> [day // DAY - 20_780 for day in starts(parse_rule("FREQ=MONTHLY;BYDAY=-1FR"), monday, monday, monday + 70 * DAY)]
[4, 32, 67]

All times are wall seconds of the series itself (see `moments`). A day is asked whether it belongs to the rule,
so the work depends on the window alone: not on how long ago the series began, and not on how seldom it happens.
The parts of a rule mean what RFC 5545 §3.3.10 says of them, BYSETPOS over whole periods.
"""

from __future__ import annotations

import calendar
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator
from datetime import date
from functools import lru_cache
from itertools import groupby, product
from typing import NamedTuple

from datebridge.core.recurrence.rules import WEEKDAYS, Rule, parse_rule

DAY = 86400
#: The number of the day 1970-01-01 as `date.toordinal` counts.
_EPOCH = 719_163
_LAST_DAY = date.max.toordinal() - _EPOCH
_UNITS = {"HOURLY": 3600, "MINUTELY": 60, "SECONDLY": 1}
#: A rule with COUNT is walked to its last occurrence up to this many; past it, it counts as endless.
MOST_COUNTED = 10_000
#: The calendar repeats after 400 years; a rule that gave nothing for so long never will.
_CYCLE = 146_097


def starts(rule: Rule, start: int, low: int, high: int) -> Iterator[int]:
    """The starts a rule gives from `start` on that lie in [low, high), in order, COUNT and UNTIL applied.

    UNTIL is taken as wall time on the clock of the series. `start` counts as the first whether it fits or not.
    """
    if rule.until is not None:
        last = rule.until.wall_seconds + (DAY - 1 if rule.until.is_date else 0)
        high = min(high, last + 1)
    if rule.count is not None:
        step = _step(rule)
        if step is None:
            counted = _counted(rule.text, start)
            if counted is not None:
                yield from counted[bisect_left(counted, low) : bisect_left(counted, high)]
                return
        else:
            high = min(high, start + step * (rule.count - 1) + 1)
    low, high = max(low, start), min(high, (_LAST_DAY + 1) * DAY)
    if low < high:
        yield from _unlimited(rule, start, low, high)


def last_counted(rule: Rule, start: int) -> int | None:
    """The last start of a rule with COUNT, or None where there are too many to count."""
    if rule.count is None:
        return None
    step = _step(rule)
    if step is not None:
        last = start + step * (rule.count - 1)
        return last if last < (_LAST_DAY + 1) * DAY else None
    counted = _counted(rule.text, start)
    return counted[-1] if counted is not None else None


def _step(rule: Rule) -> int | None:
    """The seconds from one start to the next where they are always the same."""
    if rule.by or rule.byday or rule.freq in ("MONTHLY", "YEARLY"):
        return None
    return rule.interval * (_UNITS.get(rule.freq) or (7 * DAY if rule.freq == "WEEKLY" else DAY))


@lru_cache(maxsize=2048)
def _counted(text: str, start: int) -> tuple[int, ...] | None:
    """Every start of a rule with COUNT; None if there are more than MOST_COUNTED."""
    rule = parse_rule(text)
    assert rule.count is not None  # noqa: S101
    if rule.count > MOST_COUNTED:
        return None
    found = [start]
    low, span = start + 1, 40 * DAY
    while len(found) < rule.count and low <= _LAST_DAY * DAY and low - found[-1] < _CYCLE * DAY:
        for moment in _unlimited(rule, start, low, min(low + span, (_LAST_DAY + 1) * DAY)):
            found.append(moment)
            if len(found) == rule.count:
                break
        low, span = low + span, span * 2
    return tuple(found)


def _unlimited(rule: Rule, start: int, low: int, high: int) -> Iterator[int]:
    """The starts in [low, high) of a rule taken without COUNT and UNTIL; `low` is not before `start`."""
    step = _step(rule)
    if step is not None:
        yield from range(start + -(-(low - start) // step) * step, high, step)
        return
    if rule.freq == "WEEKLY" and not rule.by:
        yield from _weekly(rule, start, low, high)
        return
    shape = _shape(rule.text, start)
    positions = rule.by.get("BYSETPOS")
    if positions is None:
        found: Iterable[int] = _times(shape, _days(shape, low // DAY, (high - 1) // DAY), low, high)
    else:
        found = _placed(shape, positions, low, high)
    for moment in found:
        if low <= moment < high:
            yield moment


def _weekly(rule: Rule, start: int, low: int, high: int) -> Iterator[int]:
    first, time = divmod(start, DAY)
    begins = WEEKDAYS.index(rule.wkst)
    week = first - (weekday_of(first) - begins) % 7
    step = 7 * rule.interval
    offsets = sorted({(WEEKDAYS.index(day) - begins) % 7 for _, day in rule.byday})
    week += max(0, (low // DAY - 6 - week) // step) * step
    while week * DAY < high:
        for offset in offsets:
            moment = (week + offset) * DAY + time
            if low <= moment < high:
                yield moment
        week += step


def weekday_of(day: int) -> int:
    """The weekday of a day counted from 1970-01-01, Monday as 0."""
    return (day + 3) % 7


# ---- days that belong to a rule --------------------------------------------------------------------


class _Days(NamedTuple):
    """The parts of a rule that say on which days it can happen; many series share them."""

    begins: int
    months: frozenset[int]
    weeks: frozenset[int]
    year_days: frozenset[int]
    month_days: tuple[int, ...]
    weekdays: tuple[tuple[int, int], ...]
    nth_in_month: bool


class _Shape(NamedTuple):
    """A rule with what it leaves to its start filled in; days counted from 1970-01-01."""

    freq: str
    interval: int
    start: int
    day: int
    year: int
    month: int
    days: _Days
    hours: tuple[int, ...]
    minutes: tuple[int, ...]
    seconds: tuple[int, ...]


@lru_cache(maxsize=8192)
def _shape(text: str, start: int) -> _Shape:
    rule = parse_rule(text)
    day, time = divmod(start, DAY)
    began = date.fromordinal(day + _EPOCH)
    by = rule.by
    months, month_days = by.get("BYMONTH", ()), by.get("BYMONTHDAY", ())
    counts = rule.freq in ("MONTHLY", "YEARLY") and "BYWEEKNO" not in by
    weekdays = tuple((WEEKDAYS.index(name), nth if counts else 0) for nth, name in rule.byday)
    if not (weekdays or month_days or "BYYEARDAY" in by):
        # "Information missing from the rule is taken from DTSTART" (§3.3.10): its weekday beside BYWEEKNO.
        if rule.freq == "WEEKLY" or "BYWEEKNO" in by:
            weekdays = ((began.weekday(), 0),)
        elif rule.freq in ("MONTHLY", "YEARLY"):
            month_days = (began.day,)
            months = months or ((began.month,) if rule.freq == "YEARLY" else ())
    weeks = by.get("BYWEEKNO", ()) if rule.freq == "YEARLY" else ()
    unit = _UNITS.get(rule.freq, DAY)
    own = time // 3600, time // 60 % 60, time % 60
    return _Shape(
        rule.freq, rule.interval, start, day, began.year, began.month,
        _Days(WEEKDAYS.index(rule.wkst), frozenset(months), frozenset(weeks), frozenset(by.get("BYYEARDAY", ())),
              month_days, weekdays, rule.freq == "MONTHLY" or "BYMONTH" in by),
        tuple(sorted(by.get("BYHOUR", (own[0],) if unit > 3600 else range(24)))),
        tuple(sorted(by.get("BYMINUTE", (own[1],) if unit > 60 else range(60)))),
        tuple(sorted({min(s, 59) for s in by.get("BYSECOND", (own[2],) if unit > 1 else range(60))})),
    )  # fmt: skip


class _Month(NamedTuple):
    first: int
    length: int
    before: int
    year_length: int


@lru_cache(maxsize=8192)
def _month(year: int, month: int) -> _Month:
    first = date(year, month, 1).toordinal() - _EPOCH
    january = date(year, 1, 1).toordinal() - _EPOCH
    return _Month(first, calendar.monthrange(year, month)[1], first - january, 366 if calendar.isleap(year) else 365)


def _days(shape: _Shape, low: int, high: int) -> Iterator[int]:
    """The days in [low, high], both included, that belong to the rule."""
    at = date.fromordinal(max(low + _EPOCH, 1))
    number, last = at.year * 12 + at.month - 1, min(high, _LAST_DAY)
    while number < 120_000:
        year, month = divmod(number, 12)
        month += 1
        if _month(year, month).first > last:
            return
        for day in _days_of_month(shape, year, month):
            if low <= day <= last and _in_step(shape, day):
                yield day
        number += 1
        if shape.freq == "YEARLY" and number % 12 == 0 and (behind := (number // 12 - shape.year) % shape.interval):
            number += (shape.interval - behind) * 12


def _in_step(shape: _Shape, day: int) -> bool:
    if shape.freq == "WEEKLY":
        weeks = (day - (weekday_of(day) - shape.days.begins) % 7) - (
            shape.day - (weekday_of(shape.day) - shape.days.begins) % 7
        )
        return weeks // 7 % shape.interval == 0
    return shape.freq != "DAILY" or (day - shape.day) % shape.interval == 0


def _days_of_month(shape: _Shape, year: int, month: int) -> Iterable[int]:
    if shape.freq == "YEARLY" and (year - shape.year) % shape.interval:
        return ()
    if shape.freq == "MONTHLY" and ((year - shape.year) * 12 + month - shape.month) % shape.interval:
        return ()
    return _fitting(shape.days, year, month)


@lru_cache(maxsize=8192)
def _fitting(parts: _Days, year: int, month: int) -> list[int]:
    """The days of a month that the parts allow."""
    if parts.months and month not in parts.months:
        return []
    first, length, before, year_length = _month(year, month)
    days: Iterable[int] = range(1, length + 1)
    if parts.month_days:
        days = sorted({d if d > 0 else length + 1 + d for d in parts.month_days})
        days = [d for d in days if 1 <= d <= length]
    if parts.year_days:
        wanted = parts.year_days
        days = [d for d in days if before + d in wanted or before + d - year_length - 1 in wanted]
    if parts.weeks:
        days = [d for d in days if _in_weeks(parts, first + d - 1, year)]
    if parts.weekdays:
        inside, within = (0, length) if parts.nth_in_month else (before, year_length)
        days = [d for d in days if _on_weekday(parts, weekday_of(first + d - 1), inside + d, within)]
    return [first + d - 1 for d in days]


def _on_weekday(parts: _Days, weekday: int, number: int, of: int) -> bool:
    """Whether the `number`th day `of` so many, a month's or a year's, is one of the rule's weekdays."""
    from_start, from_end = (number - 1) // 7 + 1, -((of - number) // 7 + 1)
    return any(day == weekday and nth in (0, from_start, from_end) for day, nth in parts.weekdays)


def _in_weeks(parts: _Days, day: int, year: int) -> bool:
    """Whether a day is in one of the rule's weeks; week 1 is the first with four days in the year (§3.3.10)."""
    for of in (year - 1, year, year + 1):
        if 1 <= of < 9999:
            first, following = _first_week(of, parts.begins), _first_week(of + 1, parts.begins)
            if first <= day < following:
                week = (day - first) // 7 + 1
                return week in parts.weeks or week - (following - first) // 7 - 1 in parts.weeks
    return False


@lru_cache(maxsize=1024)
def _first_week(year: int, begins: int) -> int:
    """The day on which week 1 of a year begins, for weeks that begin on a weekday."""
    fourth = date(year, 1, 4).toordinal() - _EPOCH
    return fourth - (weekday_of(fourth) - begins) % 7


# ---- times within the days, and positions within a period --------------------------------------------


def _times(shape: _Shape, days: Iterable[int], low: int, high: int) -> Iterator[int]:
    """The moments on the given days, in order; `low` and `high` only save work."""
    unit = _UNITS.get(shape.freq)
    if unit is None:
        times = [h * 3600 + m * 60 + s for h, m, s in product(shape.hours, shape.minutes, shape.seconds)]
        for day in days:
            yield from [day * DAY + time for time in times]
        return
    base = shape.start // unit
    for day in days:
        for hour in shape.hours:
            at = day * DAY + hour * 3600
            if at + 3600 <= low or at >= high or (unit == 3600 and (at // unit - base) % shape.interval):
                continue
            for minute, second in product(shape.minutes, shape.seconds):
                moment = at + minute * 60 + second
                if (moment // unit - base) % shape.interval == 0:
                    yield moment


def _placed(shape: _Shape, positions: tuple[int, ...], low: int, high: int) -> Iterator[int]:
    """BYSETPOS: the nth moments of each period, counted over the whole of it."""
    of = _PERIODS.get(shape.freq) or (lambda moment, _: moment // _UNITS[shape.freq])
    first, last = _whole_periods(shape, low, high)
    moments = _times(shape, _days(shape, first, last), first * DAY, (last + 1) * DAY)
    for _, period in groupby(moments, lambda moment: of(moment, shape.days.begins)):
        found = list(period)
        places = {p - 1 if p > 0 else len(found) + p for p in positions}
        yield from [found[place] for place in sorted(places) if 0 <= place < len(found)]


def _whole_periods(shape: _Shape, low: int, high: int) -> tuple[int, int]:
    """The first and the last day of the periods that the window touches."""
    first, last = low // DAY, (high - 1) // DAY
    if shape.freq == "WEEKLY":
        return first - (weekday_of(first) - shape.days.begins) % 7, last + 6 - (
            weekday_of(last) - shape.days.begins
        ) % 7
    if shape.freq in ("MONTHLY", "YEARLY"):
        one, other = date.fromordinal(first + _EPOCH), date.fromordinal(last + _EPOCH)
        yearly = shape.freq == "YEARLY"
        begin = date(one.year, 1 if yearly else one.month, 1)
        end = _month(other.year, 12 if yearly else other.month)
        return begin.toordinal() - _EPOCH, end.first + end.length - 1
    return first, last


def _month_of(moment: int, _: int) -> tuple[int, int]:
    day = date.fromordinal(moment // DAY + _EPOCH)
    return day.year, day.month


_PERIODS: dict[str, Callable[[int, int], object]] = {
    "YEARLY": lambda moment, _: date.fromordinal(moment // DAY + _EPOCH).year,
    "MONTHLY": _month_of,
    "WEEKLY": lambda moment, begins: moment // DAY - (weekday_of(moment // DAY) - begins) % 7,
    "DAILY": lambda moment, _: moment // DAY,
}
