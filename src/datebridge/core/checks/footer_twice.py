"""The same paragraph several times in the notes: conference details that were put in at every change."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.checks.fixing import rewritten
from datebridge.core.index.derive import Reading
from datebridge.core.text.lines import escape_text, unescape_text

#: What parts paragraphs: empty lines, or lines drawn of strokes.
_BREAK = re.compile(r"((?:\A|\n)[ \t]*[-_=~*. ]{6,}[ \t]*(?:\n|\Z)|\n[ \t]*\n\s*)")
#: One of these is in a value as it is written that has any; quicker than looking for them.
_TRACES = re.compile(r"\\n ?\\n|------|______|======|~~~~~~|\*{6}|\.{6}")
#: A repeated paragraph counts from so many letters on, where it says an address or a number to dial.
_LONG = 40
_DIAL = re.compile(r"https?://|\+?\d[\d ()-]{7,}")


def _repeated(text: str) -> list[int]:
    """Places of paragraphs (every second part) that stood there before."""
    seen, repeated = set(), []
    for at, part in enumerate(_BREAK.split(text)):
        key = " ".join(part.split())
        if at % 2 == 0 and len(key) >= _LONG and _DIAL.search(key):
            if key in seen:
                repeated.append(at)
            seen.add(key)
    return repeated


def find(entry: Reading) -> Iterator[CheckFinding]:
    value = entry.value("DESCRIPTION")
    if len(value) <= 2 * _LONG or _TRACES.search(value) is None:
        return
    if places := _repeated(unescape_text(value)):
        times = "twice" if len(places) == 1 else f"{len(places) + 1:,} times"
        yield CheckFinding(f"The notes say the same paragraph {times}.", "Kept.", "DESCRIPTION")


def fix(text: str) -> str | None:
    """Leave the first of each."""

    def once(name: str, params: str, value: str) -> str | None:
        plain = unescape_text(value)
        places = _repeated(plain)
        if not places:
            return None
        parts = _BREAK.split(plain)
        for at in reversed(places):
            del parts[max(0, at - 1) : at + 1]  # with what parted it from the one before
        return f"{name}{params}:{escape_text(''.join(parts).rstrip())}"

    return rewritten(text, {"DESCRIPTION"}, once)


CHECK = Check(
    "footer-twice",
    "untidy",
    "Repeated paragraph in the notes",
    find,
    needs=frozenset({"DESCRIPTION"}),
    fix=fix,
    revision=2,
    why="Conference details were added at every change and hide the notes. The fix keeps the first of each.",
)
