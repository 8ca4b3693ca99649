"""A repeat rule as choices, and a rule made by choosing (RFC 5545 §3.3.10); what choices do not touch stays as written.

>>> start = date(2026, 11, 26)
>>> rule = chosen("FREQ=WEEKLY", start, weekday="MO")
>>> rule, read_repeats(rule, start).weekdays
('FREQ=WEEKLY;BYDAY=MO,TH', ('MO', 'TH'))
>>> chosen("FREQ=MONTHLY;X-ODD=1", start, monthly="nth")
'FREQ=MONTHLY;X-ODD=1;BYDAY=4TH'
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from datebridge.core.recurrence.rules import WEEKDAYS

#: On the day of the start; its weekday so often in the month, or the last time; the month's last day; its first working
#: day; something that only the rule says.
Monthly = Literal["day", "nth", "last", "end", "work", "other"]
Ends = Literal["never", "count", "until"]
_CHOSEN = frozenset({"FREQ", "INTERVAL", "BYDAY", "BYMONTHDAY", "BYMONTH", "BYSETPOS", "COUNT", "UNTIL", "WKST"})
_PLAIN = ("DAILY", "WEEKLY", "MONTHLY", "YEARLY")
_WORKING = {"BYDAY": "MO,TU,WE,TH,FR", "BYSETPOS": "1"}
#: So often, where nothing else was said.
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
    parts = _parts(rule)
    frequency = parts.get("FREQ", "")
    weekdays = tuple(parts["BYDAY"].split(",")) if "BYDAY" in parts else ()
    if not weekdays and frequency == "WEEKLY":
        weekdays = (WEEKDAYS[start.weekday()],)
    until = parts.get("UNTIL", "")
    return Repeats(
        frequency, frequency in _PLAIN and _CHOSEN.issuperset(parts), _number(parts.get("INTERVAL", "")) or 1,
        weekdays, _monthly(parts, start), _nth(start),
        "count" if "COUNT" in parts else "until" if until else "never", _number(parts.get("COUNT", "")),
        f"{until[:4]}-{until[4:6]}-{until[6:8]}" if until else "",
    )  # fmt: skip


def chosen(
    rule: str, start: date, *, frequency: str | None = None, interval: int | None = None, weekday: str | None = None,
    monthly: Monthly | None = None, ends: Ends | None = None, count: int | None = None, until: date | None = None,
) -> str:  # fmt: skip
    """The rule after a choice.

    Args:
        weekday: one that is put in, or taken out again.
    """
    parts = _parts(rule)
    if frequency is not None:
        if not frequency:
            return ""
        if "FREQ" in parts:
            _set(parts, BYDAY="", BYMONTHDAY="", BYMONTH="", BYSETPOS="")
        parts["FREQ"] = frequency
    if interval is not None:
        _set(parts, INTERVAL=str(interval) if interval > 1 else "")
    if weekday is not None:
        there = set(read_repeats(rule, start).weekdays) ^ {weekday}
        _set(parts, BYDAY=",".join(name for name in WEEKDAYS if name in there))
    if monthly is not None:
        _set(parts, BYDAY="", BYMONTHDAY="", BYSETPOS="")
        parts |= _on(monthly, start)
    if ends is not None:
        far = f"{start.year + 1:04d}{start:%m%d}"
        _set(parts, COUNT=_TIMES if ends == "count" else "", UNTIL=far if ends == "until" else "")
    if count is not None:
        _set(parts, COUNT=str(count))
    if until is not None:
        _set(parts, UNTIL=f"{until.year:04d}{until:%m%d}")
    return ";".join(f"{name}={value}" for name, value in parts.items())


def _parts(rule: str) -> dict[str, str]:
    split = (part.partition("=") for part in rule.split(";") if part.strip())
    return {name.strip().upper(): value.strip().upper() for name, _, value in split}


def _set(parts: dict[str, str], **values: str) -> None:
    for name, value in values.items():
        if value:
            parts[name] = value
        else:
            parts.pop(name, None)


def _nth(start: date) -> int:
    return (start.day + 6) // 7


def _on(monthly: Monthly, start: date) -> dict[str, str]:
    """The parts that say on which day of a month."""
    weekday = WEEKDAYS[start.weekday()]
    known: dict[Monthly, dict[str, str]] = {
        "nth": {"BYDAY": f"{_nth(start)}{weekday}"}, "last": {"BYDAY": f"-1{weekday}"}, "end": {"BYMONTHDAY": "-1"},
        "work": _WORKING,
    }  # fmt: skip
    return known.get(monthly, {})


def _monthly(parts: dict[str, str], start: date) -> Monthly:
    said = {name: parts[name] for name in ("BYDAY", "BYMONTHDAY", "BYSETPOS") if name in parts}
    if not said:
        return "day"
    known: tuple[Monthly, ...] = ("nth", "last", "end", "work")
    return next((one for one in known if _on(one, start) == said), "other")


def _number(text: str) -> int | None:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 10 else None
