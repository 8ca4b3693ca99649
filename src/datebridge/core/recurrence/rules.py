"""RRULE values (RFC 5545 §3.3.10) taken apart and checked.

>>> parse_rule("FREQ=WEEKLY;BYDAY=MO,WE;COUNT=4").byday
((0, 'MO'), (0, 'WE'))
>>> rule, invalid = read_rule("FREQ=DAILY;COUNT=-1;UNTIL=20270101")
>>> rule.text, invalid
('FREQ=DAILY;UNTIL=20270101', ['COUNT=-1 is out of range'])
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from datebridge.core.moments import Moment, NotAMoment, basic, basic_date, from_wall_seconds, last_wall, parse_moment
from datebridge.core.recurrence.ruletext import RuleText

FREQUENCIES = ("SECONDLY", "MINUTELY", "HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY")
WEEKDAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
_BYDAY = re.compile(r"([+-]?\d{1,2})?(MO|TU|WE|TH|FR|SA|SU)", re.ASCII)
_NUMBER = re.compile(r"[+-]?\d{1,18}", re.ASCII)
_NAME = re.compile(r"[A-Z][A-Z0-9-]*", re.ASCII)
#: Numbers each BY part may hold: lowest, highest, whether negative ones count from the end.
_RANGES = {
    "BYSECOND": (0, 60, False),
    "BYMINUTE": (0, 59, False),
    "BYHOUR": (0, 23, False),
    "BYMONTHDAY": (1, 31, True),
    "BYYEARDAY": (1, 366, True),
    "BYWEEKNO": (1, 53, True),
    "BYMONTH": (1, 12, False),
    "BYSETPOS": (1, 366, True),
}
#: Beyond any moment there is, whatever the unit.
_MOST = 10**18


class NotARule(ValueError):
    """The text is not a repeat rule; the message says why."""


@dataclass(frozen=True, slots=True)
class Rule:
    """A repeat rule. `by` holds the numeric BY parts by name; `text` is the rule as it is understood.

    What no standard puts into a rule (X- parts) is kept in `other` as written.
    """

    text: str
    freq: str
    interval: int
    count: int | None
    until: Moment | None
    byday: tuple[tuple[int, str], ...]
    by: dict[str, tuple[int, ...]]
    wkst: str = "MO"
    other: tuple[str, ...] = ()


@lru_cache(maxsize=16_384)  # the same few rules come again and again
def parse_rule(text: str) -> Rule:
    """Take an RRULE value apart.

    Raises:
        NotARule: if a part is missing, unknown, twice there or out of range.
    """
    rule, invalid = read_rule(text)
    if invalid:
        raise NotARule(invalid[0])
    return rule


def read_rule(text: str) -> tuple[Rule, list[str]]:
    """What a rule says as far as it makes sense, and what of it does not, in words.

    A part that cannot be read is left out; what is left of the rule counts.

    Raises:
        NotARule: if it has no frequency.
    """
    parts, invalid = _parts(text)
    freq = parts.pop("FREQ", "")
    if freq not in FREQUENCIES:
        raise NotARule(f"“{freq}” is not a frequency" if freq else "it has no FREQ")
    reading = _Reading(parts, invalid)
    interval = reading.number("INTERVAL", _MOST) or 1
    count = reading.number("COUNT", _MOST)
    until = reading.until()
    wkst = reading.weekday("WKST") or "MO"
    byday = reading.weekdays()
    by = {name: read for name in list(parts) if name in _RANGES and (read := reading.numbers(name))}
    other = tuple(f"{name}={value}" for name, value in parts.items() if name.startswith("X-"))
    for name, value in parts.items():
        if name in ("RSCALE", "SKIP"):
            if (name, value) not in (("RSCALE", "GREGORIAN"), ("SKIP", "OMIT")):
                invalid.append(f"{name}={value} is not followed (RFC 7529)")
        elif name not in _RANGES and not name.startswith("X-"):
            invalid.append(f"{name[:40]} is not a part of a rule")
    written = [f"FREQ={freq}"]
    written += [f"INTERVAL={interval}"] if interval > 1 else []
    written += [f"COUNT={count}"] if count is not None else []
    written += [f"UNTIL={_moment_text(until)}"] if until is not None else []
    written += ["BYDAY=" + ",".join(f"{nth or ''}{day}" for nth, day in byday)] if byday else []
    written += [f"{name}={','.join(map(str, numbers))}" for name, numbers in by.items()]
    written += [f"WKST={wkst}"] if wkst != "MO" else []
    return Rule(";".join([*written, *other]), freq, interval, count, until, byday, by, wkst, other), invalid


def _parts(text: str) -> tuple[dict[str, str], list[str]]:
    parts: dict[str, str] = {}
    invalid = []
    for part in text.strip().rstrip(";").split(";"):
        name, equals, value = part.partition("=")
        name, value = name.strip().upper(), value.strip().upper()
        if not equals or not value or not _NAME.fullmatch(name) or "\n" in value or "\r" in value:
            invalid.append(f"“{' '.join(part.split())[:40]}” is not a part of a rule")
        elif name in parts:
            invalid.append(f"{name[:40]} stands twice")
        else:
            parts[name] = value
    return parts, invalid


class _Reading:
    """The parts of a rule, read one kind at a time; what is read is taken out, what is invalid is noted."""

    def __init__(self, parts: dict[str, str], invalid: list[str]) -> None:
        self.parts, self.invalid = parts, invalid

    def number(self, name: str, high: int) -> int | None:
        if name not in self.parts:
            return None
        try:
            return _number(name, self.parts.pop(name), 1, high, False)
        except NotARule as error:
            self.invalid.append(str(error))
            return None

    def until(self) -> Moment | None:
        if "UNTIL" not in self.parts:
            return None
        text = self.parts.pop("UNTIL")
        try:
            return parse_moment(text)
        except NotAMoment:
            self.invalid.append(f"UNTIL={text[:40]} is not a date")
            return None

    def weekday(self, name: str) -> str:
        value = self.parts.pop(name, "")
        if value and value not in WEEKDAYS:
            self.invalid.append(f"{name}={value[:40]} is not a weekday")
            return ""
        return value

    def weekdays(self) -> tuple[tuple[int, str], ...]:
        weekdays_named: dict[tuple[int, str], None] = {}
        for item in self.parts.pop("BYDAY").split(",") if "BYDAY" in self.parts else ():
            match = _BYDAY.fullmatch(item.strip())
            if match is None:
                self._note_invalid(f"BYDAY={item[:40]} is not a weekday")
            elif match[1] and not 1 <= abs(int(match[1])) <= 53:
                self._note_invalid(f"BYDAY={item} counts from 1 to 53, or from the end")
                if not int(match[1]):
                    weekdays_named[0, match[2]] = None
            else:
                weekdays_named[int(match[1] or 0), match[2]] = None
        return tuple(weekdays_named)

    def numbers(self, name: str) -> tuple[int, ...]:
        low, high, negative = _RANGES[name]
        numbers_named: dict[int, None] = {}
        for item in self.parts[name].split(","):
            try:
                numbers_named[_number(name, item.strip(), low, high, negative)] = None
            except NotARule as error:
                self._note_invalid(str(error))
        return tuple(numbers_named)

    def _note_invalid(self, message: str) -> None:
        if len(self.invalid) < 20:
            self.invalid.append(message)


def _number(name: str, text: str, low: int, high: int, negative: bool) -> int:
    if not _NUMBER.fullmatch(text):
        raise NotARule(f"{name}={text[:40]} is not a number")
    number = int(text)
    if not low <= number <= high and not (negative and low <= -number <= high):
        raise NotARule(f"{name}={text} is out of range")
    return number


def _moment_text(moment: Moment) -> str:
    return basic_date(moment.wall) if moment.is_date else basic(moment.wall) + ("Z" if moment.zone == "UTC" else "")


def on_clock_of(rule: Rule, start: Moment) -> Rule:
    """The rule as its series goes by it: UNTIL on the clock of the start, hours only where the start has one.

    UNTIL comes in UTC where the start is zoned, or as a date (RFC 5545 §3.3.10). BYHOUR, BYMINUTE and BYSECOND
    are ignored in a series of whole days (ibid.).

    Raises:
        NotARule: if whole days are to repeat by the hour or quicker.
    """
    if start.is_date and rule.freq in ("SECONDLY", "MINUTELY", "HOURLY"):
        raise NotARule("whole days cannot repeat by the hour")
    if rule.until is None and not start.is_date:
        return rule
    drop = {"UNTIL"}
    if start.is_date:
        drop |= {"BYHOUR", "BYMINUTE", "BYSECOND"}
    shown = RuleText.of(rule.text).without(*drop)
    if rule.until is not None:
        until = rule.until.on_clock_of(start)
        if start.zone and not rule.until.is_date and (instant := rule.until.instant()) is not None:
            until = from_wall_seconds(last_wall(instant, start.zone))  # it may lie in an hour that comes twice
        shown = shown.with_values(UNTIL=basic_date(until) if start.is_date or rule.until.is_date else basic(until))
    return parse_rule(str(shown))
