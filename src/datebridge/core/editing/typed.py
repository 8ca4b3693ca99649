"""An event as people type it in one line: what, when, on whose clock, and how it repeats.

>>> line = read_line("Crane check, every second tue until june 14:00–15:30, Hobart time", date(2026, 11, 25))
>>> line.title, line.day.isoformat(), line.rule, line.until.isoformat(), line.zone
('Crane check', '2026-12-01', 'FREQ=WEEKLY;INTERVAL=2;BYDAY=TU', '2027-06-01', 'Australia/Hobart')
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import cache
from typing import Literal
from zoneinfo import available_timezones

from datebridge.core.language.clocks import DAY, hours, place_of
from datebridge.core.language.phrases import (
    MONTH_ORDINALS,
    NotUnderstood,
    date_of,
    number_of,
    plain,
    weekday_of,
    words_of,
)
from datebridge.core.language.spans import day_name
from datebridge.core.moments import from_wall_seconds, instant_at, wall_at, wall_seconds_of
from datebridge.core.recurrence.rules import WEEKDAYS, parse_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.recurrence.starts import starts
from datebridge.core.recurrence.words import describe

#: What a piece of the line was understood as; `unclear`: nothing, so that it stays in the title.
Means = Literal["title", "when", "unclear"]


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of the text, and what it was taken for."""

    start: int
    end: int
    means: Means


@dataclass(slots=True)
class TypedLine:
    """What a typed line says; parts it leaves open are None.

    Attributes:
        length: in minutes.
        zone: "" for none given.
        rule: how it repeats, without its end where that is a day; "" for once.
        until: the last day on which it may happen.
        pieces: the text, piece by piece.
    """

    title: str
    day: date
    at: time | None = None
    length: int | None = None
    zone: str = ""
    rule: str = ""
    until: date | None = None
    pieces: tuple[Piece, ...] = ()


@dataclass(slots=True)
class _ReadLine:
    """What has been found so far."""

    day: date | None = None
    at: time | None = None
    length: int | None = None
    zone: str = ""
    rule: str = ""
    until: date | None = None

    @property
    def says_when(self) -> bool:
        return self.day is not None or self.at is not None or self.rule != ""


_TIME = r"([0-9]{1,2})(?:[:.]([0-9]{2}))? ?(am|pm|h)?"
_RANGE = re.compile(
    rf"(?:at |from )?{_TIME}(?: ?(?:-|–|—|to|until) ?{_TIME})?(?: for ([0-9]+) ?(min|minutes|h|hours?))?"
)
#: Further ahead than this no first time of a rule is looked for, in days.
_AHEAD = 366 * 9


def read_line(text: str, today: date) -> TypedLine:
    """A title, then with commas a day, hours, a clock, repeats: ``Crane check, weekly on tue 14:00, Hobart time``.

    A series begins on the first of its days, from the day that is named, or today, on.

    Raises:
        NotUnderstood: if there is no title, or no day, no hours and no repeats.
    """
    line = _ReadLine()
    titles: list[str] = []
    pieces: list[Piece] = []
    for start, end in _parts(text):
        part = text[start:end]
        if titles and _take(line, part, today):
            pieces.append(Piece(start, end, "when"))
            continue
        titles.append(part)
        pieces.append(Piece(start, end, "unclear" if len(titles) > 1 else "title"))
    if titles and not line.says_when:  # no commas: what is at the end may be the day and hours
        cut = _said_at_end(line, titles[-1], today)
        if cut:
            last = pieces.pop()
            pieces += [Piece(last.start, last.start + cut, last.means), Piece(last.start + cut + 1, last.end, "when")]
            titles[-1] = titles[-1][:cut].rstrip()
    title = ", ".join(titles)
    if not title or not line.says_when:
        raise NotUnderstood(
            "Enter a title and a time: “Crane check, tue 14:00–15:30, Hobart time”, or “Regatta, 3 jun”."
        )
    day = line.day or today
    if line.rule:
        day = _first_day(line.rule, day)
    return TypedLine(title, day, line.at, line.length, line.zone, line.rule, line.until, tuple(pieces))


