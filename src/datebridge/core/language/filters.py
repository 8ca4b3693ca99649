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
from datebridge.core.language.persons import as_person, words_in
from datebridge.core.language.phrases import date_of, says_month, words_of
from datebridge.core.moments import wall_seconds_of

YES_NO = ("yes", "no")
HAS = ("alarm", "attendees", "attachment", "problem", "unknown", "title", "place")
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
    "repeats": ("is a series, or one without end", (*YES_NO, "endless")),
    "has": ("has one of these", HAS),
    "category": ("in this category", ()),
    "status": ("with this status", ("confirmed", "tentative", "cancelled", "needs-action", "completed", "none")),
    "private": ("is private or confidential", YES_NO),
    "allday": ("is a whole day or several", YES_NO),
    "override": ("is a changed occurrence of a series", YES_NO),
    "kind": ("is of this kind", KINDS),
    "person": ("invited, or the organiser: a name or an address", ()),
    "answer": ("somebody invited has answered so, or not at all", ("accepted", "declined", "tentative", "none")),
    "imported": ("came with this batch of the logbook", ()),
    "problem": ("has this problem", ()),
    "uid": ("has this UID", ()),
    "lasts": ("lasts longer than so many days; or no time at all", ()),
    "larger": ("its text is larger than so many kilobytes", ()),
    "says": ("its text says this somewhere, in links and other properties too", ()),
    "links": ("links to this host, or to one beneath it", ()),
    "shared": ("in a calendar of somebody else, or in a feed", YES_NO),
    "owner": ("who owns the account of its calendar has answered so", ("accepted", "declined", "tentative")),
}
#: Fields whose values are days, and fields whose values are looked for in the words of entries.
DATED = frozenset({"before", "after", "on"})
WORDED = frozenset({"text", "what", "where", "person"})
#: Fields whose values are numbers: the words they take besides, how many digits at most, and what they take in words.
_NUMBERED: dict[str, tuple[tuple[str, ...], int, str]] = {
    "imported": ((), 11, "the number of a batch, as the logbook shows it"),
    "lasts": (("nothing",), 6, "a number of days, or nothing"),
    "larger": ((), 6, "a number of kilobytes"),
}
_TOKEN = re.compile(r'\s*(?P<neg>-?)(?:(?P<field>[A-Za-z]+):)?(?P<value>(?:"[^"]*"|[^\s"])*)')
#: Values with commas between them, each in quotes as a whole or not at all.
_VALUES = re.compile(r'(?:"[^"]*"|[^,"]+)(?:,(?:"[^"]*"|[^,"]+))*')
_VALUE = re.compile(r'"([^"]*)"|([^,"]+)')


#: A day, month or year in figures.
_DAY = re.compile(r"([0-9]{4})(?:-([0-9]{1,2}))?(?:-([0-9]{1,2}))?")
#: A word that may go on with a day, and how many of them at most.
_FURTHER = re.compile(r"\s+[^\s:\"-][^\s:\"]*(?=\s|$)")
_MOST_DAY_WORDS = 6
#: More terms and values than this are a mistake, and more than a database takes in one question.
MOST_TERMS = 150


class FilterError(CannotDo):
    """The filter is not valid; `start` and `end` mark the place in the text."""

    code, title, status = "filter", "The filter is not valid", 422

    def __init__(self, message: str, start: int, end: int) -> None:
        super().__init__(message)
        self.message, self.start, self.end = message, start, end

    def members(self) -> dict[str, object]:
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

    def as_params(self) -> dict[str, object]:
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
            raise FilterError("A minus sign needs a term to exclude.", start, max(end, start + 1))
        if (match["field"] or "").lower() in DATED:
            end = _end_of_day(text, match.start("value"), end)
        terms.append(_term(match["field"], text[match.start("value") : end], bool(match["neg"]), start, end))
        at = end
        if sum(len(term.values) for term in terms) > MOST_TERMS:
            raise FilterError(f"Too many terms; {MOST_TERMS} are the most.", start, len(text))
    return terms


