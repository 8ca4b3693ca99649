"""Two states of one entry side by side; and the third that comes of both, where their common base is known.

>>> entry = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:{}\\nLOCATION:{}\\nEND:VEVENT".format
>>> base, left, right = entry("Tide", "Pier"), entry("Spring tide", "Pier"), entry("Tide", "Quay")
>>> merged = merge_sides(base, left, right)
>>> merged.text == entry("Spring tide", "Quay"), merged.conflicts
(True, ())
>>> [field.name for field in differing(left, right)]
['SUMMARY', 'LOCATION']
>>> combined(left, right, {"SUMMARY"}) == merged.text
True

A *field* is all lines of a property name, or all nested components of a kind. What may stand several times (people,
categories, alarms) is merged one by one. Times go together: two sides that each moved something of them are in
conflict, since half of one move and half of another is neither.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from datebridge.core.text.nesting import Part, differing_fields, fields_of, is_nested

#: Stamps that differ without anybody having changed anything.
STAMPS = frozenset({"DTSTAMP", "LAST-MODIFIED", "CREATED"})
#: What programs note for each other: nobody has to decide it.
BOOKKEEPING = STAMPS | {"SEQUENCE"}
#: What says together when an entry happens.
TIMES = frozenset({"DTSTART", "DTEND", "DUE", "DURATION", "RRULE", "RDATE", "EXDATE", "EXRULE", "RECURRENCE-ID"})
#: What may stand several times and is told apart line by line (RFC 5545 §3.6.1); people by their address.
_SEVERAL = frozenset(
    {
        "ATTACH",
        "ATTENDEE",
        "CATEGORIES",
        "COMMENT",
        "CONFERENCE",
        "CONTACT",
        "EXDATE",
        "IMAGE",
        "RDATE",
        "RELATED-TO",
        "REQUEST-STATUS",
        "RESOURCES",
        "VALARM",
    }
)

#: Lists that may be in one line or in several (RFC 5545 §3.8.1.2, .10, §3.8.5.1, .2): what counts is what is in them.
_LISTS = frozenset({"CATEGORIES", "EXDATE", "RDATE", "RESOURCES"})
#: What has nothing it is known by: where both sides no longer have it as it was, nobody can say which change counts.
_FREE = frozenset({"ATTACH", "COMMENT", "CONFERENCE", "CONTACT", "IMAGE", "REQUEST-STATUS", "VALARM"})

_ELEMENT = re.compile(r"(?:[^\\,]|\\.)+")

Side = Literal["same", "left", "right", "both", "conflict"]
Fields = dict[str, list[Part]]


@dataclass(frozen=True, slots=True)
class Differing:
    """One field in which two states differ, with its lines on either side."""

    name: str
    mine: tuple[str, ...]
    theirs: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Conflict:
    """A field that both sides changed, and not alike; a name of "" means the whole entry."""

    name: str
    base: tuple[str, ...]
    left: tuple[str, ...]
    right: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Merged:
    """What comes of both sides; a field in conflict keeps its base.

    Attributes:
        text: None where the entry is gone.
        sides: whose state counts, by field that anybody changed.
    """

    text: str | None
    sides: dict[str, Side]
    conflicts: tuple[Conflict, ...]


def differing(mine: str, theirs: str) -> list[Differing]:
    """The fields in which the two differ, stamps left out; lines of one name in another order are the same."""
    return [
        Differing(name, _lines(left), _lines(right))
        for name, left, right in differing_fields(mine, theirs, lambda _, parts: sorted(_lines(parts)))
        if name not in STAMPS
    ]


def mine_counts(field: Differing, sides: Mapping[str, Side]) -> bool:
    """Whether one's own state of a field is to be proposed: only here it was changed, or its revision is the higher."""
    if field.name == "SEQUENCE":
        return _revision(field.mine) > _revision(field.theirs)
    return sides.get(field.name) == "left"


