"""A filter line as conditions over entries: SQL, words for the full-text index, and spans of time."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field

from datebridge.core.index.facts import ANSWER_MARKS, Mark
from datebridge.core.language.filters import WORDED, Days, Term
from datebridge.store.entries.occurrences import Changed
from datebridge.store.entries.orders import LISTED_IDS
from datebridge.store.entries.spans import SpanTerm, span_term

HAS = {
    "alarm": Mark.ALARM,
    "attendees": Mark.ATTENDEES,
    "attachment": Mark.ATTACHMENT,
    "problem": Mark.PROBLEM,
    "unknown": Mark.UNKNOWN,
}
_YES_NO = {"repeats": Mark.SERIES, "private": Mark.PRIVATE, "allday": Mark.ALL_DAY, "override": Mark.OVERRIDE}
_KIND = {"event": "VEVENT", "todo": "VTODO", "journal": "VJOURNAL", "freebusy": "VFREEBUSY"}
KINDS = " ".join(f"WHEN '{component}' THEN '{kind}'" for kind, component in _KIND.items())
#: The plus keeps SQLite from walking an index of listed entries where a scan of the table is quicker.
LISTED = "+listed = 1"
_SEARCH = "id IN (SELECT rowid FROM search WHERE search MATCH ?)"
_SEEN_IN_TEXT = frozenset({"says", "links", "larger", "owner"})
#: Fields that are looked for in the words, with the column of the full-text index.
_TEXT = {"text": "", "what": "summary : ", "where": "location : ", "person": "words : "}


@dataclass(slots=True)
class Condition:
    """A WHERE clause over `entry` with its bound values.

    `words` is a full-text query that holds as well, `spans` what is asked of when an entry begins and is over.
    """

    clauses: list[str] = field(default_factory=lambda: [LISTED])
    values: list[object] = field(default_factory=list)
    words: str | None = None
    spans: list[SpanTerm] = field(default_factory=list)

    @property
    def sql(self) -> str:
        return " AND ".join(self.clauses) if len(self.clauses) > 1 else "listed = 1"


def compile_filter(terms: Sequence[Term], changed: Sequence[Changed] = ()) -> Condition:
    """A filter's terms, resolved, as SQL.

    Args:
        changed: the series that have changed occurrences, of which the index alone does not tell when they happen.
    """
    condition = Condition()
    words = [term for term in terms if term.field in WORDED]
    if any(not term.negated for term in words):
        match = " AND ".join(_match(term.field, term.words) for term in words if not term.negated)
        for term in words:
            match = f"({match}) NOT {_match(term.field, term.words)}" if term.negated else match
        condition.words = match
        terms = [term for term in terms if term.field not in WORDED]
    condition.spans = [span_term(term, changed) for term in terms if term.field in ("before", "after")]
    terms = [term for term in terms if term.field not in ("before", "after")]
    for term in sorted(terms, key=lambda t: t.field == "on"):  # the costly one last
        parts = []
        for place, value in enumerate(term.values):
            clause, values = _clause(term, place, value, changed)
            parts.append(clause)
            condition.values += values
        joined = " OR ".join(f"({p})" for p in parts)
        condition.clauses.append(f"NOT coalesce(({joined}), 0)" if term.negated else f"({joined})")
    return condition


def _clause(term: Term, place: int, value: str, changed: Sequence[Changed]) -> tuple[str, list[object]]:
    name = term.field
    if name in WORDED:
        return _SEARCH, [_match(name, term.words[place : place + 1])]
    if name == "on":
        return _dated(term.days[place], changed)
    if name == "has" and value == "title":
        return "trim(summary) <> ''", []
    if name == "has" and value == "place":
        return "trim(location) <> ''", []
    if name == "has":
        return f"marks & {HAS[value]}", []
    if name == "answer":
        return f"marks & {ANSWER_MARKS[value]}", []
    if name == "repeats" and value == "endless":
        return f"marks & {Mark.ENDLESS}", []
    if name in _YES_NO:
        return f"(marks & {_YES_NO[name]}) {'<>' if value == 'yes' else '='} 0", []
    if name == "calendar":
        return "calendar_id IN (SELECT c.id FROM calendar c WHERE c.live AND lower(c.name) = lower(?))", [value]
    if name == "account":
        lives = (
            "SELECT r.calendar_id FROM remote r JOIN account a ON a.id = r.account_id WHERE r.calendar_id IS NOT NULL"
        )
        if value.lower() == "here":
            return f"calendar_id NOT IN ({lives})", []
        return f"calendar_id IN ({lives} AND lower(a.name) = lower(?))", [value]
    if name == "zone":
        if value.lower() == "none":
            return "tzid = ''", []
        return "zone = ? COLLATE NOCASE OR tzid = ? COLLATE NOCASE", [value, value]
    if name == "category":
        among = "instr(char(31) || lower(categories) || char(31), char(31) || lower(?) || char(31))"
        return f"categories = ? COLLATE NOCASE OR (instr(categories, char(31)) AND {among})", [value, value]
    if name == "status":
        return "status = ?", ["" if value == "none" else value.upper()]
    if name == "kind":
        if value == "other":
            return f"component NOT IN ({', '.join('?' * len(_KIND))})", list(_KIND.values())
        return "component = ?", [_KIND[value]]
    if name == "imported":
        return "id IN (SELECT after_id FROM change WHERE set_id = ?)", [int(value)]
    if name == "problem":
        return (
            "id IN (SELECT version_id FROM finding WHERE code = ?"
            " UNION ALL SELECT version_id FROM problem WHERE code = ?)"
        ), [value.lower(), value.lower()]
    if name in _SEEN_IN_TEXT:
        return _seen_in_text(name, value)
    if name == "lasts":
        if value.lower() == "nothing":
            return f"start_wall IS NOT NULL AND end_wall <= start_wall AND NOT marks & {Mark.ALL_DAY}", []
        return "end_wall - start_wall > ?", [int(value) * 86400]
    if name == "shared":
        others = (
            "SELECT r.calendar_id FROM remote r JOIN account a ON a.id = r.account_id"
            " WHERE r.calendar_id IS NOT NULL AND (NOT r.owned OR a.kind = 'feed')"
        )
        return f"calendar_id {'IN' if value == 'yes' else 'NOT IN'} ({others})", []
    return "uid = ?", [value]


def _seen_in_text(name: str, value: str) -> tuple[str, list[object]]:
    """What no index holds: the texts are looked through."""
    own = "SELECT {} FROM version_text t WHERE t.id = entry.id"
    if name == "says":
        return f"({own.format('instr(lower(t.text), lower(?))')})", [value]
    if name == "links":
        return f"({own.format('instr(lower(t.text), lower(?)) AND links_to(t.text, ?)')})", [value, value]
    if name == "larger":
        return f"({own.format('length(CAST(t.text AS BLOB))')}) > ?", [int(value) * 1000]
    answered = (
        "SELECT answered(t.text, a.addresses) FROM version_text t JOIN remote r ON r.calendar_id = entry.calendar_id"
        " JOIN account a ON a.id = r.account_id WHERE t.id = entry.id"
    )
    return f"marks & {ANSWER_MARKS[value]} AND ({answered}) = ?", [value]


def _match(field: str, phrases: Sequence[str]) -> str:
    """Free text as a full-text query: words in order, the last one open at its end."""
    asked = [f'{_TEXT[field]}"{phrase}"*' for phrase in phrases]
    return f"({' OR '.join(asked)})"


def _dated(days: Days, changed: Sequence[Changed]) -> tuple[str, list[object]]:
    low, high = days.low, days.high
    once = "start_wall < ? AND (end_wall > ? OR start_wall >= ?)"
    # A series that runs right through with shorter gaps than the span is in it for sure (two days' slack
    # for what UNTIL leaves open). Of those left, on a weekday they can have, the rule is asked.
    sure = (
        f"gap_days BETWEEN 1 AND {days.count} AND start_wall <= ?"
        " AND (until_wall IS NULL OR until_wall - (end_wall - start_wall) - 172800 >= ?)"
    )
    series = (
        f"CASE WHEN (marks & {Mark.SERIES}) = 0 OR (start_wall >= ? AND NOT marks & {Mark.EARLY}) OR until_wall < ?"
        f" OR (end_wall - start_wall <= 86400 AND (weekdays & {days.weekdays}) = 0) THEN 0 WHEN {sure} THEN 1"
        " ELSE happens(recurrence, start_wall, ? - max(end_wall - start_wall - 1, 0), ?) END"
    )
    clause, values = f"({once}) OR ({series})", [high, low, low, high, low, low, high, low, high]
    # What can happen then at all is told by an index; only of that the rows are read.
    possible = (
        "SELECT id FROM entry INDEXED BY ix_entry_span WHERE listed = 1"
        f" AND (start_wall < ? OR marks & {Mark.EARLY}) AND (until_wall >= ? OR until_wall IS NULL)"
    )
    if not changed:
        return f"id IN ({possible}) AND ({clause})", [high, low, *values]
    masters = json.dumps([one.master.id for one in changed])
    happening = json.dumps([one.master.id for one in changed if one.happens(low, high)])
    asked = f"CASE WHEN id IN ({LISTED_IDS}) THEN id IN ({LISTED_IDS}) ELSE {clause} END"
    return f"id IN ({possible} UNION ALL {LISTED_IDS}) AND {asked}", [high, low, happening, masters, happening, *values]