def _parts(text: str) -> Iterator[tuple[int, int]]:
    """Where the parts between commas stand, without the spaces around them."""
    for match in re.finditer(r"[^,]+", text):
        part = match[0]
        begin = match.start() + len(part) - len(part.lstrip())
        if part.strip():
            yield begin, begin + len(part.strip())


def _said_at_end(line_read: _ReadLine, title: str, today: date) -> int:
    """How much of a title is left once its last words are taken for day, hours and repeats; 0 where they are not."""
    places = [match.start() for match in re.finditer(r"\S+", title)]
    for place in places[max(1, len(places) - 9) :]:  # the most words first
        if _take(line_read, title[place:], today):
            return len(title[:place].rstrip())
    return 0


def _first_day(rule: str, day: date) -> date:
    low = wall_seconds_of(day)
    every = parse_rule(re.sub(r";INTERVAL=[0-9]+", "", rule))  # every second tuesday begins on the next one
    first = next(starts(every, low, low, low + _AHEAD * DAY), low)
    return from_wall_seconds(first).date()


def _take(line_read: _ReadLine, part: str, today: date) -> bool:
    """Take what a part says of day, hours, clock and repeats; nothing is taken unless all of it is understood."""
    words = plain(part).replace("–", "-").split()
    wanted = _ReadLine()
    zone = _zone_in(words)
    if zone is not None:
        wanted.zone, words = zone, words[: -2 if words[-1] == "time" else -1]
    if not words and zone is None:
        return False
    for rest in _without_repeats(wanted, words, today):
        if not rest or _takes_day_and_hours(wanted, rest, today):
            for name in ("day", "at", "length", "zone", "rule", "until"):
                setattr(line_read, name, getattr(wanted, name) or getattr(line_read, name))
            return True
    return False


def _takes_day_and_hours(line_read: _ReadLine, words: list[str], today: date) -> bool:
    for cut in range(len(words) + 1):  # the day first, then the hours; either may be missing
        day = date_of(words_of(" ".join(words[:cut]).removeprefix("on ")), today) if cut else None
        match = _RANGE.fullmatch(" ".join(words[cut:])) if cut < len(words) else None
        if (cut and day is None) or (cut < len(words) and not _takes_hours(line_read, match)):
            continue
        line_read.day = day
        return True
    return False


# ---- in running text --------------------------------------------------------------------------------

#: Of a text so many words are looked through for days and hours, and so many belong to one at most.
_MOST_WORDS, _LONGEST = 3_000, 8
_BEGINS = frozenset({"today", "tomorrow", "on", "next", "this"})


def times_in(text: str, today: date, most: int = 6) -> list[TypedLine]:
    """Days, with their hours where they are named, that are in running text; in its order, each once.

    >>> found = times_in("Shall we say tuesday 14:00-15:00, or Thu 3 Dec at 9:30? You may choose.", date(2026, 11, 26))
    >>> [(f"{line.day:%d.%m.}", str(line.at), line.length) for line in found]
    [('01.12.', '14:00:00', 60), ('03.12.', '09:30:00', None)]
    """
    words = [match[0].strip("()[]<>\"'*_") for match in re.finditer(r"\S+", text[: _MOST_WORDS * 12])][:_MOST_WORDS]
    lines: dict[tuple[date, time | None], TypedLine] = {}
    at = 0
    while at < len(words) and len(lines) < most:
        taken, size = _day_at(words[at : at + _LONGEST], today)
        if taken is not None and taken.day is not None:
            line = TypedLine("", taken.day, taken.at, taken.length, taken.zone)
            lines.setdefault((line.day, line.at), line)
        at += max(size, 1)
    return list(lines.values())


def _day_at(words: list[str], today: date) -> tuple[_ReadLine | None, int]:
    """What day, and hours, the longest of the phrases says that begin here; and how many words that are."""
    first = plain(words[0]).strip(".,;:!?")
    if not (first[:1].isdigit() or first in _BEGINS or weekday_of(first) is not None or date_of([first], today)):
        return None, 0
    for size in range(len(words), 0, -1):
        phrase = " ".join(word.strip(",;:!?") for word in words[:size]).rstrip(".,;:!?").replace(" at ", " ")
        line = _ReadLine()
        # A month's name alone, or "sat", is a word like others; a number, or a day's whole name, is meant.
        told = any(c.isdigit() for c in phrase) or any(
            (len(word) > 5 and (weekday_of(word) is not None or word == "tomorrow")) or word == "today"
            for word in plain(phrase).split()
        )
        if told and _take(line, phrase, today) and line.day is not None and not line.rule:
            return line, size
    return None, 0