def _revision(lines: Sequence[str]) -> int:
    number = lines[0].rpartition(":")[2].strip() if lines else ""
    return int(number) if number.isascii() and number.isdigit() and len(number) < 10 else -1


def both_of(name: str, base: str | None, mine: str, theirs: str) -> list[Part] | None:
    """A field of both sides, part by part: what either has put in or taken out since the base.

    Without a base, all that either has. None where that cannot be: both changed one part, or it stands once.
    """
    if name not in _SEVERAL:
        return None
    was = fields_of(base).get(name, []) if base is not None else []
    return _united(name, was, fields_of(mine).get(name, []), fields_of(theirs).get(name, []))


def combined(
    mine: str, theirs: str, take_mine: Collection[str], take_both: Collection[str] = (), base: str | None = None
) -> str:
    """Theirs, with the named fields as they are in mine, or made of both part by part where that can be.

    Other fields are whole: all lines of a name, or none.
    """
    left, right = fields_of(mine), fields_of(theirs)
    chosen = {
        name: (left if name in take_mine or (name in STAMPS and name not in right) else right).get(name, [])
        for name in dict.fromkeys([*right, *left])
    }
    united = {name: both_of(name, base, mine, theirs) for name in take_both}
    return _written(theirs, chosen | {name: parts for name, parts in united.items() if parts is not None})


def _written(frame: str, chosen: Fields) -> str:
    """A text of fields; nested components go after the properties (RFC 5545 §3.6)."""
    lines = frame.split("\n")
    body: list[str] = []
    tail: list[str] = []
    for parts in chosen.values():
        for part in parts:
            (tail if is_nested(part) else body).extend(part)
    return "\n".join([lines[0], *body, *tail, lines[-1]])


def merge_sides(base: str | None, left: str | None, right: str | None) -> Merged:
    """What comes of two states that began as one; None where an entry is not there.

    A side that left the entry as it was yields to the other. An entry that one side took away and the other changed
    is a conflict as a whole.
    """
    if base is None and left is not None and right is not None:
        base = _written(left, {})  # both made it: whatever differs is in conflict
    if left is None or right is None or base is None:
        return _whole(base, left, right)
    before, mine, theirs = fields_of(base), fields_of(left), fields_of(right)
    names = list(dict.fromkeys([*mine, *theirs, *before]))
    torn = _times_torn(before, mine, theirs)
    chosen: Fields = {}
    sides: dict[str, Side] = {}
    conflicts = []
    for name in names:
        was, one, other = before.get(name, []), mine.get(name, []), theirs.get(name, [])
        side = _side(was, one, other, name in _LISTS)
        if name in STAMPS:
            chosen[name] = max(one, other)
            continue
        if side == "conflict" and name in _SEVERAL and name not in torn:
            united = _united(name, was, one, other)
            if united is not None:
                chosen[name], sides[name] = united, "both"
                continue
        if side != "same" and name in torn:
            side = "conflict"
        chosen[name] = {"left": one, "both": one, "right": other}.get(side, was if side == "conflict" else one)
        if side != "same":
            sides[name] = side
        if side == "conflict":
            conflicts.append(Conflict(name, _lines(was), _lines(one), _lines(other)))
    return Merged(_written(left, chosen), sides, tuple(conflicts))


def _whole(base: str | None, left: str | None, right: str | None) -> Merged:
    if left is None and right is None:
        return Merged(None, {}, ())
    there, side = (left, "left") if left is not None else (right, "right")
    if base is None:  # one side made it
        return Merged(there, {"": "left" if side == "left" else "right"}, ())
    if there is not None and not differing(base, there):  # the other took it away
        return Merged(None, {"": "right" if side == "left" else "left"}, ())
    conflict = Conflict("", *(tuple(text.split("\n")) if text else () for text in (base, left, right)))
    return Merged(base, {"": "conflict"}, (conflict,))


