"""A component's lines while they are changed: what is not touched keeps its bytes and its place."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from datebridge.core.text.lines import ContentLine, NotAContentLine, format_line, parse_line, rewritten_line

Params = dict[str, str | None]


def written(name: str, value: str, params: Params | None = None) -> str:
    """A new content line."""
    return format_line(name, value, {key: one for key, one in (params or {}).items() if one is not None})


class Lines:
    """The unfolded lines of one component."""

    def __init__(self, text: str) -> None:
        self.lines = text.split("\n")

    @property
    def text(self) -> str:
        """The component as text."""
        return "\n".join(self.lines)

    def own(self, name: str) -> Iterator[tuple[int, ContentLine]]:
        """The component's own properties of a name with their index."""
        size = len(name)
        some = [i for i, raw in enumerate(self.lines) if raw[:size].upper() == name]
        if not some:
            return iter(())
        nested = any(raw[:1] in "bB" and raw[:6].upper() == "BEGIN:" for raw in self.lines[1 : some[-1]])
        depths = self._depths() if nested else None
        found = (
            (i, line)
            for i in some
            if i and (depths is None or depths[i] == 1) and (line := parsed(self.lines[i])) is not None
        )
        return iter([one for one in found if one[1].name == name])

    def _depths(self) -> list[int]:
        """How deep each line lies; the component's own lines at 1."""
        depths, depth = [], 0
        for raw in self.lines:
            fence = raw[:6].upper()
            if fence == "BEGIN:":
                depth += 1
            elif fence.startswith("END:"):
                depth -= 1
            depths.append(depth if fence != "BEGIN:" and not fence.startswith("END:") else 0)
        return depths

    def change(self, index: int, value: str, params: Params | None = None) -> None:
        """Give a line another value and set some of its parameters."""
        self.lines[index] = rewritten_line(self.lines[index], value, params)

    def value(self, name: str) -> str:
        """The value of the first property of a name; "" where there is none."""
        found = next(self.own(name), None)
        return found[1].value if found else ""

    def set(self, name: str, value: str, params: Params | None = None) -> None:
        """Set a property in its place, keeping the parameters not named; an empty value takes it out."""
        found = next(self.own(name), None)
        if not value:
            self.drop(name)
        elif found:
            self.change(found[0], value, params)
        else:
            self.add(written(name, value, params))

    def add(self, *lines: str) -> None:
        """New lines of the component itself, before what is nested in it."""
        end = next((i for i, raw in enumerate(self.lines) if i and raw[:6].upper() == "BEGIN:"), len(self.lines) - 1)
        self.lines[end:end] = lines

    def drop(self, name: str, when: Callable[[ContentLine], bool] = lambda _: True) -> None:
        """Take properties of a name out."""
        gone = {index for index, line in self.own(name) if when(line)}
        self.lines = [raw for index, raw in enumerate(self.lines) if index not in gone]

    # ---- what is nested ----------------------------------------------------------------------------

    def blocks(self, kind: str) -> list[tuple[int, int]]:
        """Where components of a kind lie directly inside: their first and last line, both included."""
        found, depth, begin = [], 0, -1
        for index, raw in enumerate(self.lines):
            upper = raw.upper()
            if upper.startswith("BEGIN:"):
                depth += 1
                if depth == 2 and upper[6:].strip() == kind:
                    begin = index
            elif upper.startswith("END:"):
                if depth == 2 and begin >= 0:
                    found.append((begin, index))
                    begin = -1
                depth -= 1
        return found

    def add_block(self, lines: list[str]) -> None:
        """Put the lines of a nested component at the end."""
        self.lines[-1:-1] = lines


def parsed(raw: str) -> ContentLine | None:
    """The parts of a line; None where it is none."""
    try:
        return parse_line(raw)
    except NotAContentLine:
        return None