# ---- repeats ----------------------------------------------------------------------------------------

_PLAIN = {"daily": "DAILY", "weekly": "WEEKLY", "monthly": "MONTHLY", "yearly": "YEARLY", "annually": "YEARLY"}
_UNITS = {"day": "DAILY", "week": "WEEKLY", "month": "MONTHLY", "year": "YEARLY"}
_WORKING = "MO,TU,WE,TH,FR"


def _without_repeats(line_read: _ReadLine, words: list[str], today: date) -> Iterator[list[str]]:
    """The words that are left once those that say how it repeats are taken out, the most of them first; then all."""
    for begin, word in enumerate(words):
        if word in _PLAIN or word in ("every", "each", "fortnightly"):
            for end in range(len(words), begin, -1):
                if _repeats(line_read, words[begin:end], today):
                    yield words[:begin] + words[end:]
            line_read.rule, line_read.until = "", None
    yield words


def _repeats(line_read: _ReadLine, words: list[str], today: date) -> bool:
    """Take a phrase such as ``weekly on mon and thu until june``, ``every second tue``, ``every last fri, 6 times``."""
    for cut in range(len(words), 0, -1):
        ends = _end(words[cut:], today) if cut < len(words) else ("", None)
        rule = _pattern(words[:cut]) if ends is not None else ""
        if rule and ends is not None:
            line_read.rule, line_read.until = rule + ends[0], ends[1]
            return True
    return False


def _end(words: list[str], today: date) -> tuple[str, date | None] | None:
    """When it ends: a part of a rule, or the last day; None where the words say no end."""
    if words[0] in ("until", "till") and len(words) > 1:
        day = date_of(words_of(" ".join(words[1:])), today)
        return ("", day) if day else None
    if len(words) == 2 and words[1] in ("times", "x"):
        number = number_of(words[0])
        return (f";COUNT={number}", None) if number else None
    return None


def _pattern(words: list[str]) -> str:
    """The rule that a phrase without an end stands for; "" for none."""
    if words[0] == "fortnightly":
        return _on("FREQ=WEEKLY;INTERVAL=2", words[1:])
    if words[0] in _PLAIN:
        return _on(f"FREQ={_PLAIN[words[0]]}", words[1:])
    words = words[1:]
    if words[:1] == ["single"]:
        words = words[1:]
    if words and words[-2:] == ["the", "month"] and words[-3:-2] == ["of"]:
        return _nth(words[:-3])
    if not words:
        return ""
    if words in (["weekday"], ["working", "day"], ["workday"]):
        return f"FREQ=WEEKLY;BYDAY={_WORKING}"
    ordinal = MONTH_ORDINALS.get(words[0])
    if ordinal in (1, -1) and len(words) == 2:  # the first one, the last one: of the month
        return _nth(words)
    every = 2 if words[0] == "other" else number_of(words[0]) or ordinal
    interval = f";INTERVAL={every}" if every and every > 1 else ""
    rest = words[1:] if every else words
    if not rest or (every is not None and every < 1):
        return ""
    unit = _UNITS.get(rest[0].removesuffix("s"))
    if unit:
        return _on(f"FREQ={unit}{interval}", rest[1:])
    days = _weekdays(rest)
    return f"FREQ=WEEKLY{interval};BYDAY={days}" if days else ""


def _on(rule: str, words: list[str]) -> str:
    """A rule with the days that follow it: ``on mon and thu``, ``on the 15th``, ``on the last friday``."""
    if not words:
        return rule
    if words[0] != "on" or len(words) < 2:
        return ""
    rest = [word for word in words[1:] if word != "the"]
    if "WEEKLY" in rule:
        days = _weekdays(rest)
        return f"{rule};BYDAY={days}" if days else ""
    if "MONTHLY" not in rule or not rest:
        return ""
    numbered = re.fullmatch(r"([0-9]{1,2})(?:st|nd|rd|th)?", rest[0])
    if numbered and len(rest) == 1:
        return f"{rule};BYMONTHDAY={int(numbered[1])}" if 1 <= int(numbered[1]) <= 31 else ""
    nth = _nth(rest).partition(";")[2]
    return f"{rule};{nth}" if nth else ""


