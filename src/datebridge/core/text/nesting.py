"""How the lines of a component lie within each other (RFC 5545 §3.6): the one place that follows BEGIN and END.

>>> lines = ["BEGIN:VEVENT", "SUMMARY:Tide", "BEGIN:VALARM", "TRIGGER:-PT5M", "END:VALARM", "END:VEVENT"]
>>> depths(lines), nested_in(lines)
([0, 1, 0, 2, 0, 0], [Nested(kind='VALARM', first=2, last=4)])
>>> {name: len(parts) for name, parts in fields_of("\\n".join(lines)).items()}
{'SUMMARY': 1, 'VALARM': 1}

The index is the exception: it reads a hundred thousand entries, and counts while it does.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from datebridge.core.text.lines import fence_of

#: How a fence begins where no blank is before it.
_FIRST = frozenset("BbEe")
#: One line, or all lines of a nested component.
Part = tuple[str, ...]


class Nested(NamedTuple):
    """A component directly inside another: its kind in upper case, and its first and last line."""

    kind: str
    first: int
    last: int


class DifferingField(NamedTuple):
    """A field in which two states of a component differ, with its parts on either side."""

    name: str
    left: list[Part]
    right: list[Part]


def depths(lines: Sequence[str]) -> list[int]:
    """How deep each line of a component lies: its own at 1, those within nested components deeper.

    The lines that begin or end a component are at 0.
    """
    by_line, depth = [], 0
    for raw in lines:
        fence = fence_of(raw) if raw[:1] in _FIRST or raw[:1].isspace() else None
        if fence is None:
            by_line.append(depth)
        else:
            depth += 1 if fence[0] == "BEGIN" else -1
            by_line.append(0)
    return by_line


def nested_in(lines: Sequence[str]) -> list[Nested]:
    """The components directly inside a component, in order; one without its end goes on to the last line but one."""
    blocks: list[Nested] = []
    depth, kind, first = 1, "", 0
    for index in range(1, len(lines) - 1):
        raw = lines[index]
        fence = fence_of(raw) if raw[:1] in _FIRST or raw[:1].isspace() else None
        if fence is None:
            continue
        if fence[0] == "BEGIN":
            depth += 1
            if depth == 2:
                kind, first = fence[1], index
        else:
            if depth == 2:
                blocks.append(Nested(kind, first, index))
            depth -= 1
    if depth > 1:
        blocks.append(Nested(kind, first, len(lines) - 2))
    return blocks


def fields_of(text: str) -> dict[str, list[Part]]:
    """What a component holds by field, in order: all lines of a property name, or all nested components of a kind."""
    lines = text.split("\n")
    fields: dict[str, list[Part]] = {}
    at = 1
    for kind, first, last in [*nested_in(lines), Nested("", len(lines) - 1, len(lines) - 1)]:
        for raw in lines[at:first]:
            fields.setdefault(raw.partition(":")[0].partition(";")[0].upper(), []).append((raw,))
        if kind:
            fields.setdefault(kind, []).append(tuple(lines[first : last + 1]))
        at = last + 1
    return fields


def is_nested(part: Part) -> bool:
    """Whether a part is a nested component, and no line."""
    return fence_of(part[0]) is not None


def differing_fields(left: str, right: str, says: Callable[[str, list[Part]], object]) -> list[DifferingField]:
    """The fields in which two states of a component differ, in the order in which they stand.

    Args:
        says: what counts of a field, given its name and its parts; the same on both sides is no difference.
    """
    mine, theirs = fields_of(left), fields_of(right)
    return [
        DifferingField(name, mine.get(name, []), theirs.get(name, []))
        for name in dict.fromkeys([*mine, *theirs])
        if says(name, mine.get(name, [])) != says(name, theirs.get(name, []))
    ]
