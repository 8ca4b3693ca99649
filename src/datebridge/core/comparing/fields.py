"""In which fields two states of an entry differ, but for when it happens and how it was kept.

>>> one = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nDTSTART:20261124T080000Z\\nEND:VEVENT"
>>> differing(one, one.replace("Tide", "Tides").replace("END:", "BEGIN:VALARM\\nEND:VALARM\\nEND:"))
('alarms', 'title')
"""

from __future__ import annotations

from collections import Counter

from datebridge.core.text.lines import NotAContentLine, parse_line, split_text_list, unescape_text
from datebridge.core.text.nesting import fields_of, is_nested

#: Lines that say how an entry was kept, or when it happens: that is compared by its occurrences.
_PASSED = frozenset(
    {
        "UID",
        "DTSTAMP",
        "CREATED",
        "LAST-MODIFIED",
        "SEQUENCE",
        "DTSTART",
        "DTEND",
        "DUE",
        "DURATION",
        "RRULE",
        "RDATE",
        "EXDATE",
        "EXRULE",
        "RECURRENCE-ID",
    }
)
_NAMES = {
    "SUMMARY": "title",
    "LOCATION": "place",
    "DESCRIPTION": "notes",
    "STATUS": "status",
    "TRANSP": "busy",
    "CLASS": "privacy",
    "CATEGORIES": "categories",
    "ORGANIZER": "organiser",
    "ATTENDEE": "attendees",
    "ATTACH": "attachments",
    "URL": "link",
    "CONFERENCE": "conference",
    "COLOR": "colour",
    "PRIORITY": "priority",
}
#: What holds where nothing is said (RFC 5545 §3.8.2.7, §3.8.1.3).
_DEFAULT = {"TRANSP": "OPAQUE", "CLASS": "PUBLIC", "PRIORITY": "0"}
#: Parameters that no reader of an entry sees.
_UNSEEN = frozenset({"X-FILENAME", "SCHEDULE-STATUS", "SCHEDULE-AGENT"})
#: Values that are words, in which ``\\,`` is a comma.
_WORDS = frozenset({"SUMMARY", "LOCATION", "DESCRIPTION", "CATEGORIES", "COMMENT"})
_LISTS = frozenset({"CATEGORIES", "RESOURCES"})
Said = Counter[tuple[str, tuple[tuple[str, tuple[str, ...]], ...]]]


def differing(left: str, right: str) -> tuple[str, ...]:
    """The fields, in words, in the order of the alphabet; a property without a word for it by its own name."""
    if left == right:
        return ()
    one, other = (said_by(text) for text in _apart(left, right))
    return tuple(
        sorted({_NAMES.get(name, name) for name in one.keys() | other.keys() if one.get(name) != other.get(name)})
    )


def _apart(left: str, right: str) -> tuple[str, str]:
    """Both without the lines they share, mostly all but a few; as they are where other components stand in them."""
    if "\nBEGIN:" in left or "\nBEGIN:" in right:
        return left, right
    first, *mine, last = left.split("\n")
    theirs = right.split("\n")[1:-1]
    here, there = Counter(mine), Counter(theirs)
    return (
        "\n".join((first, *(here - there).elements(), last)),
        "\n".join((first, *(there - here).elements(), last)),
    )


def said_by(text: str) -> dict[str, Said]:
    """What a component says, by property; nested components by their kind as ``alarms``."""
    counts: dict[str, Said] = {}
    for name, parts in fields_of(text).items():
        for part in parts:
            if is_nested(part):
                seen = sorted(line for line in part if not line.upper().startswith(("UID", "X-", "ACKNOWLEDGED")))
                nested = "alarms" if name == "VALARM" else name
                counts.setdefault(nested, Counter())["\n".join(seen), ()] += 1
            else:
                _note(counts, part[0])
    return counts


def _note(fields: dict[str, Said], raw: str) -> None:
    try:
        line = parse_line(raw)
    except NotAContentLine:
        fields.setdefault("unreadable lines", Counter())[raw, ()] += 1
        return
    if line.name in _PASSED:
        return
    value = unescape_text(line.value).strip() if line.name in _WORDS else line.value.strip()
    if line.name in ("STATUS", "TRANSP", "CLASS"):
        value = value.upper()
    if value == _DEFAULT.get(line.name) or not value:
        return
    if line.name in ("ATTENDEE", "ORGANIZER"):
        value = value.lower()
    params = tuple(sorted((name, tuple(values)) for name, values in line.params if name not in _UNSEEN))
    values = split_text_list(line.value) if line.name in _LISTS else [value]  # in one line or in several
    for one in values:
        fields.setdefault(line.name, Counter())[one, params] += 1