def _end_of_day(text: str, start: int, end: int) -> int:
    """Where a day ends that may take several words: ``on:24 dec`` · ``before:next friday`` · ``on:1 jun..14 jun``.

    The words that follow belong to it as far as they make a day together; a day in figures is whole.
    """
    ends = [end, *(match.end() for match in _FURTHER.finditer(text, end))][: _MOST_DAY_WORDS + 1]
    if _DAY.fullmatch(text[start:end]) or '"' in text[start : ends[-1]]:
        return end
    return next((further for further in reversed(ends[1:]) if _is_day(text[start:further])), end)


def _is_day(text: str) -> bool:
    """Whether something says a day, or several with commas or dots between them, whichever day is today."""
    values = [one for part in text.split(",") for one in part.split("..")]
    return all(_DAY.fullmatch(value) or date_of(words_of(value), date(2026, 1, 1)) is not None for value in values)


def _term(field: str | None, raw: str, negated: bool, start: int, end: int) -> Term:
    if field is None:
        if '"' in raw and not re.fullmatch('"[^"]*"', raw):
            raise FilterError(_glued(raw), start, end)
        return Term("text", (raw.strip('"').strip(),), negated, start, end)
    written, field = field, field.lower()
    if field not in FIELDS:
        if raw.startswith("//"):  # an address such as https://…, searched for as text
            return Term("text", (f"{written}:{raw}",), negated, start, end)
        raise FilterError(f"There is no field “{field}”. Fields: {', '.join(FIELDS)}.", start, end)
    values = tuple(quoted or plain for quoted, plain in _VALUE.findall(raw))
    if not values or not all(values):
        raise FilterError(f"“{field}:” needs a value: {FIELDS[field][0]}.", start, end)
    if not _VALUES.fullmatch(raw):
        if raw.startswith(",") or raw.endswith(",") or ",," in raw:
            raise FilterError("A comma stands between two values; one of them is missing.", start, end)
        raise FilterError(_glued(raw), start, end)
    choices = FIELDS[field][1]
    if choices:
        values = tuple(v.lower() for v in values)
        for value in values:
            if value not in choices:
                raise FilterError(f"“{field}:” takes {', '.join(choices)}, not “{value}”.", start, end)
    if field in _NUMBERED and not _are_numbers(field, values):
        raise FilterError(f"“{field}:” takes {_NUMBERED[field][2]}.", start, end)
    return Term(field, values, negated, start, end)


def _are_numbers(field: str, values: Iterable[str]) -> bool:
    words, most, _ = _NUMBERED[field]
    return all((v.isascii() and v.isdigit() and len(v) <= most) or v.lower() in words for v in values)


def _glued(raw: str) -> str:
    after = re.search(r'"[^"]*"([^\s,"][^\s]*)', raw)
    if after is None:
        return "A quotation mark stands in the middle of a word. Put a space before it."
    return f"“{after[1]}” is glued to a quotation mark. Put a space between them, or a comma for one more value."


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
        words = tuple(_words(value, term) for value in term.values)
        return replace(term, words=tuple(as_person(word) for word in words) if term.field == "person" else words)
    return term


def _words(value: str, term: Term) -> str:
    words = words_in(value)
    if not words:
        raise FilterError("There is no word to search for.", term.start, term.end)
    return " ".join(words)


def _answers(values: Iterable[str]) -> str:
    named = {"none": "not answered", "tentative": "answered tentatively"}
    return " or ".join(named.get(value, value) for value in values)


