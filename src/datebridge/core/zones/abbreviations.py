"""What abbreviations and offsets of clocks can mean: between which zones they leave one to choose.

>>> meant_by("AST")[:2]
('America/Halifax', 'America/Puerto_Rico')
>>> meant_by("NZST")
('Pacific/Auckland',)
>>> by_offsets("GMT -0500 (Standard) / GMT -0400 (Daylight)")
('America/New_York', 'America/Havana')
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from functools import cache, lru_cache

from datebridge.core.tzids import links, listed, zone_info
from datebridge.core.zones.defined import define, defined
from datebridge.core.zones.fitting import ranked

#: The years whose winters and summers are asked what clocks are called.
_YEARS = (2024, 2027)
_ABBREVIATION = re.compile(r"[A-Za-z]{2,6}", re.ASCII)
#: The offsets from UTC in winter and in summer, as some systems name a zone.
_OFFSETS = re.compile(
    r"GMT ([+-])(\d\d):?(\d\d) \(Standard\) / GMT ([+-])(\d\d):?(\d\d) \(Daylight\)", re.ASCII | re.IGNORECASE
)


def meant_by(name: str) -> tuple[str, ...]:
    """The zones whose clocks are called so in winter or summer, the likeliest first; one of each that go alike."""
    return _zones().get(name.strip().upper(), ()) if _ABBREVIATION.fullmatch(name.strip()) else ()


@lru_cache(maxsize=256)
def by_offsets(name: str) -> tuple[str, ...]:
    """The zones a name of two offsets can mean; one of each that go alike, those first that most zones go like."""
    match = _OFFSETS.fullmatch(name.strip())
    if match is None:
        return ()
    winter, summer = (
        timedelta(hours=int(hours), minutes=int(minutes)) * (-1 if sign == "-" else 1)
        for sign, hours, minutes in (match.groups()[:3], match.groups()[3:])
    )
    if summer <= winter:
        return ()
    year = _YEARS[0]
    midst = [datetime(year, month, 10, tzinfo=UTC) for month in (1, 7)]
    kinds: dict[tuple[tuple[int, int], ...], list[str]] = {}
    for zone in _places():
        if {moment.astimezone(zone_info(zone)).utcoffset() for moment in midst} == {winter, summer}:
            own = defined(define("", zone, year, year))
            kinds.setdefault(own.shown if own is not None else (), []).append(zone)
    return tuple(ranked(zones)[0] for zones in sorted(kinds.values(), key=lambda zones: (-len(zones), zones)))


def _places() -> Iterable[str]:
    """The zones that stand for a place, each once."""
    return (zone for zone in sorted(listed() - {"Factory"}) if links().get(zone) not in listed())


@cache
def _zones() -> dict[str, tuple[str, ...]]:
    by_rules: dict[str, dict[tuple[object, ...], list[str]]] = {}
    moments = [datetime(year, month, 10, tzinfo=UTC) for year in range(*_YEARS) for month in (1, 7)]
    for zone in _places():
        shown = [moment.astimezone(zone_info(zone)) for moment in moments]
        alike = tuple(one.utcoffset() for one in shown)
        for called in {one.tzname() or "" for one in shown}:
            if called.isalpha():
                by_rules.setdefault(called, {}).setdefault(alike, []).append(zone)
    return {called: ranked(ranked(zones)[0] for zones in kinds.values()) for called, kinds in by_rules.items()}
