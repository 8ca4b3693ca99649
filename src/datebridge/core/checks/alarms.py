"""An entry's alarms, as checks look at them (RFC 5545 §3.6.6)."""

from __future__ import annotations

from typing import NamedTuple

from datebridge.core.moments import NotAMoment, parse_duration, parse_moment
from datebridge.core.text.lines import LINE, param_of
from datebridge.core.text.nesting import depths, nested_in


class Rings(NamedTuple):
    """One alarm: its lines but for what tells alarms apart needlessly; and when it rings.

    Attributes:
        first, last: the lines of the entry's text it takes up.
        offset: seconds after the start, or the end where `to_end`; None where it rings at a moment, or cannot be read.
        at: the moment in UTC, as wall seconds; None where it rings by an offset.
    """

    first: int
    last: int
    says: tuple[str, ...]
    offset: int | None
    to_end: bool
    at: int | None


def alarms_of(text: str) -> list[Rings]:
    """The alarms directly inside an entry."""
    lines = text.split("\n")
    depth = depths(lines)
    return [
        _read(first, last, [lines[at] for at in range(first, last) if depth[at] == 2])
        for kind, first, last in nested_in(lines)
        if kind == "VALARM"
    ]


def _read(first: int, last: int, lines: list[str]) -> Rings:
    offset, to_end, at = None, False, None
    for raw in lines:
        match = LINE.match(raw)
        if match is None or match[1].upper() != "TRIGGER":
            continue
        try:
            if (param_of(match[2], "VALUE") or "").upper() == "DATE-TIME":
                moment = parse_moment(match[3].strip())
                at = moment.instant() or moment.wall_seconds
            else:
                days, seconds = parse_duration(match[3])
                offset, to_end = days * 86400 + seconds, (param_of(match[2], "RELATED") or "").upper() == "END"
        except NotAMoment:
            continue
    return Rings(first, last, tuple(sorted(line for line in lines if not _names_it(line))), offset, to_end, at)


def _names_it(raw: str) -> bool:
    return raw[:4].upper() in ("UID:", "UID;") or raw[:12].upper().startswith(("X-WR-ALARMUI", "ACKNOWLEDGED"))


def is_alone(text: str) -> bool:
    """Whether an entry with alarms has one only; quicker than reading them."""
    return text.count("\nBEGIN:VALARM") == 1 and text.count("VALARM") == 2
