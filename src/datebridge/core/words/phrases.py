"""Days and times as people type them: a date, days by a rule, an event in one line.

>>> today = date(2026, 11, 25)
>>> read_date("next friday", today).isoformat(), read_date("week 40", today).isoformat()
('2026-12-04', '2027-10-04')
>>> [d.isoformat() for d in read_days("Last Fridays of the next three months", today)]
['2026-11-27', '2026-12-25', '2027-01-29']
"""

from __future__ import annotations

import calendar
import re
import unicodedata
from dataclasses import dataclass
from datetime import date, time, timedelta
from functools import cache
from typing import NamedTuple
from zoneinfo import available_timezones

from datebridge.core.errors import CannotDo

_WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_MONTHS = (
    "january", "february", "march", "april", "may", "june",
    "july", "august", "september", "october", "november", "december",
)  # fmt: skip
_NUMBERS = {
    word: n
    for n, word in enumerate(
        ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"), 1
    )
}
_ORDINALS = {"first": 1, "1st": 1, "second": 2, "2nd": 2, "third": 3, "3rd": 3, "fourth": 4, "4th": 4,
             "fifth": 5, "5th": 5, "last": -1}  # fmt: skip
#: More days side by side than this are not legible.
MOST_DAYS = 31


_WEEK = re.compile(r"(?:week|wk|w|kw) ([0-9]{1,2})(?: (?:of )?([0-9]{4}))?|([0-9]{4}) - w ([0-9]{1,2})")


class NotUnderstood(CannotDo):
    """The text says no date, days or event; the message says how to say one."""

    code, title, status = "not-understood", "This is not understood", 422


def read_date(text: str, today: date) -> date:
    """A day: ``3 jun``, ``3 jun 2027``, ``2027-06-03``, ``next friday``, ``week 40``, ``june``, ``in 3 weeks``.

    A day or month without a year is the nearest to come, today included; a weekday the next to come, and
    with ``next`` that of the week after this one; a week's day is its Monday (ISO 8601).

    Raises:
        NotUnderstood: if it says no day.
    """
    words = _words(text)
    found = _date(words, today)
    if found is None:
        raise NotUnderstood(f"“{text.strip()}” is no date. Try “3 jun”, “next friday” or “week 40”.")
    return found


def _words(text: str) -> list[str]:
    """Words, numbers and marks in order; none at all where there is anything else, so that nothing is passed over."""
    plain = _plain(text)
    if re.sub(r"[a-z0-9\s,./-]", "", plain):
        return []
    return re.findall(r"[a-z]+|[0-9]+(?:st|nd|rd|th)?|[-./]", plain)


def _plain(text: str) -> str:
    """Lower case without accents."""
    return "".join(c for c in unicodedata.normalize("NFKD", text.lower()) if not unicodedata.combining(c))


def _date(words: list[str], today: date) -> date | None:
    try:
        return _any_date(words, today)
    except (ValueError, OverflowError):  # beyond the years there are
        return None


def _any_date(words: list[str], today: date) -> date | None:
    text = " ".join(words)
    if text in ("today", "tomorrow", "yesterday"):
        return today + timedelta(days={"today": 0, "tomorrow": 1, "yesterday": -1}[text])
    if match := re.fullmatch(r"([0-9]{4}) - ([0-9]{1,2}) - ([0-9]{1,2})", text):
        return _real(int(match[1]), int(match[2]), int(match[3]))
    if match := re.fullmatch(r"([0-9]{1,2}) [./] ([0-9]{1,2})(?: [./](?: ([0-9]{4}))?)?", text):
        return _coming(int(match[1]), int(match[2]), match[3], today)
    if match := re.fullmatch(
        r"(?:week|wk|w|kw) ([0-9]{1,2})(?: (?:of )?([0-9]{4}))?|([0-9]{4}) - w ([0-9]{1,2})", text
    ):
        return _week(int(match[1] or match[4]), match[2] or match[3], today)
    if match := re.fullmatch(r"(?:(in) )?(\w+) (day|week|month|year)s?(?: (ago))?", text):
        number = _number(match[2])
        if number is not None and (match[1] or match[4]):
            return shifted(today, number * (-1 if match[4] else 1), match[3])
    if match := re.fullmatch(r"(next|last|this) (week|month|year)", text):
        return shifted(today, {"next": 1, "last": -1, "this": 0}[match[1]], match[2])
    return _named_date(text, today)


