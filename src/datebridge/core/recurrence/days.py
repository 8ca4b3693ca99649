"""The days that belong to a rule, a year at a time, as bits of one number: bit 0 is the first of January.

>>> shape = DayShape.of(parse_rule("FREQ=MONTHLY;BYDAY=-1FR"), 20_780)
>>> [day - 20_780 for day in shape.between(20_780, 20_860, Steps())]
[4, 32, 67]

What a year holds depends on nothing but its kind: the weekday it begins on, its length, and the lengths of the years
around it, which number the weeks. So a rule costs a look at some two dozen kinds of years, however long it runs.
Days are counted from 1970-01-01. The parts of a rule mean what RFC 5545 §3.3.10 says of them.
"""

from __future__ import annotations

import calendar
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache
from itertools import accumulate, pairwise
from typing import NamedTuple

from datebridge.core.recurrence.rules import WEEKDAYS, Rule, parse_rule

__all__ = ["DayShape", "Steps", "parse_rule", "weekday_of", "year_of"]

#: The number of the day 1970-01-01 as `date.toordinal` counts.
EPOCH = 719_163
LAST_DAY = date.max.toordinal() - EPOCH
LAST_YEAR = 9999
#: How many years, weeks or days one after the other in which nothing happens, and nothing more is looked for.
MOST_EMPTY = 1_000
_LENGTHS = {leap: [31, 29 if leap else 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31] for leap in (False, True)}
_FIRSTS = {leap: [0, *accumulate(lengths)] for leap, lengths in _LENGTHS.items()}
#: Every seventh day of a year, from the first one on.
_SEVENTHS = sum(1 << day for day in range(0, 372, 7))


@dataclass(slots=True)
class Steps:
    """What a question may still cost: days and years looked at, and times found. `spent` once it is all gone."""

    left: int = 2_000_000

    def take(self, number: int = 1) -> bool:
        """Whether so many more steps may be made."""
        self.left -= number
        return self.left > 0

    @property
    def spent(self) -> bool:
        """Whether no step is left."""
        return self.left <= 0


def weekday_of(day: int) -> int:
    """The weekday of a day counted from 1970-01-01, Monday as 0."""
    return (day + 3) % 7


def year_of(day: int) -> int:
    """The year of a day counted from 1970-01-01."""
    return date.fromordinal(min(max(day + EPOCH, 1), LAST_DAY + EPOCH)).year


def first_day(year: int) -> int:
    """The first day of a year, counted from 1970-01-01."""
    return _year(year)[0]


def month_days(year: int, month: int) -> tuple[int, int]:
    """The first day of a month, and the day after its last."""
    first, kind = _year(year)
    firsts = _FIRSTS[kind.leap]
    return first + firsts[month - 1], first + firsts[month]


class _Kind(NamedTuple):
    """What tells years apart: the weekday of the first of January, leap or not, the years around leap or not."""

    weekday: int
    leap: bool
    after_leap: bool
    before_leap: bool


@lru_cache(maxsize=16_384)
def _year(year: int) -> tuple[int, _Kind]:
    """The first day of a year, and its kind."""
    first = date(year, 1, 1).toordinal() - EPOCH
    return first, _Kind(weekday_of(first), *(calendar.isleap(year + k) for k in (0, -1, 1)))


class _Parts(NamedTuple):
    """The parts of a rule that say on which days it can happen; many series share them."""

    begins: int
    months: frozenset[int]
    weeks: frozenset[int]
    year_days: frozenset[int]
    month_days: frozenset[int]
    weekdays: frozenset[tuple[int, int]]
    nth_in_month: bool


@lru_cache(maxsize=16_384)
def _takes(text: str) -> str:
    """What a rule takes from its start: "Information missing from the rule is taken from DTSTART" (§3.3.10)."""
    rule = parse_rule(text)
    by, freq = rule.by, rule.freq
    if rule.byday or "BYMONTHDAY" in by or "BYYEARDAY" in by:
        return ""
    if freq == "WEEKLY" or (freq == "YEARLY" and "BYWEEKNO" in by):
        return "weekday"
    if freq == "MONTHLY" or (freq == "YEARLY" and "BYMONTH" in by):
        return "day"
    return "date" if freq == "YEARLY" else ""


