"""Where a series ends, and on which days it can happen, for an index that is asked before the series is.

All times here are wall seconds of the series itself, in its own zone.
"""

from __future__ import annotations

from datetime import datetime

from datebridge.core.recurrence.rules import WEEKDAYS, Rule
from datebridge.core.recurrence.starts import DAY, last_counted

ALL_WEEKDAYS = 0b1111111


def last_start(rule: Rule, start: int) -> tuple[int | None, bool]:
    """When the last occurrence begins at the latest, None for a series without end; `rule` on its own clock.

    Exact for COUNT, unless counting is given up (then the second is False); for UNTIL it is the limit the rule
    sets, which the last occurrence may fall short of. Where a rule has both, what ends first counts.
    """
    counted, known = last_counted(rule, start)
    if rule.until is None:
        return counted, known
    until = max(rule.until.wall_seconds + (DAY - 1 if rule.until.is_date else 0), start)
    return (until if counted is None else min(until, counted)), True


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
