"""Rewriting single lines of an entry: every other line keeps its bytes and its place."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection

from datebridge.core.text.lines import LINE
from datebridge.core.text.nesting import depths

_PARAM = r';{}=(?:"[^"]*"|[^;:"]*)'


def rewritten(text: str, names: Collection[str], rewrite: Callable[[str, str, str], str | None]) -> str | None:
    """A text with some of its own properties rewritten, not those of components within it; None where none was.

    Args:
        rewrite: given name, parameters and value, the whole new line; None leaves it.
    """
    lines = text.split("\n")
    changed = False
    for at, depth in enumerate(depths(lines)):
        match = LINE.match(lines[at]) if depth == 1 else None
        if match is None or match[1].upper() not in names:
            continue
        new = rewrite(match[1], match[2], match[3])
        if new is not None and new != lines[at]:
            lines[at], changed = new, True
    return "\n".join(lines) if changed else None


def without(params: str, name: str) -> str:
    """Parameters without one of them.

    >>> without(";X-A=1;VALUE=DATE-TIME;TZID=\\"a;b\\"", "VALUE")
    ';X-A=1;TZID="a;b"'
    """
    return re.sub(_PARAM.format(re.escape(name)), "", params, flags=re.IGNORECASE)
