"""Where a series ends, and whether it happens on a given day, without walking it from its start.

All times here are wall-clock times of the series itself, in its own zone.
"""

from __future__ import annotations

import calendar
from collections.abc import Iterator
from datetime import datetime, timedelta
from functools import lru_cache

from dateutil.rrule import rrule, rrulestr

from datebridge.core.moments import LATEST, from_wall_seconds
from datebridge.core.recurrence.rules import WEEKDAYS, Rule, parse_rule

ALL_WEEKDAYS = 0b1111111
#: A rule with COUNT is walked to its last occurrence up to this many; past it, it counts as endless.
_MOST_COUNTED = 10_000


def last_start(rule: Rule, start: datetime) -> datetime | None:
    """When the last occurrence begins at the latest, or None for a series without end.

    Exact for COUNT; for UNTIL it is the limit the rule sets, which the last occurrence may fall short of.
    """
    if rule.until is not None:
        # UNTIL is in UTC where the start is zoned (RFC 5545 §3.3.10): a day covers every offset.
        slack = timedelta(days=1) if rule.until.zone else timedelta()
        return max(_later(rule.until.wall, timedelta(days=1, seconds=-1) if rule.until.is_date else slack), start)
    if rule.count is None:
        return None
    on_its_day = rule.freq == "WEEKLY" and [day for _, day in rule.byday] == [WEEKDAYS[start.weekday()]]
    if rule.freq in ("DAILY", "WEEKLY") and not rule.by and (on_its_day or not rule.byday):
        step = timedelta(days=rule.interval * (7 if rule.freq == "WEEKLY" else 1))
        try:
            return start + step * (rule.count - 1)
        except OverflowError:
            return None
    if rule.count > _MOST_COUNTED:
        return None
    try:
        return max(_plain(rule.text, start), default=start)
    except ValueError:
        return None


def weekdays(rule: Rule, start: datetime) -> int:
    """The weekdays on which occurrences can begin, as bits from Monday (1) to Sunday (64)."""
    if rule.byday and rule.freq in ("DAILY", "WEEKLY", "MONTHLY", "YEARLY"):
        return sum(1 << day for day in {WEEKDAYS.index(day) for _, day in rule.byday})
    if rule.freq == "WEEKLY" and not rule.by:
        return 1 << start.weekday()
    return ALL_WEEKDAYS


def longest_gap(rule: Rule, start: datetime) -> int:
    """Days within which the next occurrence always begins while the rule runs; 0 where that is not plain."""
    if rule.freq == "DAILY" and not rule.by and not rule.byday:
        return rule.interval
    if rule.freq == "WEEKLY" and not rule.by:
        return 7 * rule.interval
    if rule.freq == "MONTHLY" and not rule.by:
        if rule.byday:
            return 31 * rule.interval + 7 if all(-5 < nth < 5 for nth, _ in rule.byday) else 0
        return 31 * rule.interval if start.day <= 28 else 0
    return 0


def happens(recurrence: str, start_wall: int, low: int, high: int) -> bool:
    """Whether a series begins an occurrence in [low, high), all in wall seconds.

    Args:
        recurrence: as `core.facts.Facts.recurrence` has it: one rule a line, then ``+`` extra and
            ``-`` left-out starts in wall seconds.
    """
    if low <= start_wall < high and f"-{start_wall}" not in recurrence.split("\n"):
        return True
    start, first, last = from_wall_seconds(start_wall), _clock(low), _clock(high)
    try:
        if "\n" not in recurrence and recurrence[:1] not in "+-":
            return _begins_between(recurrence, start, first, last, frozenset())
        lines = recurrence.split("\n")
        gone = {int(line[1:]) for line in lines if line.startswith("-")}
        extra = {int(line[1:]) for line in lines if line.startswith("+")}
        if any(low <= moment < high for moment in extra - gone):
            return True
        left_out = frozenset(map(from_wall_seconds, gone))
        rules = [line for line in lines if line and line[0] not in "+-"]
        return any(_begins_between(rule, start, first, last, left_out) for rule in rules)
    except (ValueError, OverflowError):
        return False


_clock = lru_cache(maxsize=64)(from_wall_seconds)


def _begins_between(text: str, start: datetime, low: datetime, high: datetime, gone: frozenset[datetime]) -> bool:
    if high <= start:
        return False
    rule = _parsed(text)
    if rule.until is not None and low > _later(rule.until.wall, timedelta(days=1)):
        return False
    low = max(low, start)
    candidates = _candidates(rule, start, low, high)
    if candidates is None:
        near = start if rule.count is not None else _fast_forward(rule, start, low)
        candidates = _plain(text, near).xafter(low, inc=True)
    for found in candidates:
        if found >= high:
            return False
        if found >= start and found not in gone:
            return True
    return False


_parsed = lru_cache(maxsize=2048)(parse_rule)


