"""When a rule begins occurrences within a window, without walking the series from its start.

>>> monday = 20_780 * DAY + 9 * 3600  # 2026-11-23 09:00
>>> [day // DAY - 20_780 for day in starts(parse_rule("FREQ=MONTHLY;BYDAY=-1FR"), monday, monday, monday + 70 * DAY)]
[4, 32, 67]

All times are wall seconds of the series itself (see `moments`). The work depends on the window alone: not on how
long ago the series began, and not on how seldom it happens. The parts of a rule mean what RFC 5545 §3.3.10 says of
them, BYSETPOS over whole periods.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import lru_cache
from itertools import islice

from datebridge.core.recurrence.days import (
    LAST_DAY,
    MOST_EMPTY,
    DayShape,
    Steps,
    first_day,
    month_days,
    weekday_of,
    year_of,
)
from datebridge.core.recurrence.rules import WEEKDAYS, Rule, parse_rule
from datebridge.core.recurrence.times import UNITS, DayTimes

__all__ = ["DAY", "Steps", "fits", "last_counted", "parse_rule", "starts", "weekday_of"]

DAY = 86400
_END = (LAST_DAY + 1) * DAY
#: Looks at years, weeks or days that counting to COUNT may take. What is longer is not counted to its end.
_MOST_COUNTING = 2_000
#: How many years are gone through one by one before whole cycles of them are counted.
_NEAR = 40


def starts(rule: Rule, start: int, low: int, high: int, steps: Steps | None = None) -> Iterator[int]:
    """The starts a rule gives from `start` on that lie in [low, high), in order, COUNT and UNTIL applied.

    UNTIL is taken as wall time on the clock of the series. `start` counts as the first whether it fits or not.
    Ends early once the steps are spent.
    """
    if rule.until is not None:
        last = rule.until.wall_seconds + (DAY - 1 if rule.until.is_date else 0)
        high = min(high, last + 1)
    if rule.count is not None:
        counted, _ = last_counted(rule, start)
        if counted is not None:
            high = min(high, counted + 1)
    low, high = max(low, start), min(high, _END)
    if low < high:
        yield from _unlimited(rule, start, low, high, steps or Steps())


def fits(rule: Rule, start: int) -> bool:
    """Whether a rule gives its own start. It counts as the first all the same (RFC 5545 §3.8.5.3)."""
    return next(_unlimited(rule, start, start, start + 1, Steps()), None) is not None


def last_counted(rule: Rule, start: int) -> tuple[int | None, bool]:
    """The last start of a rule with COUNT, None where it lies past the last day there is; and whether it is known.

    A rule that never comes to its COUNT, because it gives nothing, ends with its start.

    It is not known where counting would take too long; such a series is taken as endless, and that has to be said.
    """
    if rule.count is None:
        return None, True
    step = _step(rule)
    if step is not None:
        last = start + step * (rule.count - 1)
        return (last if last < _END else None), True
    return _last(rule.text, start)


def _step(rule: Rule) -> int | None:
    """The seconds from one start to the next where they are always the same."""
    if rule.by or rule.byday or rule.freq in ("MONTHLY", "YEARLY"):
        return None
    return rule.interval * (UNITS.get(rule.freq) or (7 * DAY if rule.freq == "WEEKLY" else DAY))


def _unlimited(rule: Rule, start: int, low: int, high: int, steps: Steps) -> Iterator[int]:
    """The starts in [low, high) of a rule taken without COUNT and UNTIL; `low` is not before `start`."""
    step = _step(rule)
    if step is not None:
        yield from range(start + -(-(low - start) // step) * step, high, step)
    elif rule.freq == "WEEKLY" and not rule.by:
        yield from _weekly(rule, start, low, high)
    else:
        yield from _shape(rule.text, start).between(low, high, steps)


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


def _shape(text: str, start: int) -> _Shape:
    return _quick_shape(text, start) if parse_rule(text).freq in UNITS else _slow_shape(text, start)


@lru_cache(maxsize=8192)
def _slow_shape(text: str, start: int) -> _Shape:
    return _Shape(parse_rule(text), start)


@lru_cache(maxsize=64)  # up to a third of a megabyte each
def _quick_shape(text: str, start: int) -> _Shape:
    return _Shape(parse_rule(text), start)


class _Shape:
    """A rule with what it leaves to its start filled in: its days, and the times on them."""

    def __init__(self, rule: Rule, start: int) -> None:
        self.rule, self.start = rule, start
        self.days = DayShape.of(rule, start // DAY)
        positions = rule.by.get("BYSETPOS", ())
        self.places = positions if rule.freq in ("WEEKLY", "MONTHLY", "YEARLY") else ()
        self.times = DayTimes.of(rule, start, () if self.places else positions)

    def between(self, low: int, high: int, steps: Steps) -> Iterator[int]:
        """The starts in [low, high), in order."""
        if self.places:
            slots: Iterable[int] = self._placed(low, high, steps)
        elif self.times.sparse:
            slots = self._sparse(low, high, steps)
        else:
            slots = self._daily(low, high, steps)
        for moment in slots:
            if moment >= high:
                return
            if moment >= low:
                yield moment

    def _daily(self, low: int, high: int, steps: Steps) -> Iterator[int]:
        times = self.times
        if times.only is not None:
            only = times.only
            for day in self.days.between(low // DAY, (high - 1) // DAY, steps):
                yield day * DAY + only
            return
        empty = 0
        for day in self.days.between(low // DAY, (high - 1) // DAY, steps):
            if empty == MOST_EMPTY or not steps.take():
                return
            empty += 1
            midnight = day * DAY
            for time in times.on(day, max(0, low - midnight), min(DAY, high - midnight)):
                empty = 0
                yield midnight + time

    def _sparse(self, low: int, high: int, steps: Steps) -> Iterator[int]:
        """Steps of more than a day: each is looked at by itself."""
        unit = UNITS[self.rule.freq]
        interval = self.rule.interval
        base = self.start // unit
        number = base + max(0, -(-(low // unit - base) // interval)) * interval
        empty = 0
        while number * unit < min(high, _END):
            if empty == MOST_EMPTY or not steps.take():
                return
            empty += 1
            day, at = divmod(number * unit, DAY)
            if self.days.mask(year := year_of(day)) >> (day - first_day(year)) & 1:
                for time in self.times.on(day, at, at + unit):
                    empty = 0
                    yield day * DAY + time
            number += interval

    # ---- positions within a period ---------------------------------------------------------------

    def _placed(self, low: int, high: int, steps: Steps) -> Iterator[int]:
        """BYSETPOS: the nth moments of each period, counted over the whole of it."""
        empty = 0
        for period in self._periods(low // DAY, (high - 1) // DAY):
            if empty == MOST_EMPTY or not steps.take():
                return
            placed = self._of_period(period)
            empty = 0 if placed else empty + 1
            yield from placed

    def _periods(self, low: int, high: int) -> Iterator[int]:
        """The periods that touch the days: years, months counted from year 0, or first days of weeks."""
        days, interval = self.days, self.rule.interval
        if self.rule.freq == "WEEKLY":
            week = days.start - (weekday_of(days.start) - days.parts.begins) % 7
            step = 7 * interval
            yield from range(week + max(0, (low - 6 - week) // step) * step, high + 1, step)
        elif self.rule.freq == "YEARLY":
            yield from range(days.year + (year_of(low) - days.year) // interval * interval, year_of(high) + 1, interval)
        else:
            base = days.year * 12 + days.month - 1
            first = max(0, (year_of(low) * 12 - base) // interval)
            yield from range(base + first * interval, year_of(high) * 12 + 12, interval)

    def _of_period(self, period: int) -> list[int]:
        """The chosen moments of a period, in order."""
        days = self._days_of_period(period)
        grid = self.times.grid
        assert grid is not None  # noqa: S101  (rules with periods of a week and longer have one)
        size = len(grid)
        number = len(days) * size
        places = {p - 1 if p > 0 else number + p for p in self.places}
        return [days[p // size] * DAY + grid[p % size] for p in sorted(places) if 0 <= p < number]

    def _days_of_period(self, period: int) -> list[int]:
        if self.rule.freq == "WEEKLY":
            return list(self.days.between(period, period + 6, Steps()))
        if self.rule.freq == "YEARLY":
            return _set_bits(self.days.mask(period), first_day(period))
        year, month = divmod(period, 12)
        first = first_day(year)
        begin, end = month_days(year, month + 1)
        return _set_bits(self.days.mask(year) >> (begin - first) & ((1 << (end - begin)) - 1), begin)

    # ---- counting --------------------------------------------------------------------------------

    def nth(self, number: int) -> tuple[int | None, bool]:
        """The nth start, `self.start` being the first in any case; as `last_counted` has it."""
        if number == 1:
            return self.start, True
        if self.places and self.rule.freq == "WEEKLY":
            return self._walked(number)
        if self.times.grid is None and not self.places:
            return self._by_days(number)
        return self._by_years(number)

    def _tally(self, year: int) -> int:
        """How many moments a year holds, those before the start included."""
        days = self.days.mask(year)
        if self.places:
            return sum(len(self._of_period(period)) for period in self._periods_of(year)) if days else 0
        grid = self.times.grid
        return days.bit_count() * (len(grid) if grid is not None else 0)

    def _periods_of(self, year: int) -> Iterable[int]:
        """The year itself, or its months in step."""
        if self.rule.freq == "YEARLY":
            return (year,)
        first = year * 12
        step = (self.days.year * 12 + self.days.month - 1 - first) % self.rule.interval
        return range(first + step, first + 12, self.rule.interval)

    def _of_year(self, year: int) -> list[int]:
        return [moment for period in self._periods_of(year) for moment in self._of_period(period)]

    def _by_years(self, number: int) -> tuple[int | None, bool]:
        year, steps = self.days.year, Steps(_MOST_COUNTING)
        left = number - 1 + self._rank()
        stride = self.rule.interval if self.rule.freq == "YEARLY" else 1
        soon = left
        for near in range(year, min(year + _NEAR * stride, 10_000), stride):  # most counts are reached soon
            tally = self._tally(near)
            if soon <= tally:
                return self._pick(near, soon - 1), True
            soon -= tally
        cycle = 0
        if self.rule.interval == 1 or (self.days.by_kind and stride == 1):
            total = sum(self._tally(2000 + k) for k in range(400))
            if not total:
                return self.start, True
            cycle = max(0, (left - 1) // total - 1)
            left -= cycle * total
            year += cycle * 400  # the calendar repeats after 400 years
        ever = bool(cycle)
        while year <= 9999:
            if not steps.take():
                return (None, False) if ever else (self.start, True)
            tally = self._tally(year)
            ever = ever or tally > 0
            if left <= tally:
                return self._pick(year, left - 1), True
            left -= tally
            year += stride
        return (None, True) if ever else (self.start, True)

    def _rank(self) -> int:
        """How many moments of its year are not after the start."""
        if self.places:
            return sum(1 for moment in self._of_year(self.days.year) if moment <= self.start)
        grid = self.times.grid
        assert grid is not None  # noqa: S101
        mask, first = self.days.mask(self.days.year), first_day(self.days.year)
        day, time = divmod(self.start, DAY)
        before = (mask & ((1 << (day - first)) - 1)).bit_count() * len(grid)
        return before + (grid.up_to(time) if mask >> (day - first) & 1 else 0)

    def _pick(self, year: int, place: int) -> int | None:
        if self.places:
            return self._of_year(year)[place]
        grid = self.times.grid
        assert grid is not None  # noqa: S101
        days = _set_bits(self.days.mask(year), first_day(year))
        return days[place // len(grid)] * DAY + grid[place % len(grid)]

    def _by_days(self, number: int) -> tuple[int | None, bool]:
        """Steps that do not divide the day: days are alike again only after as many as the step has parts."""
        left, begin = number - 1, self.start + 1
        cycle = self.times.cycle
        if self.days.every_day and not self.times.sparse and cycle <= _MOST_COUNTING:
            first = begin // DAY + 1
            head = sum(1 for _ in self.times.on(first - 1, begin - (first - 1) * DAY, DAY))
            if left > head:
                total = sum(self.times.tally(first + k) for k in range(cycle))
                if not total:
                    return (self.start, True) if not head else (None, True)
                turns = (left - head - 1) // total
                left -= head + turns * total
                begin = (first + turns * cycle) * DAY
                if begin >= _END:
                    return None, True
        return self._walked(left + 1, begin)

    def _walked(self, number: int, begin: int | None = None) -> tuple[int | None, bool]:
        left, steps, ever = number - 1, Steps(_MOST_COUNTING), False
        if not self.places and not self.times.sparse:
            for day in self.days.between((begin or self.start + 1) // DAY, LAST_DAY, steps):
                if not steps.take():
                    return (None, False) if ever else (self.start, True)
                since = max(0, (begin or self.start + 1) - day * DAY)
                count = self.times.tally(day) if not since else sum(1 for _ in self.times.on(day, since, DAY))
                ever = ever or count > 0
                if left <= count:
                    return day * DAY + next(islice(self.times.on(day, since, DAY), left - 1, None)), True
                left -= count
            return (None, not steps.spent) if ever else (self.start, True)
        for moment in self.between(begin or self.start + 1, _END, steps):
            left, ever = left - 1, True
            if not left:
                return moment, True
        return (None, not steps.spent) if ever else (self.start, True)


@lru_cache(maxsize=4096)
def _last(text: str, start: int) -> tuple[int | None, bool]:
    rule = parse_rule(text)
    return _shape(text, start).nth(rule.count or 1)


def _set_bits(bits: int, offset: int) -> list[int]:
    places = []
    while bits:
        lowest = bits & -bits
        places.append(offset + lowest.bit_length() - 1)
        bits ^= lowest
    return places
