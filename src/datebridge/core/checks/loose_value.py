"""Spaces or signs within a date, a number or a rule. Noted while the entry is placed."""

from __future__ import annotations

from datebridge.core.checks.check import Check
from datebridge.core.checks.fixing import rewritten
from datebridge.core.moments import NotAMoment, parse_moment

_DATED = frozenset({"DTSTART", "DTEND", "DUE", "RECURRENCE-ID"})


def fix(text: str) -> str | None:
    """Write dates and rules as they are read: a space or sign in a date stands for a nought, in a rule for nothing."""
    return rewritten(text, _DATED | {"RRULE"}, _tightened)


def _tightened(name: str, params: str, value: str) -> str | None:
    plain = value.strip()
    tight = plain.replace(" ", "") if name.upper() == "RRULE" else plain.replace(" ", "0").replace("+", "0")
    if name.upper() != "RRULE":
        try:
            parse_moment(tight)
        except NotAMoment:
            return None
    return f"{name}{params}:{tight}" if tight != value else None


CHECK = Check(
    "loose-value",
    "breaks",
    "Spaces or signs in a date or number",
    revision=2,
    fix=fix,
    why="Strict readers refuse such dates and rules. The fix writes them correctly.",
)
