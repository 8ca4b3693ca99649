"""Two states of one entry, side by side: where they differ, and a third made of either's fields.

>>> mine = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Mine\\nLOCATION:Here\\nEND:VEVENT"
>>> theirs = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Theirs\\nLOCATION:Here\\nEND:VEVENT"
>>> [field.name for field in differing(mine, theirs)]
['SUMMARY']
>>> merged(mine, theirs, {"SUMMARY"}) == mine
True
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

#: Stamps that differ without anybody having changed anything.
STAMPS = frozenset({"DTSTAMP", "LAST-MODIFIED", "CREATED"})


@dataclass(frozen=True, slots=True)
class Differing:
    """One field in which two states differ: all lines of a property name, or all nested components of a kind."""

    name: str
    mine: tuple[str, ...]
    theirs: tuple[str, ...]


def fields(text: str) -> dict[str, list[str]]:
    """An entry's lines by property name, in order; a nested component's lines count as its kind."""
    found: dict[str, list[str]] = {}
    lines = text.split("\n")
    nested: list[str] = []
    for raw in lines[1:-1]:
        upper = raw[:6].upper()
        if upper == "BEGIN:":
            nested.append(raw[6:].strip().upper())
        name = nested[0] if nested else raw.partition(":")[0].partition(";")[0].upper()
        found.setdefault(name, []).append(raw)
        if upper.startswith("END:") and nested:
            nested.pop()
    return found


def differing(mine: str, theirs: str) -> list[Differing]:
    """The fields in which the two differ, stamps left out; lines of one name in another order are the same."""
    left, right = fields(mine), fields(theirs)
    names = dict.fromkeys([*left, *right])
    return [
        Differing(name, tuple(left.get(name, ())), tuple(right.get(name, ())))
        for name in names
        if name not in STAMPS and sorted(left.get(name, ())) != sorted(right.get(name, ()))
    ]


def merged(mine: str, theirs: str, take_mine: Collection[str]) -> str:
    """Theirs, with the named fields as they are in mine. Fields are whole: all lines of a name, or none."""
    left, right = fields(mine), fields(theirs)
    lines = theirs.split("\n")
    body: list[str] = []
    tail: list[str] = []
    for name in dict.fromkeys([*right, *left]):
        chosen = left if name in take_mine or (name in STAMPS and name not in right) else right
        found = chosen.get(name, [])
        # Nested components go after the properties (RFC 5545 §3.6).
        (tail if found and found[0][:6].upper() == "BEGIN:" else body).extend(found)
    return "\n".join([lines[0], *body, *tail, lines[-1]])
