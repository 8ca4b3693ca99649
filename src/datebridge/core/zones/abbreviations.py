"""What abbreviations of clocks can mean: between which zones they leave one to choose.

>>> meant_by("AST")[:2]
('America/Halifax', 'America/Puerto_Rico')
>>> meant_by("NZST")
('Pacific/Auckland',)
"""

from __future__ import annotations

import re
from datetime import UTC, datetime
from functools import cache

from datebridge.core.tzids import links, listed, zone_info
from datebridge.core.zones.fitting import ranked

#: The years whose winters and summers are asked what clocks are called.
_YEARS = (2024, 2027)
_ABBREVIATION = re.compile(r"[A-Za-z]{2,6}", re.ASCII)


def meant_by(name: str) -> tuple[str, ...]:
    """The zones whose clocks are called so in winter or summer, the likeliest first; one of each that go alike."""
    return _zones().get(name.strip().upper(), ()) if _ABBREVIATION.fullmatch(name.strip()) else ()


@cache
def _zones() -> dict[str, tuple[str, ...]]:
    found: dict[str, dict[tuple[object, ...], list[str]]] = {}
    moments = [datetime(year, month, 10, tzinfo=UTC) for year in range(*_YEARS) for month in (1, 7)]
    for zone in sorted(listed() - {"Factory"}):
        if links().get(zone) in listed():
            continue
        shown = [moment.astimezone(zone_info(zone)) for moment in moments]
        alike = tuple(one.utcoffset() for one in shown)
        for called in {one.tzname() or "" for one in shown}:
            if called.isalpha():
                found.setdefault(called, {}).setdefault(alike, []).append(zone)
    return {
        called: ranked(ranked(zones)[0] for zones in kinds.values()) for called, kinds in found.items()
    }  # fmt: skip
