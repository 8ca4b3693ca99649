"""Text as it can be kept and sent: what no encoding can write is not text.

>>> storable("Tide \\ud800 tables")
'Tide \ufffd tables'
"""

from __future__ import annotations

import re
from typing import Any

#: Halves of characters, which UTF-8 does not write (RFC 3629 §3), and the NUL, at which many readers stop.
_UNWRITABLE = re.compile("[\ud800-\udfff\x00]")


def storable(text: str) -> str:
    """A text without what no encoding can write, each such character replaced by U+FFFD."""
    return _UNWRITABLE.sub("\ufffd", text)


def is_storable(value: Any) -> bool:
    """Whether a value as JSON has it can be kept and read again: every text in it can be written."""
    if isinstance(value, str):
        return _UNWRITABLE.search(value) is None
    if isinstance(value, dict):
        return all(is_storable(key) and is_storable(one) for key, one in value.items())
    return all(map(is_storable, value)) if isinstance(value, list | tuple) else True
