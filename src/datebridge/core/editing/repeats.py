"""A repeat rule as choices, and a rule made by choosing (RFC 5545 §3.3.10); what choices do not touch stays as written.

>>> start = date(2026, 11, 26)
>>> rule = chosen("FREQ=WEEKLY", start, weekday="MO")
>>> rule, read_repeats(rule, start).weekdays
('FREQ=WEEKLY;BYDAY=MO,TH', ('MO', 'TH'))
>>> chosen("FREQ=MONTHLY;X-BERTH=1", start, monthly="nth")
'FREQ=MONTHLY;X-BERTH=1;BYDAY=4TH'
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from datebridge.core.recurrence.rules import WEEKDAYS
from datebridge.core.recurrence.ruletext import RuleText

#: On the day of the start; its weekday so often in the month, or the last time; the month's last day; its first working
#: day; something that only the rule says.
Monthly = Literal["day", "nth", "last", "end", "work", "other"]
Ends = Literal["never", "count", "until"]
_CHOSEN = frozenset({"FREQ", "INTERVAL", "BYDAY", "BYMONTHDAY", "BYMONTH", "BYSETPOS", "COUNT", "UNTIL", "WKST"})
_PLAIN = ("DAILY", "WEEKLY", "MONTHLY", "YEARLY")
_WORKING = {"BYDAY": "MO,TU,WE,TH,FR", "BYSETPOS": "1"}
#: How often, where nothing else was said.
_TIMES = "10"


@dataclass(frozen=True, slots=True)
class Repeats:
    """What a rule says, as far as choices can say it; nothing at all for "" (it does not repeat).

    Attributes:
        plain: whether choices can say all of it; else it is to be written.
        weekdays: of a weekly rule, two letters each; the start's own where it names none.
        nth: how many of its weekday the start's month has had by then.
        until: the last day, as YYYY-MM-DD.
    """

    frequency: str
    plain: bool
    interval: int
    weekdays: tuple[str, ...]
    monthly: Monthly
    nth: int
    ends: Ends
    count: int | None
    until: str


def read_repeats(rule: str, start: date) -> Repeats:
    """The choices that a rule stands for. Never fails: what makes no sense is not plain."""
    parts = RuleText.of(rule)
    frequency = parts.value("FREQ")
    weekdays = tuple(parts.value("BYDAY").split(",")) if "BYDAY" in parts else ()
    if not weekdays and frequency == "WEEKLY":
        weekdays = (WEEKDAYS[start.weekday()],)
    until = parts.value("UNTIL")
    return Repeats(
        frequency,
        frequency in _PLAIN and _CHOSEN.issuperset(parts.names()),
        _number(parts.value("INTERVAL")) or 1,
        weekdays,
        _monthly(parts, start),
        _nth(start),
        "count" if "COUNT" in parts else "until" if until else "never",
        _number(parts.value("COUNT")),
        f"{until[:4]}-{until[4:6]}-{until[6:8]}" if until else "",
    )


def chosen(
    rule: str,
    start: date,
    *,
    frequency: str | None = None,
    interval: int | None = None,
    weekday: str | None = None,
    monthly: Monthly | None = None,
    ends: Ends | None = None,
    count: int | None = None,
    until: date | None = None,
) -> str:
    """The rule after a choice.

    Args:
        weekday: one that is put in, or taken out again.
    """
    parts = RuleText.of(rule)
    if frequency is not None:
        if not frequency:
            return ""
        if "FREQ" in parts:
            parts = parts.without("BYDAY", "BYMONTHDAY", "BYMONTH", "BYSETPOS")
        parts = parts.with_values(FREQ=frequency)
    if interval is not None:
        parts = parts.with_values(INTERVAL=str(interval) if interval > 1 else "")
    if weekday is not None:
        there = set(read_repeats(rule, start).weekdays) ^ {weekday}
        parts = parts.with_values(BYDAY=",".join(name for name in WEEKDAYS if name in there))
    if monthly is not None:
        parts = parts.without("BYDAY", "BYMONTHDAY", "BYSETPOS").with_values(**_on(monthly, start))
    if ends is not None:
        far = f"{start.year + 1:04d}{start:%m%d}"
        parts = parts.with_values(COUNT=_TIMES if ends == "count" else "", UNTIL=far if ends == "until" else "")
    if count is not None:
        parts = parts.with_values(COUNT=str(count))
    if until is not None:
        parts = parts.with_values(UNTIL=f"{until.year:04d}{until:%m%d}")
    return str(parts)


def _nth(start: date) -> int:
    return (start.day + 6) // 7


def _on(monthly: Monthly, start: date) -> dict[str, str]:
    """The parts that say on which day of a month."""
    weekday = WEEKDAYS[start.weekday()]
    by_form: dict[Monthly, dict[str, str]] = {
        "nth": {"BYDAY": f"{_nth(start)}{weekday}"},
        "last": {"BYDAY": f"-1{weekday}"},
        "end": {"BYMONTHDAY": "-1"},
        "work": _WORKING,
    }
    return by_form.get(monthly, {})


def _monthly(parts: RuleText, start: date) -> Monthly:
    values = {name: parts.value(name) for name in ("BYDAY", "BYMONTHDAY", "BYSETPOS") if name in parts}
    if not values:
        return "day"
    forms: tuple[Monthly, ...] = ("nth", "last", "end", "work")
    return next((one for one in forms if _on(one, start) == values), "other")


def _number(text: str) -> int | None:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 10 else None