def _named_date(text: str, today: date) -> date | None:
    """A date by the name of its weekday or month."""
    if match := re.fullmatch(r"(?:(next|last|this|on) )?([a-z]+)", text):
        weekday = _named(match[2].removesuffix("s"), _WEEKDAYS)
        if weekday is not None:
            monday = today - timedelta(days=today.weekday())
            if match[1] in ("next", "last"):
                return monday + timedelta(days=(7 if match[1] == "next" else -7) + weekday)
            return today + timedelta(days=(weekday - today.weekday()) % 7)
        month = _named(match[2], _MONTHS)
        if month is not None and match[1] is None:
            return _coming(1, month + 1, None, today.replace(day=1))
    if match := re.fullmatch(r"([a-z]+) ([0-9]{4})", text):
        month = _named(match[1], _MONTHS)
        return _real(int(match[2]), month + 1, 1) if month is not None else None
    for pattern in (r"(?P<day>[0-9]{1,2})(?:st|nd|rd|th)? (?:of )?(?P<month>[a-z]+)", r"(?P<month>[a-z]+) (?P<day>[0-9]{1,2})(?:st|nd|rd|th)?"):  # fmt: skip  # noqa: E501
        if match := re.fullmatch(pattern + r"(?: (?P<year>[0-9]{4}))?", text):
            month = _named(match["month"], _MONTHS)
            if month is not None:
                return _coming(int(match["day"]), month + 1, match["year"], today)
    return None


def _named(word: str, names: tuple[str, ...]) -> int | None:
    """The place of a name of which three letters at least are given."""
    return next((k for k, name in enumerate(names) if len(word) > 2 and name.startswith(word)), None)


def _number(word: str) -> int | None:
    return (
        int(word)
        if word.isascii() and word.isdigit() and len(word) < 7
        else 1
        if word in ("a", "an")
        else _NUMBERS.get(word)
    )


def _real(year: int, month: int, day: int) -> date | None:
    try:
        return date(year, month, day)
    except ValueError:
        return None


def _coming(day: int, month: int, year: str | None, today: date) -> date | None:
    if year is not None:
        return _real(int(year), month, day)
    found = (_real(today.year + k, month, day) for k in range(9))
    return next((one for one in found if one and one >= today), None)


def _week(number: int, year: str | None, today: date) -> date | None:
    for at in (int(year),) if year else (today.year, today.year + 1):
        try:
            monday = date.fromisocalendar(at, number, 1)
        except ValueError:
            continue
        if year or monday + timedelta(days=6) >= today:
            return monday
    return None


def shifted(day: date, number: int, unit: str) -> date:
    """The day so many days, weeks, months or years later; the last of a month where it has no such day.

    Raises:
        ValueError, OverflowError: if there is no such year.
    """
    if unit in ("day", "week"):
        return day + timedelta(days=number * (7 if unit == "week" else 1))
    months = day.year * 12 + day.month - 1 + number * {"month": 1, "quarter": 3, "year": 12}[unit]
    year, month = divmod(months, 12)
    return date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))


# ---- days by a rule ---------------------------------------------------------------------------------


def read_days(text: str, today: date) -> list[date]:
    """Days in order: ``Mondays of this quarter``, ``1st and 15th of the next six months``, or dates with commas.

    Raises:
        NotUnderstood: if it says no days, or more than MOST_DAYS.
    """
    match = re.fullmatch(r"(?:all |every |the )*(.+?) (?:of|in) (?:the )?(.+)", " ".join(_plain(text).split()))
    span = _span(match[2], today) if match else None
    if match and span:
        found = _chosen(match[1].split(), *span)
    else:
        parts = re.split(r"[,;]| and ", text)
        dates = [_date(_words(part), today) for part in parts if part.strip()]
        found = sorted({day for day in dates if day}) if all(dates) else []
    if not found:
        raise NotUnderstood(
            f"“{text.strip()}” says no days. Try “Mondays of this quarter”, “last Fridays of the next six months” or"
            " dates with commas."
        )
    if len(found) > MOST_DAYS:
        raise NotUnderstood(f"These are {len(found)} days; {MOST_DAYS} side by side are the most.")
    return found


def _span(text: str, today: date) -> tuple[date, int] | None:
    """A span of days: the first, and how many."""
    try:
        found = _any_span(text, today)
    except (ValueError, OverflowError):
        return None
    if found is None:
        return None
    first, end = found
    return first, (end - first).days if end is not None else (date.max - first).days + 1