def _candidates(rule: Rule, start: datetime, low: datetime, high: datetime) -> Iterator[datetime] | None:
    """The starts in [low, high) of the plainer rules, by arithmetic; None for all others."""
    if rule.freq == "MONTHLY" and rule.count is None and rule.by.keys() <= {"BYMONTHDAY"}:
        return None if rule.by and rule.byday else _monthly(rule, start, low, high)
    if rule.by or rule.freq not in ("DAILY", "WEEKLY") or (rule.byday and rule.freq == "DAILY"):
        return None
    days = {WEEKDAYS.index(day) for _, day in rule.byday}
    if days and (rule.count is not None or days != {start.weekday()}):
        return None if rule.count is not None else _weekly(rule, start, days, low, high)
    return _stepped(rule, start, low, high)


def _stepped(rule: Rule, start: datetime, low: datetime, high: datetime) -> Iterator[datetime]:
    step = timedelta(days=rule.interval * (7 if rule.freq == "WEEKLY" else 1))
    number = -(-(low - start) // step)
    while (found := start + number * step) < high and (rule.count is None or number < rule.count):
        if rule.until is not None and found > _until(rule):
            return
        yield found
        number += 1


def _weekly(rule: Rule, start: datetime, days: set[int], low: datetime, high: datetime) -> Iterator[datetime]:
    first_day = WEEKDAYS.index(rule.wkst)
    week = start.toordinal() - (start.weekday() - first_day) % 7
    found = datetime.combine(low.date(), start.time())
    while found < high and (rule.until is None or found <= _until(rule)):
        weekday = found.weekday()
        if weekday in days and found >= low:
            weeks = (found.toordinal() - (weekday - first_day) % 7 - week) // 7
            if weeks % rule.interval == 0:
                yield found
        found += timedelta(days=1)


def _monthly(rule: Rule, start: datetime, low: datetime, high: datetime) -> Iterator[datetime]:
    month = low.year * 12 + low.month - 1
    off_beat = (month - start.year * 12 - start.month + 1) % rule.interval
    if off_beat:
        month += rule.interval - off_beat
    while True:
        year, index = divmod(month, 12)
        if (year, index + 1) > (high.year, high.month):
            return
        for day in _days_of_month(rule, start.day, year, index + 1):
            found = start.replace(year=year, month=index + 1, day=day)
            if rule.until is not None and found > _until(rule):
                return
            if found >= low:
                yield found
        month += rule.interval


def _days_of_month(rule: Rule, start_day: int, year: int, month: int) -> list[int]:
    first, length = calendar.monthrange(year, month)
    days: set[int] = set()
    for nth, name in rule.byday:
        fitting = range(1 + (WEEKDAYS.index(name) - first) % 7, length + 1, 7)
        if nth == 0:
            days.update(fitting)
        elif -len(fitting) <= nth <= len(fitting):
            days.add(fitting[nth - 1 if nth > 0 else nth])
    if not rule.byday:
        wanted = rule.by.get("BYMONTHDAY", (start_day,))
        days.update(day if day > 0 else length + 1 + day for day in wanted)
    return sorted(day for day in days if 1 <= day <= length)


def _until(rule: Rule) -> datetime:
    """The last moment UNTIL allows, on the clock of the series as in `_plain`."""
    assert rule.until is not None  # noqa: S101
    return _later(rule.until.wall, timedelta(days=1, seconds=-1) if rule.until.is_date else timedelta())


def _later(moment: datetime, by: timedelta) -> datetime:
    """The moment moved on, but not past the end of time: UNTIL=99991231 is how some write "for ever"."""
    return LATEST if moment > LATEST - by else moment + by


def _fast_forward(rule: Rule, start: datetime, low: datetime) -> datetime:
    """A start in step with `start`, some time before `low`, from which the rule gives the same days."""
    gap = (low - start).days
    if rule.freq in ("DAILY", "WEEKLY"):
        step = rule.interval * (7 if rule.freq == "WEEKLY" else 1)
        return start + timedelta(days=max(0, gap // step - 1) * step)
    if rule.freq in ("HOURLY", "MINUTELY", "SECONDLY"):
        seconds = rule.interval * {"HOURLY": 3600, "MINUTELY": 60, "SECONDLY": 1}[rule.freq]
        return start + timedelta(seconds=max(0, (gap - 2) * 86400 // seconds) * seconds)
    months = rule.interval * (12 if rule.freq == "YEARLY" else 1)
    steps = max(0, ((low.year - start.year) * 12 + low.month - start.month) // months - 1)
    for back in range(min(steps, 12) + 1):  # step back to a month that has the day (31 January, 29 February)
        year, month = divmod(start.year * 12 + start.month - 1 + (steps - back) * months, 12)
        if start.day <= calendar.monthrange(year, month + 1)[1]:
            return start.replace(year=year, month=month + 1)
    return start


@lru_cache(maxsize=2048)
def _plain(text: str, start: datetime) -> rrule:
    """dateutil's rule on wall-clock time: an UNTIL in UTC is taken as wall time a day later at most."""
    parts = []
    for part in text.upper().rstrip(";").split(";"):
        if part.startswith("UNTIL="):
            until = part[6:]
            if len(until) == 8:
                until += "T235959"
            part = "UNTIL=" + until.rstrip("Z")
        if not part.startswith(("X-", "RSCALE", "SKIP")):
            parts.append(part)
    plain = rrulestr(";".join(parts), dtstart=start)
    assert isinstance(plain, rrule)  # noqa: S101  (one rule, no dates beside it)
    return plain
