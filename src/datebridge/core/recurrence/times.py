"""The times of day a rule allows, as what they are made of rather than one by one.

>>> rule = parse_rule("FREQ=DAILY;BYHOUR=9,15;BYMINUTE=0,30;BYSECOND=0")
>>> times = DayTimes.of(rule, 0, ())
>>> [time // 60 for time in times.on(0, 0, DAY)]
[540, 570, 900, 930]

A rule by the hour, minute or second steps through the day; its units of a day are bits of one number, so that a day
without any costs no more than one with many.
"""

from __future__ import annotations

from array import array
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import gcd

from datebridge.core.recurrence.days import every_nth
from datebridge.core.recurrence.rules import Rule, parse_rule

__all__ = ["UNITS", "DayTimes", "Grid", "parse_rule"]

DAY = 86400
UNITS = {"HOURLY": 3600, "MINUTELY": 60, "SECONDLY": 1}
#: How many bits are looked at in one go.
_CHUNK = 1024


@dataclass(frozen=True, slots=True)
class Grid:
    """Times of a day in order: each of `outer` with each of `inner` added to it."""

    outer: Sequence[int]
    inner: Sequence[int]

    def __len__(self) -> int:
        return len(self.outer) * len(self.inner)

    def __getitem__(self, place: int) -> int:
        outer, inner = divmod(place, len(self.inner))
        return self.outer[outer] + self.inner[inner]

    def up_to(self, time: int) -> int:
        """How many are not after a time."""
        whole = bisect_right(self.outer, time)
        if not whole:
            return 0
        return (whole - 1) * len(self.inner) + bisect_right(self.inner, time - self.outer[whole - 1])

    def chosen(self, positions: Sequence[int]) -> list[int]:
        """Those at the positions of a BYSETPOS."""
        number = len(self)
        places = {p - 1 if p > 0 else number + p for p in positions}
        return [self[p] for p in sorted(places) if 0 <= p < number]


@lru_cache(maxsize=256)
def _within(minutes: tuple[int, ...], seconds: tuple[int, ...]) -> array[int]:
    """The seconds of an hour that minutes and seconds make."""
    return array("H", [m * 60 + s for m in minutes for s in seconds])


