"""Facts as rows of the store. Nothing of a database is needed here, so helpers that read texts start at once."""

from __future__ import annotations

import unicodedata
from typing import Any, NamedTuple

from datebridge.core.index.facts import Facts
from datebridge.core.moments import from_wall_seconds
from datebridge.core.problems import Problem

#: The index columns, in the order of `index_row`.
INDEX_COLUMNS = (
    "component",
    "listed",
    "uid",
    "recurrence_id",
    "sequence",
    "modified",
    "summary",
    "summary_key",
    "location",
    "location_key",
    "start",
    "start_wall",
    "end_wall",
    "until_wall",
    "year",
    "tzid",
    "zone",
    "tzids",
    "recurrence",
    "repeats",
    "weekdays",
    "gap_days",
    "travel",
    "marks",
    "status",
    "privacy",
    "busy",
    "categories",
    "attendees",
    "digest",
)
_UID, _RECURRENCE_ID, MARKS = (INDEX_COLUMNS.index(name) for name in ("uid", "recurrence_id", "marks"))
#: What is in a calendar without being listed.
UNLISTED = frozenset({"VCALENDAR", "VTIMEZONE"})


def sort_key(text: str) -> str:
    """What names are sorted by: without case or accents."""
    if text.isascii():
        return text.lower()
    return "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c)).casefold()


def index_row(facts: Facts) -> tuple[object, ...]:
    """Facts as a row of INDEX_COLUMNS."""
    year = from_wall_seconds(facts.start_wall).year if facts.start_wall is not None else None
    return (
        facts.component,
        facts.component not in UNLISTED,
        facts.uid,
        facts.recurrence_id,
        facts.sequence,
        facts.modified,
        facts.summary,
        sort_key(facts.summary),
        facts.location,
        sort_key(facts.location),
        facts.start,
        facts.start_wall,
        facts.end_wall,
        facts.until_wall,
        year,
        facts.tzid,
        facts.zone,
        "\x1f".join(facts.tzids),
        facts.recurrence,
        facts.repeats,
        facts.weekdays,
        facts.gap_days,
        facts.travel,
        facts.marks,
        facts.status,
        facts.privacy,
        facts.busy,
        facts.categories,
        facts.attendees,
        facts.digest,
    )


class Row(NamedTuple):
    """Facts as the store keeps them: the index row, the words to be searched, and what else is asked of them."""

    indexed: tuple[Any, ...]
    words: tuple[str, str, str]
    problems: tuple[Problem, ...]
    tzids: tuple[str, ...]

    @property
    def component(self) -> str:
        return str(self.indexed[0])

    @property
    def uid(self) -> str:
        return str(self.indexed[_UID])

    @property
    def recurrence_id(self) -> str:
        return str(self.indexed[_RECURRENCE_ID])


def row_of(facts: Facts) -> Row:
    """Facts as a row."""
    return Row(index_row(facts), (facts.summary, facts.location, facts.words), facts.problems, facts.tzids)
