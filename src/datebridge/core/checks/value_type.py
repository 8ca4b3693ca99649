"""A day without VALUE=DATE, or a time with it (RFC 5545 §3.3.4). Noted while the entry is placed."""

from __future__ import annotations

import re

from datebridge.core.checks.check import Check
from datebridge.core.checks.fixing import rewritten, without
from datebridge.core.text.lines import param_of

_DAY = re.compile(r"[0-9]{8}")
#: What may be a day or a time.
_DATED = frozenset({"DTSTART", "DTEND", "DUE", "RECURRENCE-ID", "RDATE", "EXDATE"})


def fix(text: str) -> str | None:
    """Have each say what it is. A list that is partly the one and partly the other is left alone."""
    return rewritten(text, _DATED, _typed)


def _typed(name: str, params: str, value: str) -> str | None:
    kinds = {bool(_DAY.fullmatch(item.strip())) for item in value.split(",")}
    text = (param_of(params, "VALUE") or "").upper()
    if kinds == {True} and text != "DATE":
        return f"{name}{without(params, 'VALUE')};VALUE=DATE:{value}"
    if kinds == {False} and text == "DATE":
        return f"{name}{without(params, 'VALUE')}:{value}"
    return None


CHECK = Check(
    "value-type",
    "alters",
    "Date or time with the wrong VALUE",
    fix=fix,
    why="Strict readers refuse it. The fix marks it as a date.",
)
