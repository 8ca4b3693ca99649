"""One component as lines that can be looked up and changed without touching the others.

>>> text = "BEGIN:VEVENT\\nSUMMARY:Old\\nX-KEEP:me\\nEND:VEVENT"
>>> Component(text).with_property("SUMMARY", "New").text
'BEGIN:VEVENT\\nSUMMARY:New\\nX-KEEP:me\\nEND:VEVENT'
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from datebridge.core.text.lines import ContentLine, NotAContentLine, format_line, parse_line


@dataclass(frozen=True, slots=True)
class Component:
    """A component's text, seen as properties. Changes return a new component; other lines keep their bytes."""

    text: str

    def properties(self) -> Iterator[tuple[int, ContentLine]]:
        """The component's own properties (not those of nested components) with their line index.

        Lines that are not content lines are passed over; they stay in the text.
        """
        depth = 0
        for index, raw in enumerate(self.text.split("\n")):
            fence = raw[:6].upper()
            if fence == "BEGIN:":
                depth += 1
            elif fence.startswith("END:"):
                depth -= 1
            elif depth == 1:
                try:
                    yield index, parse_line(raw)
                except NotAContentLine:
                    continue

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

    def with_property(self, name: str, value: str, params: dict[str, str] | None = None) -> Component:
        """The component with one property set. `value` is as written in the file.

        The first line of that name is replaced in its place; a new one goes before the nested
        components and the END line.
        """
        line = format_line(name, value, params)
        lines = self.text.split("\n")
        for index, existing in self.properties():
            if existing.name == name:
                lines[index] = line
                return Component("\n".join(lines))
        end = next((i for i, raw in enumerate(lines) if i and raw[:6].upper() == "BEGIN:"), len(lines) - 1)
        return Component("\n".join([*lines[:end], line, *lines[end:]]))

    def without(self, name: str) -> Component:
        """The component without any line of that name."""
        gone = {index for index, line in self.properties() if line.name == name}
        return Component("\n".join(raw for i, raw in enumerate(self.text.split("\n")) if i not in gone))
