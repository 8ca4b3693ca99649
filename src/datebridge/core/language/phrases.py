"""Days as people type them: a date, or days by a rule. An event in one line is `core.editing.typed`.

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
from datetime import date, timedelta

from datebridge.core.errors import CannotDo

_WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_MONTHS = (
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
)
_NUMBERS = {
    word: n
    for n, word in enumerate(
        ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"), 1
    )
}
MONTH_ORDINALS = {
    "first": 1,
    "1st": 1,
    "second": 2,
    "2nd": 2,
    "third": 3,
    "3rd": 3,
    "fourth": 4,
    "4th": 4,
    "fifth": 5,
    "5th": 5,
    "last": -1,
}
#: More days side by side than this are not legible.
MOST_DAYS = 31


_WEEK = re.compile(r"(?:week|wk|w|kw) ([0-9]{1,2})(?: (?:of )?([0-9]{4}))?|([0-9]{4}) - w ([0-9]{1,2})")


class NotUnderstood(CannotDo):
    """The text says no date, days or event; the message says how to say one."""

    code, title, status = "not-understood", "Not understood", 422


def read_date(text: str, today: date) -> date:
    """A day: ``3 jun``, ``3 jun 2027``, ``2027-06-03``, ``next friday``, ``week 40``, ``june``, ``in 3 weeks``.

    A day or month without a year is the nearest to come, today included; a weekday the next to come, and
    with ``next`` that of the week after this one; a week's day is its Monday (ISO 8601).

    Raises:
        NotUnderstood: if it says no day.
    """
    words = words_of(text)
    day = date_of(words, today)
    if day is None:
        raise NotUnderstood(f"“{text.strip()}” is not a date. Try “3 jun”, “next friday” or “week 40”.")
    return day


def words_of(text: str) -> list[str]:
    """Words, numbers and marks in order; none at all where there is anything else, so that nothing is passed over."""
    folded = plain(text)
    if re.sub(r"[a-z0-9\s,./-]", "", folded):
        return []
    return re.findall(r"[a-z]+|[0-9]+(?:st|nd|rd|th)?|[-./]", folded)


def plain(text: str) -> str:
    """Lower case without accents."""
    return "".join(c for c in unicodedata.normalize("NFKD", text.lower()) if not unicodedata.combining(c))


def date_of(words: list[str], today: date) -> date | None:
    """The day that words say; None where they say none."""
    try:
        return _any_date(words, today)
    except (ValueError, OverflowError):  # beyond the years there are
        return None


def says_month(words: list[str]) -> bool:
    """Whether words say a month, with its year or without."""
    if not words or _named(words[0], _MONTHS) is None:
        return False
    return len(words) == 1 or bool(re.fullmatch("[0-9]{4}", " ".join(words[1:])))


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
        number = number_of(match[2])
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
    for pattern in (
        r"(?P<day>[0-9]{1,2})(?:st|nd|rd|th)? (?:of )?(?P<month>[a-z]+)",
        r"(?P<month>[a-z]+) (?P<day>[0-9]{1,2})(?:st|nd|rd|th)?",
    ):
        if match := re.fullmatch(pattern + r"(?: (?P<year>[0-9]{4}))?", text):
            month = _named(match["month"], _MONTHS)
            if month is not None:
                return _coming(int(match["day"]), month + 1, match["year"], today)
    return None


def weekday_of(word: str) -> int | None:
    """Monday as 0, by three letters at least."""
    return _named(word, _WEEKDAYS)


def _named(word: str, names: tuple[str, ...]) -> int | None:
    """The place of a name of which three letters at least are given."""
    return next((k for k, name in enumerate(names) if len(word) > 2 and name.startswith(word)), None)


def number_of(word: str) -> int | None:
    """A number in figures, or in words up to twelve."""
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
    days = (_real(today.year + k, month, day) for k in range(9))
    return next((day for day in days if day and day >= today), None)


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
    match = re.fullmatch(r"(?:all |every |the )*(.+?) (?:of|in) (?:the )?(.+)", " ".join(plain(text).split()))
    span = _span(match[2], today) if match else None
    if match and span:
        days = _chosen(match[1].split(), *span)
    else:
        parts = re.split(r"[,;]| and ", text)
        dates = [date_of(words_of(part), today) for part in parts if part.strip()]
        days = sorted({day for day in dates if day}) if all(dates) else []
    if not days:
        raise NotUnderstood(
            f"“{text.strip()}” says no days. Try “Mondays of this quarter”, “last Fridays of the next six months” or"
            " dates with commas."
        )
    if len(days) > MOST_DAYS:
        raise NotUnderstood(f"These are {len(days)} days; {MOST_DAYS} side by side are the most.")
    return days


def _span(text: str, today: date) -> tuple[date, int] | None:
    """A span of days: the first, and how many."""
    try:
        span = _any_span(text, today)
    except (ValueError, OverflowError):
        return None
    if span is None:
        return None
    first, end = span
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
        number = number_of(match[2])
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
        elif word in MONTH_ORDINALS:
            ordinals.add(MONTH_ORDINALS[word])
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
