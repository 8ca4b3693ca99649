"""The filter line: free text and fields, negation, quotes, alternatives.

>>> [(t.field, t.values, t.negated) for t in parse_filter('berth -calendar:"Duty rota",Labs before:2020-01-01')]
[('text', ('berth',), False), ('calendar', ('Duty rota', 'Labs'), True), ('before', ('2020-01-01',), False)]

Terms are joined by "and"; values of one field, set apart by commas, by "or". `resolve_filter` gives the same terms with
their days as spans and their texts as words, so that whoever asks with them has nothing left to decide.
"""

from __future__ import annotations

import calendar as months
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any

from datebridge.core.errors import CannotDo
from datebridge.core.ids import VersionId
from datebridge.core.moments import wall_seconds_of

YES_NO = ("yes", "no")
HAS = ("alarm", "attendees", "attachment", "problem", "unknown")
KINDS = ("event", "todo", "journal", "freebusy", "other")

#: Field, what it asks for (shown in completion), and its fixed values, if it has any.
FIELDS: dict[str, tuple[str, tuple[str, ...]]] = {
    "calendar": ("in this calendar", ()),
    "account": ("lives in this account; here for calendars that live nowhere else", ()),
    "before": ("over before this day; a series only when its last occurrence is", ()),
    "after": ("begins on this day or later", ()),
    "on": ("takes place on this day, in this month or year; or from one to another: 2026-11-24..2026-11-30", ()),
    "what": ("words in the title", ()),
    "where": ("words in the place", ()),
    "zone": ("in this time zone; none for floating times and dates", ()),
    "repeats": ("is a series", YES_NO),
    "has": ("has one of these", HAS),
    "category": ("in this category", ()),
    "status": ("with this status", ("confirmed", "tentative", "cancelled", "needs-action", "completed", "none")),
    "private": ("is private or confidential", YES_NO),
    "allday": ("is a whole day or several", YES_NO),
    "override": ("is a changed occurrence of a series", YES_NO),
    "kind": ("is of this kind", KINDS),
    "imported": ("came with this batch of the logbook", ()),
    "problem": ("has this problem", ()),
    "uid": ("has this UID", ()),
}
#: Fields whose values are days, and fields whose values are looked for in the words of entries.
DATED = frozenset({"before", "after", "on"})
WORDED = frozenset({"text", "what", "where"})
_TOKEN = re.compile(r'\s*(?P<neg>-?)(?:(?P<field>[A-Za-z]+):)?(?P<value>(?:"[^"]*"|[^\s"])*)')
_VALUE = re.compile(r'"([^"]*)"|([^,"]+)')


#: More terms and values than this are a mistake, and more than a database takes in one question.
MOST_TERMS = 150


class FilterError(CannotDo):
    """The filter cannot be read; `start` and `end` mark the place in the text."""

    code, title, status = "filter", "The filter cannot be read", 422

    def __init__(self, message: str, start: int, end: int) -> None:
        super().__init__(message)
        self.message, self.start, self.end = message, start, end

    def members(self) -> dict[str, Any]:
        """As values for JSON."""
        return {"start": self.start, "end": self.end}


@dataclass(frozen=True, slots=True)
class Days:
    """Days from the first on, up to and without the following one."""

    first: date
    following: date

    @property
    def low(self) -> int:
        """Where they begin, in wall seconds."""
        return wall_seconds_of(self.first)

    @property
    def high(self) -> int:
        """Where they end, in wall seconds."""
        return wall_seconds_of(self.following)

    @property
    def count(self) -> int:
        """How many days these are."""
        return (self.following - self.first).days

    @property
    def weekdays(self) -> int:
        """On which weekdays an occurrence of up to a day can have begun that is there then, maybe the day before.

        Monday as 1 to Sunday as 64.
        """
        if self.count >= 6:
            return 127
        return sum(1 << (self.first + timedelta(days=k)).weekday() for k in range(-1, self.count))


@dataclass(frozen=True, slots=True)
class Term:
    """One condition. Free text has the field "text"."""

    field: str
    values: tuple[str, ...]
    negated: bool = False
    start: int = 0
    end: int = 0
    days: tuple[Days, ...] = ()
    words: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Selection:
    """What is selected: all that match a filter, less exceptions; or the listed entries only."""

    filter: str = ""
    excluded: tuple[VersionId, ...] = ()
    only: tuple[VersionId, ...] | None = None

    def as_params(self) -> dict[str, Any]:
        """As JSON has it."""
        return {"filter": self.filter, "excluded": self.excluded, "only": self.only}

    @classmethod
    def read(cls, params: Mapping[str, Any]) -> Selection:
        """A selection as it was kept in JSON."""
        only = params.get("only")
        return cls(params["filter"], tuple(params.get("excluded") or ()), tuple(only) if only is not None else None)


def parse_filter(text: str) -> list[Term]:
    """Read a filter line.

    Raises:
        FilterError: with a plain message and the place, where it does not parse.
    """
    if text.count('"') % 2:
        at = text.rindex('"')
        raise FilterError("A quotation mark is missing its partner.", at, len(text))
    terms: list[Term] = []
    at = 0
    while at < len(text.rstrip()):
        match = _TOKEN.match(text, at)
        assert match is not None  # noqa: S101  (every part of the pattern may be empty)
        start, end = match.start("neg"), match.end()
        if end == at or (not match["value"] and not match["field"]):
            raise FilterError("A minus sign needs something to leave out.", start, max(end, start + 1))
        terms.append(_term(match, start, end))
        at = end
        if sum(len(term.values) for term in terms) > MOST_TERMS:
            raise FilterError(f"These are too many terms; {MOST_TERMS} are the most.", start, len(text))
    return terms