@lru_cache(maxsize=16_384)
def _parts_of(text: str, weekday: int, day: int, month: int) -> tuple[_Parts, dict[_Kind, int]]:
    """The parts of a rule, with what it takes from its start, and its years as far as they have been looked at."""
    rule = parse_rule(text)
    by = rule.by
    counts = rule.freq in ("MONTHLY", "YEARLY") and "BYWEEKNO" not in by
    weekdays = {(WEEKDAYS.index(name), nth if counts else 0) for nth, name in rule.byday}
    parts = _Parts(
        WEEKDAYS.index(rule.wkst),
        frozenset((month,) if month else by.get("BYMONTH", ())),
        frozenset(by.get("BYWEEKNO", ()) if rule.freq == "YEARLY" else ()),
        frozenset(by.get("BYYEARDAY", ())),
        frozenset((day,) if day else by.get("BYMONTHDAY", ())),
        frozenset({(weekday, 0)} if weekday >= 0 else weekdays),
        rule.freq == "MONTHLY" or "BYMONTH" in by,
    )
    return parts, {}


@dataclass(slots=True)
class DayShape:
    """The days of a rule with what it leaves to its start filled in."""

    freq: str
    interval: int
    start: int
    year: int
    month: int
    parts: _Parts
    _masks: dict[_Kind, int] = field(default_factory=dict)

    @staticmethod
    def of(rule: Rule, start: int) -> DayShape:
        """`start` is the day the series begins."""
        began = date.fromordinal(start + EPOCH)
        takes = _takes(rule.text)
        parts, masks = _parts_of(
            rule.text,
            began.weekday() if takes == "weekday" else -1,
            began.day if takes in ("day", "date") else 0,
            began.month if takes == "date" else 0,
        )
        return DayShape(rule.freq, rule.interval, start, began.year, began.month, parts, masks)

    @property
    def every_day(self) -> bool:
        """Whether the rule leaves no day out, apart from steps of days and longer."""
        p = self.parts
        return not (p.months or p.weeks or p.year_days or p.month_days or p.weekdays)

    @property
    def by_kind(self) -> bool:
        """Whether a year of a kind always holds the same days."""
        return self.interval == 1 or self.freq in ("HOURLY", "MINUTELY", "SECONDLY", "YEARLY")

    def mask(self, year: int) -> int:
        """The days of a year as bits."""
        if self.freq == "YEARLY" and (year - self.year) % self.interval:
            return 0
        first, kind = _year(year)
        days = self._masks.get(kind)
        if days is None:
            days = self._masks[kind] = _mask(self.parts, kind)
        if self.interval == 1 or not days:
            return days
        if self.freq == "MONTHLY":
            return days & self._months(year, kind.leap)
        if self.freq == "WEEKLY":
            return days & self._weeks(first)
        if self.freq == "DAILY":
            return days & _stepping((self.start - first) % self.interval, self.interval, 366)
        return days

    def _months(self, year: int, leap: bool) -> int:
        begin = year * 12 - (self.year * 12 + self.month - 1)
        firsts, days = _FIRSTS[leap], 0
        for month in range(-begin % self.interval, 12, self.interval):
            days |= (1 << firsts[month + 1]) - (1 << firsts[month])
        return days

    def _weeks(self, first: int) -> int:
        week = self.start - (weekday_of(self.start) - self.parts.begins) % 7
        step = 7 * self.interval
        bits = 0
        for begin in range((week - first + 6) % step - 6, 366, step):  # from the first that ends in the year
            bits |= 127 << begin if begin >= 0 else 127 >> -begin
        return bits

    def between(self, low: int, high: int, steps: Steps) -> Iterator[int]:
        """The days in [low, high], both included, in order."""
        low, high = max(low, 1 - EPOCH), min(high, LAST_DAY)
        year, empty = year_of(low), 0
        if self.freq == "YEARLY":
            year += (self.year - year) % self.interval
        stride = self.interval if self.freq == "YEARLY" else 1
        while year <= LAST_YEAR:
            first, _ = _year(year)
            if first > high or empty == MOST_EMPTY or not steps.take():
                return
            days = self.mask(year)
            if first < low:
                days &= -1 << (low - first)
            if days:
                empty = 0
                while days:
                    lowest = days & -days
                    day = first + lowest.bit_length() - 1
                    if day > high:
                        return
                    yield day
                    days ^= lowest
            else:
                empty += 1
            year += stride