@dataclass(frozen=True, slots=True)
class DayTimes:
    """When on its days a rule begins.

    Attributes:
        grid: the times where they are the same every day; None where they differ from day to day.
        only: the time where there is just one.
        unit: seconds of a step; a whole day for rules by the day and longer.
        units: the units of a day that the rule allows, as bits, before its steps are taken.
        inner: the times within a unit.
        base, interval: the unit the series begins in, counted from 1970, and how many units a step takes.
    """

    grid: Grid | None
    only: int | None
    unit: int
    units: int
    inner: Sequence[int]
    base: int
    interval: int

    @staticmethod
    def of(rule: Rule, start: int, positions: Sequence[int]) -> DayTimes:
        """`positions` are those of a BYSETPOS within a day or a shorter period."""
        if rule.freq not in UNITS:
            return _daily(rule.text, start % DAY, tuple(positions))
        unit = UNITS[rule.freq]
        time = start % DAY
        hours = _part(rule, "BYHOUR", time // 3600, 24, unit > 3600)
        minutes = _part(rule, "BYMINUTE", time // 60 % 60, 60, unit > 60)
        seconds = tuple(sorted({min(s, 59) for s in _part(rule, "BYSECOND", time % 60, 60, unit > 1)}))
        within = _within(minutes, seconds)
        outer = array("I", [hour * 3600 for hour in hours])
        inner: Sequence[int]
        if unit == 3600:
            inner = within if not positions else array("H", Grid([0], within).chosen(positions))
            units = sum(1 << hour for hour in hours)
        elif unit == 60:
            inner = array("H", seconds if not positions else Grid([0], seconds).chosen(positions))
            units = _minutes(hours, minutes)
        else:
            inner = array("H", [0] if not positions or {1, -1} & set(positions) else [])
            units = _seconds(hours, minutes, seconds)
        times = DayTimes(None, None, unit, units, inner, start // unit, rule.interval)
        if times.cycle == 1:
            bits = times._bits_on(0)
            size = 1440 if unit == 60 else 24
            if unit != 1:
                outer = array("I", [bit * unit for bit in range(size) if bits >> bit & 1])
            else:
                outer = array("I", (bit for bit in _places(bits, 0, DAY)))
            times = DayTimes(Grid(outer, inner), None, unit, units, inner, start // unit, rule.interval)
        return times

    @property
    def sparse(self) -> bool:
        """Whether a step is longer than a day."""
        return self.grid is None and self.interval * self.unit > DAY

    @property
    def cycle(self) -> int:
        """After how many days the steps fall on the same times again."""
        return self.interval // gcd(self.interval, DAY // self.unit)

    def _bits_on(self, day: int) -> int:
        if self.interval == 1:
            return self.units
        per_day = DAY // self.unit
        return self.units & _steps((self.base - day * per_day) % self.interval, self.interval, per_day)

    def tally(self, day: int) -> int:
        """How many times there are on a day."""
        return len(self.grid) if self.grid is not None else self._bits_on(day).bit_count() * len(self.inner)

    def on(self, day: int, low: int, high: int) -> Iterator[int]:
        """The times of a day in [low, high), in order."""
        grid = self.grid
        if grid is not None:
            for place in range(grid.up_to(low - 1), len(grid)):
                time = grid[place]
                if time >= high:
                    return
                yield time
            return
        unit, inner = self.unit, self.inner
        if not inner:
            return
        for bit in _places(self._bits_on(day), low // unit, -(-high // unit)):
            for within in inner:
                time = bit * unit + within
                if low <= time < high:
                    yield time


@lru_cache(maxsize=8192)  # many series begin at the same hours
def _daily(text: str, time: int, positions: tuple[int, ...]) -> DayTimes:
    """The times of a rule by the day or longer that begins at a time of day."""
    rule = parse_rule(text)
    hours = _part(rule, "BYHOUR", time // 3600, 24, True)
    minutes = _part(rule, "BYMINUTE", time // 60 % 60, 60, True)
    seconds = tuple(sorted({min(s, 59) for s in _part(rule, "BYSECOND", time % 60, 60, True)}))
    grid = Grid(array("I", [hour * 3600 for hour in hours]), _within(minutes, seconds))
    if positions:
        grid = Grid(array("I", grid.chosen(positions)), array("H", [0]))
    return DayTimes(grid, grid[0] if len(grid) == 1 else None, DAY, 0, (), 0, 1)


def _part(rule: Rule, name: str, own: int, size: int, takes_own: bool) -> tuple[int, ...]:
    """A BY part in order; where it is not given, the start's own, or all of them for what steps through it."""
    return tuple(sorted(rule.by.get(name, (own,) if takes_own else range(size))))


@lru_cache(maxsize=64)
def _minutes(hours: tuple[int, ...], minutes: tuple[int, ...]) -> int:
    of_hour = sum(1 << minute for minute in minutes)
    return sum(of_hour << hour * 60 for hour in hours)


@lru_cache(maxsize=64)
def _seconds(hours: tuple[int, ...], minutes: tuple[int, ...], seconds: tuple[int, ...]) -> int:
    of_minute = sum(1 << second for second in seconds)
    of_hour = sum(of_minute << minute * 60 for minute in minutes)
    return sum(of_hour << hour * 3600 for hour in hours)


#: A long number each, so only a few are kept.
_steps = lru_cache(maxsize=64)(every_nth)


def _places(bits: int, low: int, high: int) -> Iterator[int]:
    """The places in [low, high) of the bits that are set; a few hundred at a time, since long numbers are slow."""
    for at in range(low, high, _CHUNK):
        some = bits >> at & ((1 << min(_CHUNK, high - at)) - 1)
        while some:
            lowest = some & -some
            yield at + lowest.bit_length() - 1
            some ^= lowest
