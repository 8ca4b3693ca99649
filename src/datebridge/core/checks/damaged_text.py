"""Text that was read in a wrong encoding on its way: ``ReykjavÃ­k``; or of which letters are lost (U+FFFD)."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.checks.fixing import rewritten
from datebridge.core.index.derive import Reading
from datebridge.core.text.lines import unescape_text

_NAMES = ("SUMMARY", "LOCATION", "DESCRIPTION")
#: What letters of two or three bytes become where each octet is taken for a letter of its own (Windows-1252, Latin-1).
_TRACES = re.compile(r"[ÃÂÅÄÐÑâ][\x80-\xbf€‚ƒ„…†‡ˆ‰Š‹ŒŽ‘’“”•–—˜™š›œžŸ]")


def _mended(words: str) -> str:
    """The text with its letters as they were; the same where nothing is known to be wrong."""
    if not _TRACES.search(words):
        return words
    from ftfy import fix_encoding  # here, since it takes a while to load and is hardly ever needed

    return str(fix_encoding(words))


def find(entry: Reading) -> Iterator[CheckFinding]:
    for name in _NAMES:
        value = entry.value(name)
        if value.isascii():
            continue
        if _TRACES.search(value) and (made := _mended(value)) != value:
            at = next(k for k, letter in enumerate(value) if k >= len(made) or letter != made[k])
            word = unescape_text(value[max(0, at - 12) : at + 12]).strip()
            yield CheckFinding(f"“{word}” was read in a wrong encoding.", "Shown as it is.", name)
        elif "\ufffd" in value:
            yield CheckFinding("Letters were lost before: they arrived as �.", "Kept.", name)


def fix(text: str) -> str | None:
    """Give the letters back; those that are lost stay lost."""

    def right(name: str, params: str, value: str) -> str | None:
        made = _mended(value)
        return f"{name}{params}:{made}" if made != value and "\n" not in made else None

    return rewritten(text, frozenset(_NAMES), right)


CHECK = Check(
    "damaged-text",
    "alters",
    "Text damaged by a wrong encoding",
    find,
    needs=frozenset({"SUMMARY", "LOCATION", "DESCRIPTION"}),
    fix=fix,
    why="The text was read in another encoding than it was written in. The fix restores the letters where possible.",
)