def _term(match: re.Match[str], start: int, end: int) -> Term:
    field, raw, negated = match["field"], match["value"], bool(match["neg"])
    if field is None:
        return Term("text", (raw.replace('"', "").strip() if '"' in raw else raw,), negated, start, end)
    field = field.lower()
    if field not in FIELDS:
        if raw.startswith("//"):  # an address such as https://…, searched for as text
            return Term("text", (f"{match['field']}:{raw}",), negated, start, end)
        raise FilterError(f"There is no field “{field}”. Fields: {', '.join(FIELDS)}.", start, end)
    values = tuple(quoted or plain for quoted, plain in _VALUE.findall(raw))
    if not values:
        raise FilterError(f"“{field}:” needs a value: {FIELDS[field][0]}.", start, end)
    choices = FIELDS[field][1]
    if choices:
        values = tuple(v.lower() for v in values)
        for value in values:
            if value not in choices:
                raise FilterError(f"“{field}:” takes {', '.join(choices)}, not “{value}”.", start, end)
    if field == "imported" and not all(v.isascii() and v.isdigit() and len(v) < 12 for v in values):
        raise FilterError("“imported:” takes the number of a batch, as the logbook shows it.", start, end)
    return Term(field, values, negated, start, end)


def resolve_filter(text: str, today: date) -> list[Term]:
    """Read a filter line, with its days as spans and its texts as words.

    Raises:
        FilterError: where it does not parse, a day is none, or there is no word to look for.
    """
    return [_resolved(term, today) for term in parse_filter(text)]


def _resolved(term: Term, today: date) -> Term:
    if term.field in DATED:
        return replace(term, days=tuple(day_range(value, today, term) for value in term.values))
    if term.field in WORDED:
        return replace(term, words=tuple(_words(value, term) for value in term.values))
    return term


def _words(value: str, term: Term) -> str:
    words = "".join(c if c.isalnum() else " " for c in value).split()
    if not words:
        raise FilterError("There is no word in this to look for.", term.start, term.end)
    return " ".join(words)


def day_range(value: str, today: date, term: Term) -> Days:
    """The days a date value covers: a day, month or year, ``today``; or ``first..last`` of these.

    Raises:
        FilterError: if there is no such date.
    """
    begin, dots, end = value.partition("..")
    if dots:
        first, following = day_range(begin, today, term).first, day_range(end, today, term).following
        if following <= first:
            raise FilterError(f"“{end}” lies before “{begin}”.", term.start, term.end)
        return Days(first, following)
    words = {"yesterday": -1, "today": 0, "tomorrow": 1}
    if value.lower() in words:
        first = today + timedelta(days=words[value.lower()])
        return Days(first, first + timedelta(days=1))
    match = re.fullmatch(r"([0-9]{4})(?:-([0-9]{1,2}))?(?:-([0-9]{1,2}))?", value)
    try:
        if match is None:
            raise ValueError(value)
        year, month, day = int(match[1]), match[2], match[3]
        if day:
            return _from(date(year, int(month), int(day)), 1)
        if month:
            return _from(date(year, int(month), 1), months.monthrange(year, int(month))[1])
        return _from(date(year, 1, 1), 366 if months.isleap(year) else 365)
    except (ValueError, OverflowError):
        raise FilterError(
            f"“{value}” is not a date. Write 2026-11-24, 2026-11 or 2026, today, or two with .. between.",
            term.start,
            term.end,
        ) from None


def _from(first: date, days: int) -> Days:
    """So many days from the first on; the last day there is ends what would go beyond it."""
    return Days(first, first + timedelta(days=min(days, (date.max - first).days)))


def quote(value: str) -> str:
    """A value as it must stand in a filter line."""
    return f'"{value}"' if re.search(r"[\s,:]", value) or value.startswith("-") else value


@dataclass(frozen=True, slots=True)
class Completion:
    """A way to go on: replace text[start:end] by `insert`."""

    insert: str
    start: int
    end: int
    hint: str


def complete(text: str, cursor: int, values: Callable[[str], Iterable[str]], limit: int = 12) -> list[Completion]:
    """What can stand at the cursor: field names, or the values of the field being written.

    Args:
        values: gives the known values of a field, the most useful first.
    """
    start = cursor = min(cursor, len(text))
    quotes = text.count('"', 0, cursor) % 2
    while start > 0 and (quotes or not text[start - 1].isspace()):
        start -= 1
        if text[start] == '"':
            quotes ^= 1
    word = text[start:cursor]
    minus = "-" if word.startswith("-") else ""
    field, colon, part = word[len(minus) :].partition(":")
    if not colon:
        wanted = field.lower()
        return [
            Completion(f"{minus}{name}:", start, cursor, hint)
            for name, (hint, _) in FIELDS.items()
            if name.startswith(wanted)
        ][:limit]
    done, comma, last = part.rpartition(",")
    wanted = last.strip('"').lower()
    known = FIELDS.get(field.lower(), ("", ()))[1] or values(field.lower())
    matching = [v for v in known if wanted in v.lower()]
    matching.sort(key=lambda v: not v.lower().startswith(wanted))
    return [Completion(f"{minus}{field}:{done}{comma}{quote(value)} ", start, cursor, "") for value in matching[:limit]]
