"""A calendar object as a tree of components, for questions that go into it (RFC 4791 §9.6, §9.7).

>>> tree(b"BEGIN:VCALENDAR\\nBEGIN:VEVENT\\nUID:1\\nEND:VEVENT\\nEND:VCALENDAR\\n").children[0].values("UID")
['1']
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from datebridge.core.moments import Moment, NotAMoment, instant_at, parse_moment
from datebridge.core.text.lines import ContentLine, NotAContentLine, fold, parse_line
from datebridge.core.zones.meaning import Zones

#: How deep components may lie in one another; what lies deeper is passed over.
_DEEPEST = 12


@dataclass(slots=True)
class Node:
    """A component: its own lines as written, and those within it."""

    name: str
    lines: list[str] = field(default_factory=list)
    children: list[Node] = field(default_factory=list)

    def properties(self) -> Iterator[ContentLine]:
        for raw in self.lines:
            try:
                yield parse_line(raw)
            except NotAContentLine:
                continue

    def all(self, name: str) -> list[ContentLine]:
        return [line for line in self.properties() if line.name == name]

    def values(self, name: str) -> list[str]:
        return [line.value for line in self.all(name)]

    def first(self, name: str) -> ContentLine | None:
        return next(iter(self.all(name)), None)

    def without(self, *names: str) -> Node:
        """The component without its own lines of some names."""
        return Node(self.name, [raw for raw in self.lines if _name(raw) not in names], self.children)

    def text(self) -> str:
        inner = [*self.lines, *(child.text() for child in self.children)]
        return "\n".join([f"BEGIN:{self.name}", *inner, f"END:{self.name}"])

    def data(self) -> bytes:
        return fold(self.text() + "\n")


def _name(raw: str) -> str:
    return raw.replace(";", ":", 1).partition(":")[0].upper()


def tree(data: bytes) -> Node:
    """An object's bytes as a tree; lines that are none stay where they are, and what is not closed ends at the end."""
    text = data.decode("utf-8", "replace").replace("\r\n", "\n").replace("\n ", "").replace("\n\t", "")
    top = Node("")
    open_ = [top]
    for raw in text.split("\n"):
        fence, _, kind = raw.partition(":")
        if fence.upper() == "BEGIN" and len(open_) <= _DEEPEST:
            open_[-1].children.append(Node(kind.strip().upper()))
            open_.append(open_[-1].children[-1])
        elif fence.upper() == "END" and len(open_) > 1:
            open_.pop()
        elif raw:
            open_[-1].lines.append(raw)
    return next((child for child in top.children if child.name == "VCALENDAR"), Node("VCALENDAR"))


def zones_of(root: Node) -> Zones:
    """What an object's time zone names mean."""
    zones = Zones()
    for child in root.children:
        line = child.first("TZID") if child.name == "VTIMEZONE" else None
        if line is not None:
            zones.add(line.value, child.text())
    return zones


def moment_of(line: ContentLine, zones: Zones) -> Moment | None:
    """The date or time a property states; None where it states none."""
    tzid = line.param("TZID") or ""
    try:
        return parse_moment(line.value, tzid, zones.of(tzid, 1970, 2100).clock if tzid else None)
    except NotAMoment:
        return None


def instants(zones: Zones, zone: str) -> Callable[[ContentLine | None], int | None]:
    """Turns a property into an instant; what goes by no clock goes by that of `zone`."""

    def instant(line: ContentLine | None) -> int | None:
        moment = moment_of(line, zones) if line is not None else None
        if moment is None:
            return None
        placed = moment.instant()
        return placed if placed is not None else instant_at(moment.wall_seconds, zone or "UTC")

    return instant