def _side(was: list[Part], one: list[Part], other: list[Part], lists: bool = False) -> Side:
    """Whose state of a field counts; the order of its lines does not, nor how a list is spread over them."""
    before, left, right = (sorted(_elements(parts) if lists else parts) for parts in (was, one, other))
    if left == right:
        return "same" if left == before else "both"
    if left == before:
        return "right"
    return "left" if right == before else "conflict"


def _times_torn(before: dict[str, list[Part]], mine: dict[str, list[Part]], theirs: dict[str, list[Part]]) -> set[str]:
    """The times, where both sides changed something of them and did not do the same."""
    sides = {name: _side(before.get(name, []), mine.get(name, []), theirs.get(name, [])) for name in TIMES}
    changed = set(sides.values()) - {"same", "both"}
    return set(TIMES) if len(changed) > 1 or (changed and "both" in sides.values()) else set()


def _elements(parts: Iterable[Part]) -> list[Part]:
    """The elements of lists, each as a line of its own; a line that is none stays whole."""
    elements: list[Part] = []
    for part in parts:
        head, _, value = part[0].partition(":")
        elements += [(f"{head}:{one}",) for one in _ELEMENT.findall(value)] if '"' not in head else [part]
    return elements


def _united_list(was: list[Part], one: list[Part], other: list[Part]) -> list[Part]:
    """The left lines without what the right took out of the list, and what the right has put in."""
    before, left, right = (dict.fromkeys(_elements(parts)) for parts in (was, one, other))
    gone = {element for element in before if element not in right}
    united: list[Part] = []
    for part in one:
        own = _elements([part])
        kept = [element for element in own if element not in gone]
        if kept:
            head = part[0].partition(":")[0]
            values = ",".join(element[0].partition(":")[2] for element in kept)
            united.append(part if kept == own else (f"{head}:{values}",))
    return united + [element for element in right if element not in before and element not in left]


def _united(name: str, was: list[Part], one: list[Part], other: list[Part]) -> list[Part] | None:
    """Both sides' additions and removals, part by part; None where both changed one part, and not alike."""
    if name in _LISTS:
        return _united_list(was, one, other)
    before, left, right = ({_key(part): part for part in parts} for parts in (was, one, other))
    if any(most > 1 for parts in (was, one, other) for most in Counter(map(_key, parts)).values()):
        return None
    if name in _FREE and _changed_twice(before, left, right):
        return None
    united = []
    for key in dict.fromkeys([*left, *right, *before]):
        old, a, b = before.get(key), left.get(key), right.get(key)
        if a != b and old not in (a, b):
            return None
        kept = b if a == old else a
        if kept is not None:
            united.append(kept)
    return united


def _changed_twice(before: Mapping[str, Part], left: Mapping[str, Part], right: Mapping[str, Part]) -> bool:
    """Whether both sides have no more what was there, and not both the same in its place."""
    gone = [key for key in before if key not in left and key not in right]
    return bool(gone) and {key for key in left if key not in before} != {key for key in right if key not in before}


def _key(part: Part) -> str:
    """What a part is known by: an alarm by its UID (RFC 9074 §4), else by what it does when; a person by address."""
    if is_nested(part):
        for wanted in (("UID",), ("ACTION", "TRIGGER")):
            keys = [line.upper() for line in part if line.upper().startswith(wanted)]
            if len(keys) == len(wanted):
                return "\n".join(sorted(keys))
        return "\n".join(part)
    head, _, value = part[0].rpartition(":")
    return value.lower() if head.upper().startswith("ATTENDEE") else part[0]


def _lines(parts: Iterable[Part]) -> tuple[str, ...]:
    return tuple(line for part in parts for line in part)


__all__ = [
    "STAMPS",
    "TIMES",
    "Conflict",
    "Differing",
    "Merged",
    "both_of",
    "combined",
    "differing",
    "merge_sides",
]
