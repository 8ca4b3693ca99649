"""RRULE values (RFC 5545 §3.3.10) taken apart and checked.

>>> parse_rule("FREQ=WEEKLY;BYDAY=MO,WE;COUNT=4").byday
((0, 'MO'), (0, 'WE'))
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from datebridge.core.moments import Moment, NotAMoment, parse_moment

FREQUENCIES = ("SECONDLY", "MINUTELY", "HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY")
WEEKDAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
_BYDAY = re.compile(r"([+-]?\d{1,2})?(MO|TU|WE|TH|FR|SA|SU)")
#: Numbers each BY part may hold: lowest, highest, whether negative ones count from the end.
_RANGES = {
    "BYSECOND": (0, 60, False), "BYMINUTE": (0, 59, False), "BYHOUR": (0, 23, False),
    "BYMONTHDAY": (1, 31, True), "BYYEARDAY": (1, 366, True), "BYWEEKNO": (1, 53, True),
    "BYMONTH": (1, 12, False), "BYSETPOS": (1, 366, True),
}  # fmt: skip


class NotARule(ValueError):
    """The text is not a repeat rule; the message says why."""


@dataclass(frozen=True, slots=True)
class Rule:
    """A repeat rule. `by` holds the numeric BY parts by name; `text` is the rule as written."""

    text: str
    freq: str
    interval: int
    count: int | None
    until: Moment | None
    byday: tuple[tuple[int, str], ...]
    by: dict[str, tuple[int, ...]]
    wkst: str = "MO"


def parse_rule(text: str) -> Rule:
    """Take an RRULE value apart.

    Raises:
        NotARule: if a part is missing, unknown, twice there or out of range.
    """
    parts: dict[str, str] = {}
    for part in text.strip().rstrip(";").split(";"):
        name, equals, value = part.partition("=")
        name = name.strip().upper()
        if not equals or not value:
            raise NotARule(f"“{part}” is not a part of a rule")
        if name in parts:
            raise NotARule(f"{name} stands twice")
        parts[name] = value.strip().upper()
    freq = parts.pop("FREQ", "")
    if freq not in FREQUENCIES:
        raise NotARule(f"“{freq}” is not a frequency" if freq else "it has no FREQ")
    interval = _number("INTERVAL", parts.pop("INTERVAL", "1"), 1, 1_000_000)
    count = _number("COUNT", parts.pop("COUNT"), 1, 10_000_000) if "COUNT" in parts else None
    until = None
    if "UNTIL" in parts:
        try:
            until = parse_moment(parts.pop("UNTIL"))
        except NotAMoment as error:
            raise NotARule(f"UNTIL={error} is not a date") from error
    wkst = parts.pop("WKST", "MO")
    if wkst not in WEEKDAYS:
        raise NotARule(f"WKST={wkst} is not a weekday")
    byday = []
    for item in parts.pop("BYDAY", "").split(",") if "BYDAY" in parts else ():
        match = _BYDAY.fullmatch(item.strip())
        if match is None:
            raise NotARule(f"BYDAY={item} is not a weekday")
        byday.append((int(match[1] or 0), match[2]))
    by: dict[str, tuple[int, ...]] = {}
    for name, value in parts.items():
        if name.startswith("X-") or name in ("RSCALE", "SKIP"):
            continue
        if name not in _RANGES:
            raise NotARule(f"{name} is not a part of a rule")
        low, high, negative = _RANGES[name]
        by[name] = tuple(_number(name, item, -high if negative else low, high) for item in value.split(","))
    return Rule(text, freq, interval, count, until, tuple(byday), by, wkst)


def on_clock_of(rule: Rule, start: Moment) -> Rule:
    """The rule as its series goes by it: UNTIL on the clock of the start, hours only where the start has one.

    UNTIL comes in UTC where the start is zoned, or as a date (RFC 5545 §3.3.10). BYHOUR, BYMINUTE and BYSECOND
    are ignored in a series of whole days (ibid.).

    Raises:
        NotARule: if whole days are to repeat by the hour or quicker.
    """
    text = rule.text.strip().rstrip(";").upper()
    if start.is_date and rule.freq in ("SECONDLY", "MINUTELY", "HOURLY"):
        raise NotARule("whole days cannot repeat by the hour")
    if rule.until is None and not start.is_date:
        return rule if text == rule.text else parse_rule(text)
    parts = [p for p in text.split(";") if not p.startswith("UNTIL=")]
    if start.is_date:
        parts = [p for p in parts if p.partition("=")[0].strip() not in ("BYHOUR", "BYMINUTE", "BYSECOND")]
    if rule.until is not None:
        whole = start.is_date or rule.until.is_date
        parts.append(f"UNTIL={rule.until.on_clock_of(start):{'%Y%m%d' if whole else '%Y%m%dT%H%M%S'}}")
    return parse_rule(";".join(parts))


def _number(name: str, text: str, low: int, high: int) -> int:
    try:
        number = int(text)
    except ValueError:
        raise NotARule(f"{name}={text} is not a number") from None
    if not low <= number <= high or (number == 0 and low < 0):
        raise NotARule(f"{name}={text} is out of range")
    return number