def _nth(words: list[str]) -> str:
    """``last fri``, ``first monday``, ``last day``: once a month."""
    ordinal = MONTH_ORDINALS.get(words[0]) if len(words) == 2 else None
    if ordinal is None:
        return ""
    if words[1] == "day":
        return f"FREQ=MONTHLY;BYMONTHDAY={ordinal}"
    weekday = weekday_of(words[1])
    return f"FREQ=MONTHLY;BYDAY={ordinal}{WEEKDAYS[weekday]}" if weekday is not None else ""


def _weekdays(words: list[str]) -> str:
    """``mon and thu`` as ``MO,TH``; "" where there is anything else."""
    weekdays = [
        weekday_of(word.strip("s,") if len(word) > 4 else word) for word in words if word not in ("and", "+", "&")
    ]
    if not weekdays or any(weekday is None for weekday in weekdays):
        return ""
    return ",".join(WEEKDAYS[k] for k in sorted({weekday for weekday in weekdays if weekday is not None}))


# ---- what was made of it ----------------------------------------------------------------------------


def begins(line: TypedLine) -> datetime:
    """When it begins, on its own clock; the day's midnight for a whole day."""
    return datetime.combine(line.day, line.at or time())


def ends(line: TypedLine) -> datetime:
    """When it ends: an hour later where no length is said.

    Raises:
        NotUnderstood: if that lies past the last day there is.
    """
    try:
        return begins(line) + timedelta(minutes=line.length or 60)
    except OverflowError:
        raise NotUnderstood("The end is after the last supported day.") from None


def rule_of(line: TypedLine) -> str:
    """How it repeats, with its end, as a rule is written; "" for once."""
    if not line.rule or not line.until:
        return line.rule
    return str(RuleText.of(line.rule).with_values(UNTIL=f"{line.until.year:04d}{line.until:%m%d}"))


def line_in_words(line: TypedLine, here: str) -> str:
    """What was understood, in words: ``Tue 1 Dec 2026, 14:00–15:30 in Hobart · 03:00–04:30 here · every Tuesday``.

    Args:
        here: the zone of the reader's own clock.
    """
    day = f"{day_name(line.day)} {line.day.year}"
    says = [f"{day}, the whole day"]
    if line.at is not None:
        low = wall_seconds_of(line.day) + line.at.hour * 3600 + line.at.minute * 60
        high = low + (line.length or 60) * 60
        says = [f"{day}, {hours(low, high)}"]
        if line.zone and line.zone != here:
            says[0] += f" in {place_of(line.zone)}"
            start, end = instant_at(low, line.zone), instant_at(high, line.zone)
            other = {1: "the next day ", -1: "the day before "}.get(wall_at(start, here) // DAY - low // DAY, "")
            says.append(f"{other}{hours(wall_at(start, here), wall_at(end, here))} here")
    if line.rule:
        says.append(describe(parse_rule(line.rule), begins(line)))
        if line.until:
            says[-1] += f", until {day_name(line.until)} {line.until.year}"
    return " · ".join(says)


# ---- hours and clocks -------------------------------------------------------------------------------


def _takes_hours(line_read: _ReadLine, match: re.Match[str] | None) -> bool:
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
    line_read.at = start
    if end is not None:
        minutes = (end.hour - start.hour) * 60 + end.minute - start.minute
        line_read.length = minutes if minutes > 0 else minutes + 1440
    elif match[7]:
        line_read.length = int(match[7]) * (60 if match[8].startswith("h") else 1)
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
    return _places().get(plain(name).replace(" ", "_"))


@cache
def _places() -> dict[str, str]:
    places: dict[str, str] = {"utc": "UTC", "gmt": "UTC"}
    for zone in sorted(available_timezones(), key=lambda z: (z.count("/"), z)):
        if "/" in zone and not zone.startswith(("Etc/", "posix", "right", "SystemV", "US/", "Canada/", "Mexico/")):
            places.setdefault(zone.rsplit("/", 1)[1].lower(), zone)
            places[zone.lower()] = zone
    return places
