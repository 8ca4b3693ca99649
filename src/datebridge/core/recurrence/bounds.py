"""Where a series ends, and whether it happens on a given day, without walking it from its start.

All times here are wall-clock times of the series itself, in its own zone.
"""

from __future__ import annotations

import calendar
from datetime import datetime, timedelta
from functools import lru_cache

from dateutil.rrule import rrule, rrulestr

from datebridge.core.moments import from_wall_seconds
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
        until = rule.until.wall + (timedelta(days=1, seconds=-1) if rule.until.is_date else slack)
        return max(until, start)
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


def happens(recurrence: str, start_wall: int, low: int, high: int) -> bool:
    """Whether a series begins an occurrence in [low, high), all in wall seconds.

    Args:
        recurrence: as `core.events.Facts.recurrence` has it: one rule a line, then ``+`` extra and
            ``-`` left-out starts in wall seconds.
    """
    if low <= start_wall < high:
        return True
    rules, extra, gone = [], set(), set()
    for line in recurrence.split("\n"):
        if line.startswith("+"):
            extra.add(int(line[1:]))
        elif line.startswith("-"):
            gone.add(int(line[1:]))
        elif line:
            rules.append(line)
    if any(low <= moment < high for moment in extra - gone):
        return True
    start, first, last = (from_wall_seconds(s) for s in (start_wall, low, high))
    left_out = {from_wall_seconds(s) for s in gone}
    try:
        return any(_begins_between(rule, start, first, last, left_out) for rule in rules)
    except (ValueError, OverflowError):
        return False


def _begins_between(text: str, start: datetime, low: datetime, high: datetime, gone: set[datetime]) -> bool:
    if high <= start:
        return False
    rule = parse_rule(text)
    if rule.until is not None and low > rule.until.wall + timedelta(days=1):
        return False
    near = start if rule.count is not None else _fast_forward(rule, start, low)
    for found in _plain(text, near).xafter(low, inc=True):
        if found >= high:
            return False
        if found >= start and found not in gone:
            return True
    return False


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
