"""Text as it can be kept and sent: what no encoding can write is not text.

>>> storable("Tide \\ud800 tables")
'Tide \ufffd tables'
"""

from __future__ import annotations

import math
import re

#: Halves of characters, which UTF-8 does not write (RFC 3629 §3), and the NUL, at which many readers stop.
_UNWRITABLE = re.compile("[\ud800-\udfff\x00]")


def storable(text: str) -> str:
    """A text without what no encoding can write, each such character replaced by U+FFFD."""
    return _UNWRITABLE.sub("\ufffd", text)


def is_storable(value: object, depth: int = 32) -> bool:
    """Whether a value as JSON has it can be kept and read again: all text can be written, no deeper nesting."""
    if isinstance(value, str):
        return _UNWRITABLE.search(value) is None
    if isinstance(value, dict):
        value = [*value, *value.values()]
    if isinstance(value, list | tuple):
        return depth > 0 and all(is_storable(one, depth - 1) for one in value)
    # A number that is none would be written as a word that JSON does not know (RFC 8259 §6).
    return not isinstance(value, float) or math.isfinite(value)