def _following(first: date, unit: str) -> date | None:
    """The first day after a span; None after the last year there is."""
    try:
        return shifted(first, 1, unit)
    except (ValueError, OverflowError):
        return None


def _any_span(text: str, today: date) -> tuple[date, date | None] | None:
    if match := re.fullmatch(r"(this|next|last) (week|month|quarter|year)", text):
        first = _begin(today, match[2])
        first = shifted(first, {"this": 0, "next": 1, "last": -1}[match[1]], match[2])
        return first, _following(first, match[2])
    if match := re.fullmatch(r"(next|coming|last|past) (\w+) (day|week|month|quarter|year)s?", text):
        number = _number(match[2])
        if number is not None and number <= 60:
            ahead = match[1] in ("next", "coming")
            other = shifted(today, number if ahead else -number, match[3])
            return (today, other) if ahead else (other, today)
    if match := re.fullmatch(r"(?:q([1-4])|quarter ([1-4]))(?: ([0-9]{4}))?", text):
        first = date(int(match[3] or today.year), 3 * int(match[1] or match[2]) - 2, 1)
        return first, _following(first, "quarter")
    if re.fullmatch(r"[0-9]{4}", text):
        return date(int(text), 1, 1), _following(date(int(text), 1, 1), "year")
    match = re.fullmatch(r"([a-z]+)(?: ([0-9]{4}))?", text)
    month = _named(match[1], _MONTHS) if match else None
    if match and month is not None:
        begin = _real(int(match[2]), month + 1, 1) if match[2] else _coming(1, month + 1, None, today.replace(day=1))
        return (begin, _following(begin, "month")) if begin else None
    return None


