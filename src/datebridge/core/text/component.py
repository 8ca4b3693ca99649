"""One component as lines that can be looked up, and changed without touching the others.

>>> entry = ComponentEditor("BEGIN:VEVENT\\nSUMMARY:Old\\nX-KEEP:me\\nEND:VEVENT")
>>> entry.set("SUMMARY", "New")
>>> entry.text
'BEGIN:VEVENT\\nSUMMARY:New\\nX-KEEP:me\\nEND:VEVENT'
>>> Component(entry.text).first("SUMMARY").value
'New'
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from datebridge.core.text.lines import (
    ContentLine,
    NotAContentLine,
    fence_of,
    format_line,
    parse_line,
    rewritten_line,
)
from datebridge.core.text.nesting import depths, nested_in

Params = dict[str, str | None]


@dataclass(frozen=True, slots=True)
class Component:
    """A component's text, seen as properties."""

    text: str

    def properties(self) -> Iterator[tuple[int, ContentLine]]:
        """The component's own properties (not those of nested components) with their line index.

        Lines that are not content lines are passed over; they stay in the text.
        """
        lines = self.text.split("\n")
        for index, depth in enumerate(depths(lines)):
            if depth == 1 and (line := parsed(lines[index])) is not None:
                yield index, line

    @property
    def kind(self) -> str:
        """What kind of component it is, such as ``VEVENT``."""
        return self.text.partition("\n")[0].partition(":")[2].strip().upper()

    def first(self, name: str) -> ContentLine | None:
        """The first of its own properties of a name."""
        return next((line for _, line in self.properties() if line.name == name), None)

    def all(self, name: str) -> list[ContentLine]:
        """All its own properties of a name, in order."""
        return [line for _, line in self.properties() if line.name == name]


class ComponentEditor:
    """The unfolded lines of one component while they are changed: the others keep their bytes and their place."""

    def __init__(self, text: str) -> None:
        self.lines = text.split("\n")

    @property
    def text(self) -> str:
        """The component as text."""
        return "\n".join(self.lines)

    def own(self, name: str) -> Iterator[tuple[int, ContentLine]]:
        """The component's own properties of a name with their index."""
        size, begins = len(name), (name[:1], name[:1].lower())
        some = [i for i, raw in enumerate(self.lines) if raw.startswith(begins) and raw[:size].upper() == name]
        if not some:
            return iter(())
        # Nested components mostly stand behind a component's own properties, and then need not be looked for.
        before = self.lines[1 : some[-1]]
        own = depths(self.lines) if any(map(fence_of, before)) else None
        lines_read = ((i, line) for i in some if i and (own is None or own[i] == 1) and (line := parsed(self.lines[i])))
        return iter([(i, line) for i, line in lines_read if line.name == name])

    def change(self, index: int, value: str, params: Params | None = None) -> None:
        """Give a line another value and set some of its parameters."""
        self.lines[index] = rewritten_line(self.lines[index], value, params)

    def value(self, name: str) -> str:
        """The value of the first property of a name; "" where there is none."""
        line = next(self.own(name), None)
        return line[1].value if line else ""

    def set(self, name: str, value: str, params: Params | None = None) -> None:
        """Set a property in its place, keeping the parameters not named; an empty value takes it out."""
        if value:
            self.put(name, value, params)
        else:
            self.drop(name)

    def put(self, name: str, value: str, params: Params | None = None) -> None:
        """The same, where an empty value is one like any other."""
        line = next(self.own(name), None)
        if line:
            self.change(line[0], value, params)
        else:
            self.add(written(name, value, params))

    def add(self, *lines: str) -> None:
        """New lines of the component itself, before what is nested in it."""
        end = next((nested.first for nested in nested_in(self.lines)), len(self.lines) - 1)
        self.lines[end:end] = lines

    def drop(self, name: str, when: Callable[[ContentLine], bool] = lambda _: True) -> None:
        """Take properties of a name out."""
        gone = {index for index, line in self.own(name) if when(line)}
        self.lines = [raw for index, raw in enumerate(self.lines) if index not in gone]

    def blocks(self, kind: str) -> list[tuple[int, int]]:
        """Where components of a kind lie directly inside: their first and last line, both included."""
        return [(nested.first, nested.last) for nested in nested_in(self.lines) if nested.kind == kind]

    def add_block(self, lines: list[str]) -> None:
        """Put the lines of a nested component at the end."""
        self.lines[-1:-1] = lines


def with_property(text: str, name: str, value: str) -> str:
    """A component with one property set; the value as it is written in a file."""
    entry = ComponentEditor(text)
    entry.put(name, value)
    return entry.text


def written(name: str, value: str, params: Params | None = None) -> str:
    """A new content line."""
    return format_line(name, value, {key: param for key, param in (params or {}).items() if param is not None})


def parsed(raw: str) -> ContentLine | None:
    """The parts of a line; None where it is none."""
    try:
        return parse_line(raw)
    except NotAContentLine:
        return None
