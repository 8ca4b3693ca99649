"""A repeat rule in words, as a person would say it.

>>> from datetime import datetime
>>> describe(parse_rule("FREQ=WEEKLY;INTERVAL=2;BYDAY=MO;UNTIL=20270603"), datetime(2026, 11, 23))
'every second Monday until 3 June 2027'
"""

from __future__ import annotations

from datetime import datetime

from datebridge.core.recurrence.rules import WEEKDAYS, Rule, parse_rule
from datebridge.core.recurrence.ruletext import RuleText

__all__ = ["describe", "parse_rule"]

DAY_NAMES = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MONTH_NAMES = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)
_UNITS = {
    "SECONDLY": "second",
    "MINUTELY": "minute",
    "HOURLY": "hour",
    "DAILY": "day",
    "WEEKLY": "week",
    "MONTHLY": "month",
    "YEARLY": "year",
}
_ORDINALS = ("", "first", "second", "third", "fourth", "fifth")
_WORKDAYS = WEEKDAYS[:5]


def describe(rule: Rule, start: datetime) -> str:
    """The rule in words. `start` fills in what the rule leaves to it (weekday, day of the month)."""
    return _pattern(rule, start) + _limit(rule)


def _pattern(rule: Rule, start: datetime) -> str:
    unusual = set(rule.by) - {"BYMONTHDAY", "BYMONTH", "BYSETPOS"}
    if unusual or rule.freq in ("SECONDLY", "MINUTELY", "HOURLY"):
        return _every(rule, _UNITS[rule.freq]) + _leftover(rule)
    if rule.freq == "DAILY":
        return _daily(rule)
    if rule.freq == "WEEKLY":
        return _weekly(rule, start)
    where = _in_month(rule, start)
    if rule.freq == "MONTHLY":
        return f"{_every(rule, 'month')} on {where}{_months(rule, ' in ')}"
    months = _months(rule, "") or MONTH_NAMES[start.month - 1]
    return f"{_every(rule, 'year')} on {where} of {months}"


def _every(rule: Rule, unit: str) -> str:
    if rule.interval == 1:
        return f"every {unit}"
    if rule.interval == 2:
        return f"every second {unit}"
    return f"every {rule.interval} {unit}s"


def _daily(rule: Rule) -> str:
    days = f" on {_days(rule)}" if rule.byday else ""
    return _every(rule, "day") + days + _months(rule, " in ")


def _weekly(rule: Rule, start: datetime) -> str:
    names = tuple(day for _, day in rule.byday) or (WEEKDAYS[start.weekday()],)
    if set(names) == set(_WORKDAYS):
        return _every(rule, "working day" if rule.interval == 1 else "week") + (
            "" if rule.interval == 1 else " on working days"
        )
    if len(names) == 1:
        day = DAY_NAMES[WEEKDAYS.index(names[0])]
        nth = _ORDINALS[rule.interval] if 1 < rule.interval < len(_ORDINALS) else ""
        return (f"every {nth} {day}" if nth else _every(rule, day)) + _months(rule, " in ")
    if len(names) == 7:
        return "every day" if rule.interval == 1 else _every(rule, "week") + " on every day"
    listed = _join([DAY_NAMES[i] for i, day in enumerate(WEEKDAYS) if day in names])
    return (f"every {listed}" if rule.interval == 1 else f"{_every(rule, 'week')} on {listed}") + _months(rule, " in ")


def _in_month(rule: Rule, start: datetime) -> str:
    positions = rule.by.get("BYSETPOS")
    if rule.byday:
        names = {day for _, day in rule.byday}
        kind = (
            "working day" if names == set(_WORKDAYS) else _join([DAY_NAMES[WEEKDAYS.index(d)] for _, d in rule.byday])
        )
        if positions:
            return "the " + _join([f"{_nth(p)} {kind}" for p in positions])
        if all(n for n, _ in rule.byday):
            return "the " + _join([f"{_nth(n)} {DAY_NAMES[WEEKDAYS.index(d)]}" for n, d in rule.byday])
        return f"every {kind}"
    days = rule.by.get("BYMONTHDAY") or (start.day,)
    return "the " + _join([_nth_day(d) for d in days])


def _nth(n: int) -> str:
    if n == -1:
        return "last"
    word = _ORDINALS[abs(n)] if abs(n) < len(_ORDINALS) else _suffixed(abs(n))
    return word if n > 0 else f"{word} to last"


def _nth_day(n: int) -> str:
    if n > 0:
        return _suffixed(n)
    return "last day" if n == -1 else f"{_nth(n)} day"


def _suffixed(n: int) -> str:
    suffix = "th" if 10 <= n % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{suffix}"


def _days(rule: Rule) -> str:
    return _join([DAY_NAMES[WEEKDAYS.index(day)] for _, day in rule.byday])


def _months(rule: Rule, before: str) -> str:
    months = rule.by.get("BYMONTH")
    return before + _join([MONTH_NAMES[m - 1] for m in months]) if months else ""


def _leftover(rule: Rule) -> str:
    """The parts there are no words for, as they are written."""
    parts = [part for name, part in RuleText.of(rule.text).parts if name.startswith("BY")]
    return f" ({'; '.join(parts)})" if parts else ""


def _limit(rule: Rule) -> str:
    if rule.until is not None:
        until = rule.until.wall
        return f" until {until.day} {MONTH_NAMES[until.month - 1]} {until.year}"
    if rule.count is not None:
        return ", once" if rule.count == 1 else f", {rule.count} times"
    return ""


def _join(words: list[str]) -> str:
    return words[0] if len(words) == 1 else ", ".join(words[:-1]) + " and " + words[-1]