def _begin(day: date, unit: str) -> date:
    if unit == "week":
        return day - timedelta(days=day.weekday())
    month = {"month": day.month, "quarter": (day.month - 1) // 3 * 3 + 1, "year": 1}[unit]
    return date(day.year, month, 1)


def _chosen(words: list[str], first: date, number: int) -> list[date]:
    ordinals: set[int] = set()
    weekdays: set[int] = set()
    month_days: set[int] = set()
    kinds: set[int] = set()
    for word in words:
        word = word.strip(",")
        weekday = _named(word.removesuffix("s"), _WEEKDAYS)
        if word in ("and", "working", "work", "the"):
            continue
        if weekday is not None:
            weekdays.add(weekday)
        elif word in ("day", "days", "weekdays"):
            kinds |= set(range(5 if {"working", "work"} & set(words) or word == "weekdays" else 7))
        elif word in ("weekend", "weekends"):
            kinds |= {5, 6}
        elif word in _ORDINALS:
            ordinals.add(_ORDINALS[word])
        elif numbered := re.fullmatch(r"([0-9]{1,2})(?:st|nd|rd|th)", word):
            month_days.add(int(numbered[1]))
        else:
            return []
    if not (weekdays or kinds):
        month_days |= ordinals
        ordinals = set()
    days = (first + timedelta(days=k) for k in range(number))
    return [day for day in days if _fits(day, ordinals, weekdays, kinds, month_days)]


def _fits(day: date, ordinals: set[int], weekdays: set[int], kinds: set[int], month_days: set[int]) -> bool:
    length = calendar.monthrange(day.year, day.month)[1]
    if month_days and day.day not in month_days and day.day - length - 1 not in month_days:
        return False
    if weekdays | kinds and day.weekday() not in weekdays | kinds:
        return False
    if ordinals and kinds:  # the last working day: of all such days of the month
        alike = [d for d in range(1, length + 1) if day.replace(day=d).weekday() in weekdays | kinds]
        place = alike.index(day.day)
        return place + 1 in ordinals or place - len(alike) in ordinals
    if ordinals:
        return (day.day - 1) // 7 + 1 in ordinals or -((length - day.day) // 7 + 1) in ordinals
    return bool(weekdays or kinds or month_days)


# ---- an event in a line -----------------------------------------------------------------------------


@dataclass(slots=True)
class Line:
    """What a typed line says; parts it leaves open are None. `length` in minutes; `zone` "" for none given."""

    title: str = ""
    day: date | None = None
    at: time | None = None
    length: int | None = None
    zone: str = ""


class _Clock(NamedTuple):
    at: time
    end: time | None


_TIME = r"([0-9]{1,2})(?:[:.]([0-9]{2}))? ?(am|pm|h)?"
_RANGE = re.compile(
    rf"(?:at |from )?{_TIME}(?: ?(?:-|–|—|to|until) ?{_TIME})?(?: for ([0-9]+) ?(min|minutes|h|hours?))?"
)


def read_line(text: str, today: date) -> Line:
    """A title, then with commas a day, hours and a clock: ``Crane check, tue 14:00–15:30, Hobart time``.

    Raises:
        NotUnderstood: if there is no title, or no day and no hours.
    """
    line = Line()
    titles: list[str] = []
    for part in [part.strip() for part in text.split(",") if part.strip()]:
        if titles and _take(line, part, today):
            continue
        titles.append(part)
    if titles and line.day is None and line.at is None:  # no commas: what stands at the end may be the day and hours
        words = titles[-1].split()
        for size in range(min(len(words) - 1, 6), 0, -1):
            if _take(line, " ".join(words[-size:]), today):
                titles[-1] = " ".join(words[:-size])
                break
    line.title = ", ".join(titles)
    if not line.title or (line.day is None and line.at is None):
        raise NotUnderstood("Say what and when: “Crane check, tue 14:00–15:30, Hobart time”, or “Regatta, 3 jun”.")
    line.day = line.day or today
    return line


def _take(line: Line, part: str, today: date) -> bool:
    """Take what a part says of day, hours and clock; nothing is taken unless all of it is understood."""
    words = _plain(part).replace("–", "-").split()
    zone = _zone_in(words)
    if zone is not None:
        line.zone, words = zone, words[: -2 if words[-1] == "time" else -1]
    if not words:
        return zone is not None
    for cut in range(len(words) + 1):  # the day first, then the hours; either may be missing
        day = _date(_words(" ".join(words[:cut]).removeprefix("on ")), today) if cut else None
        match = _RANGE.fullmatch(" ".join(words[cut:])) if cut < len(words) else None
        if (cut and day is None) or (cut < len(words) and not _takes_hours(line, match)):
            continue
        line.day = day or line.day
        return True
    return False


def _takes_hours(line: Line, match: re.Match[str] | None) -> bool:
    if match is None or not (match[2] or match[3] or match[5] or match[4]):
        return False  # a number alone is no time
    end = _time(match[4], match[5], match[6]) if match[4] else None
    start = _time(match[1], match[2], match[3])
    if end is not None and match[6] in ("am", "pm") and not match[3]:  # 9-5pm: whichever half lies before the end
        same = _time(match[1], match[2], match[6])
        other = _time(match[1], match[2], "am" if match[6] == "pm" else "pm")
        start = same if same is not None and same < end else other or start
    if start is None or (match[4] and end is None) or len(match[7] or "") > 6:
        return False
    line.at = start
    if end is not None:
        minutes = (end.hour - start.hour) * 60 + end.minute - start.minute
        line.length = minutes if minutes > 0 else minutes + 1440
    elif match[7]:
        line.length = int(match[7]) * (60 if match[8].startswith("h") else 1)
    return True


def _time(hours: str, minutes: str | None, half: str | None) -> time | None:
    hour = int(hours)
    if half in ("am", "pm"):
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + (12 if half == "pm" else 0)
    if hour == 24 and not int(minutes or 0):
        hour = 0
    return time(hour, int(minutes or 0)) if hour < 24 and int(minutes or 0) < 60 else None


def _zone_in(words: list[str]) -> str | None:
    """The zone named by the last words: ``Hobart time``, ``UTC``, ``Australia/Hobart``."""
    if len(words) >= 2 and words[-1] == "time":
        return zone_of_place(words[-2])
    return zone_of_place(words[-1]) if words and ("/" in words[-1] or words[-1] == "utc") else None


def zone_of_place(name: str) -> str | None:
    """The IANA zone of a place or name, without regard to case or accents; None if there is none."""
    return _places().get(_plain(name).replace(" ", "_"))


@cache
def _places() -> dict[str, str]:
    found: dict[str, str] = {"utc": "UTC", "gmt": "UTC"}
    for zone in sorted(available_timezones(), key=lambda z: (z.count("/"), z)):
        if "/" in zone and not zone.startswith(("Etc/", "posix", "right", "SystemV", "US/", "Canada/", "Mexico/")):
            found.setdefault(zone.rsplit("/", 1)[1].lower(), zone)
            found[zone.lower()] = zone
    return found