def condition_in_words(term: Term) -> str:
    """A condition as it was understood, in words.

    >>> [condition_in_words(term) for term in parse_filter('-water calendar:"Duty rota",Labs what:tide')]
    ['not “water”', 'in the calendar Duty rota or Labs', 'title has “tide”']
    """
    quoted = " or ".join(f"“{value}”" for value in term.values)
    plain = " or ".join(term.values)
    words = {
        "text": quoted,
        "what": f"title has {quoted}",
        "where": f"place has {quoted}",
        "calendar": f"in the calendar {plain}",
        "account": f"on {plain}",
        "before": f"over before {plain}",
        "after": f"begins on {plain} or later",
        "on": f"on {plain}",
        "zone": f"in the zone {plain}",
        "has": f"has {plain}",
        "category": f"in the category {plain}",
        "status": f"status {plain}",
        "person": f"with {quoted} among the people",
        "answer": f"somebody has {_answers(term.values)}",
        "kind": f"kind {plain}",
        "imported": f"came with batch {plain}",
        "problem": f"problem {plain}",
        "uid": f"UID {plain}",
        "larger": f"larger than {plain} kB",
        "says": f"says {quoted}",
        "links": f"links to {plain}",
        "lasts": "lasts no time" if plain == "nothing" else f"lasts longer than {plain} days",
        "owner": f"its owner has answered {plain}",
    }.get(term.field, f"{term.field} {plain}")
    return f"not {words}" if term.negated else words


def day_range(value: str, today: date, term: Term) -> Days:
    """The days a date value covers: a day, week, month or year, in figures or words; or ``first..last`` of these.

    Raises:
        FilterError: if there is no such date.
    """
    begin, dots, end = value.partition("..")
    if dots:
        first, following = day_range(begin, today, term).first, day_range(end, today, term).following
        if following <= first:
            raise FilterError(f"“{end}” lies before “{begin}”.", term.start, term.end)
        return Days(first, following)
    match = _DAY.fullmatch(value.strip())
    if match is None and (range_in_words := _days_in_words(value, today)) is not None:
        return range_in_words
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
            f"“{value}” is not a date. Write 2026-11-24, 2026-11, 2026, today or 24 dec, or two with .. between.",
            term.start,
            term.end,
        ) from None


def _days_in_words(value: str, today: date) -> Days | None:
    """The day a phrase says; a week or a month as a whole. None where it says none."""
    words = words_of(value)
    first = date_of(words, today)
    if first is None:
        return None
    if words[0] == "week":
        return _from(first, 7)
    if says_month(words):
        return _from(first, months.monthrange(first.year, first.month)[1])
    return _from(first, 1)


def _from(first: date, days: int) -> Days:
    """So many days from the first on; the last day there is ends what would go beyond it."""
    return Days(first, first + timedelta(days=min(days, (date.max - first).days)))


def quote(value: str) -> str:
    """A value as it must be in a filter line."""
    return f'"{value}"' if re.search(r"[\s,:]", value) or value.startswith("-") else value


@dataclass(frozen=True, slots=True)
class FilterContext:
    """A value a field can have; `account` where only that tells it from another one of the same name.

    >>> FilterContext("Rota", "here").label, FilterContext("Rota", "here").term("calendar")
    ('Rota · here', 'account:here calendar:Rota')
    """

    value: str
    account: str = ""

    @property
    def label(self) -> str:
        """What it is called where several are listed."""
        return f"{self.value} · {self.account}" if self.account else self.value

    def term(self, field: str) -> str:
        """What the filter line says to narrow to it."""
        own = f"{field}:{quote(self.value)}"
        return f"account:{quote(self.account)} {own}" if self.account else own


@dataclass(frozen=True, slots=True)
class Completion:
    """A way to go on: replace text[start:end] by `insert`."""

    insert: str
    start: int
    end: int
    hint: str


def complete(
    text: str, cursor: int, values: Callable[[str], Iterable[FilterContext]], limit: int = 12
) -> list[Completion]:
    """What can be at the cursor: field names, or the values of the field being written.

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
    fixed = FIELDS.get(field.lower(), ("", ()))[1]
    contexts = [FilterContext(value) for value in fixed] or values(field.lower())
    matching = [context for context in contexts if wanted in context.value.lower()]
    matching.sort(key=lambda context: not context.value.lower().startswith(wanted))
    completions: dict[str, Completion] = {}
    for context in matching:
        # "Not this one of two", "this or that one of two": no line says it, so there the name stands for both.
        account = f"account:{quote(context.account)} " if context.account and not (minus or comma) else ""
        insert = f"{account}{minus}{field}:{done}{comma}{quote(context.value)} "
        completions.setdefault(insert, Completion(insert, start, cursor, f"on {context.account}" if account else ""))
    return list(completions.values())[:limit]