def every_nth(phase: int, interval: int, bits: int) -> int:
    """Every `interval`th of so many bits, from `phase` on."""
    if phase >= bits:
        return 0
    days, width = 1, interval
    while width < bits - phase:
        days |= days << width
        width *= 2
    return (days << phase) & ((1 << bits) - 1)


_stepping = lru_cache(maxsize=1024)(every_nth)


def _mask(parts: _Parts, kind: _Kind) -> int:
    """The days of a kind of year that the parts allow."""
    length = 366 if kind.leap else 365
    whole = (1 << length) - 1
    bits = whole
    firsts, lengths = _FIRSTS[kind.leap], _LENGTHS[kind.leap]
    if parts.months:
        bits = sum((1 << firsts[month]) - (1 << firsts[month - 1]) for month in parts.months)
    if parts.month_days:
        days = 0
        for first, size in zip(firsts, lengths, strict=False):
            for day in parts.month_days:
                at = day - 1 if day > 0 else size + day
                if 0 <= at < size:
                    days |= 1 << (first + at)
        bits &= days
    if parts.year_days:
        days = 0
        for day in parts.year_days:
            at = day - 1 if day > 0 else length + day
            if 0 <= at < length:
                days |= 1 << at
        bits &= days
    if parts.weeks:
        bits &= _in_weeks(parts, kind, length)
    if parts.weekdays:
        bits &= _on_weekdays(parts, kind, length)
    return bits & whole


def _on_weekdays(parts: _Parts, kind: _Kind, length: int) -> int:
    bits = 0
    whole = (1 << length) - 1
    firsts, lengths = _FIRSTS[kind.leap], _LENGTHS[kind.leap]
    spans = list(zip(firsts, lengths, strict=False)) if parts.nth_in_month else [(0, length)]
    for weekday, nth in parts.weekdays:
        if not nth:
            bits |= _SEVENTHS << ((weekday - kind.weekday) % 7)
            continue
        for first, size in spans:
            begin = (weekday - kind.weekday - first) % 7
            at = begin + 7 * (nth - 1) if nth > 0 else begin + 7 * ((size - 1 - begin) // 7 + 1 + nth)
            if begin <= at < size:
                bits |= 1 << (first + at)
    return bits & whole


def _in_weeks(parts: _Parts, kind: _Kind, length: int) -> int:
    """The days of the year in the rule's weeks; week 1 is the first with four days in the year (§3.3.10).

    The first days of a year can lie in the last week of the one before, the last in the first of the next.
    """

    def first_week(january: int, weekday: int) -> int:
        """The day on which week 1 begins of the year whose first day is `january` days from this year's."""
        fourth = january + 3
        return fourth - (weekday + 3 - parts.begins) % 7

    januaries = [-366 if kind.after_leap else -365, 0, length, length + (366 if kind.before_leap else 365)]
    begins = [first_week(january, (kind.weekday + january) % 7) for january in januaries]
    bits = 0
    for begin, end in pairwise(begins):
        weeks = (end - begin) // 7
        for week in parts.weeks:
            at = begin + 7 * (week - 1 if week > 0 else weeks + week)
            if begin <= at < end:
                bits |= 127 << at if at >= 0 else 127 >> -at
    return bits
