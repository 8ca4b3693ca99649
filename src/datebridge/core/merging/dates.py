"""Exception and extra dates of a series merged date by date, whichever lines they stand in (RFC 5545 §3.8.5.1, .2).

>>> series = "BEGIN:VEVENT\\nDTSTART:20261201T090000Z\\nRRULE:FREQ=DAILY\\n{}END:VEVENT".format
>>> left, right = series("EXDATE:20261202T090000Z\\n"), series("EXDATE:20261203T090000Z,20261204T090000Z\\n")
>>> united("EXDATE", (series(""), left, right), (NO_ZONES,) * 3)
['EXDATE:20261202T090000Z', 'EXDATE:20261203T090000Z', 'EXDATE:20261204T090000Z']
"""

from __future__ import annotations

from collections.abc import Sequence

from datebridge.core.moments import NotAMoment, parse_moment
from datebridge.core.text.component import Component
from datebridge.core.text.lines import ContentLine, rewritten_line
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: The properties that are sets of dates.
DATES = ("EXDATE", "RDATE")
__all__ = ["DATES", "NO_ZONES", "dates_of", "united"]


def dates_of(name: str, text: str, zones: Zones) -> dict[str, str]:
    """The dates of a property, each as a line of its own, by the moment it means."""
    lines = text.split("\n")
    dates: dict[str, str] = {}
    for at, line in Component(text).properties():
        if line.name == name:
            for value in line.value.split(","):
                dates.setdefault(_key(line, value, zones), rewritten_line(lines[at], value))
    return dates


def _key(line: ContentLine, value: str, zones: Zones) -> str:
    """One spelling for a moment in all zones; a period has its end or length with it."""
    start, mark, rest = value.partition("/")
    tzid = line.param("TZID") or ""
    year = int(start[:4]) if start[:4].isdigit() else 1970
    try:
        return parse_moment(start, tzid, zones.of(tzid, year, year).clock if tzid else None).key() + mark + rest
    except NotAMoment:
        return f"{tzid} {value}"


def united(name: str, texts: Sequence[str], zones: Sequence[Zones]) -> list[str]:
    """The lines of a property after both sides' additions and removals; of base, left and right.

    The left side's lines stay as they are where its dates are the result.
    """
    was, left, right = (dates_of(name, text, own) for text, own in zip(texts, zones, strict=True))
    kept = {key: line for key, line in left.items() if key in right or key not in was}
    kept |= {key: line for key, line in right.items() if key not in was and key not in kept}
    for side, text in ((left, texts[1]), (right, texts[2])):
        if side.keys() == kept.keys():
            lines = text.split("\n")
            return [lines[at] for at, line in Component(text).properties() if line.name == name]
    return list(kept.values())
