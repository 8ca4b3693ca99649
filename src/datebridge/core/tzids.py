"""What a TZID means: IANA names, CLDR aliases, and paths with a vendor's prefix.

>>> resolve("/tidewrack.example/20090301_2/Atlantic/Reykjavik").zone
'Atlantic/Reykjavik'
>>> resolve("Station local time").method
'unresolved'
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Literal
from zoneinfo import ZoneInfo, available_timezones

import tzdata

#: No name is as long as this.
_LONGEST = 500
Method = Literal["iana", "cldr", "path", "unresolved"]


@dataclass(frozen=True, slots=True)
class Resolution:
    """A TZID as written, the IANA zone its name suggests ("" where unknown) and how that was found.

    `exact`: the name stands in the zone database just so.
    """

    tzid: str
    zone: str
    method: Method
    exact: bool = False


@cache
def all_names() -> frozenset[str]:
    """Every name of the zone database, from the list that ships with it; looking for the files takes far longer."""
    listed = Path(tzdata.__file__ or "").parent / "zones"
    return frozenset(listed.read_text("utf-8").split()) if listed.is_file() else frozenset(available_timezones())


@cache
def _iana() -> dict[str, str]:
    return {name.lower(): name for name in all_names()}


@cache
def _cldr() -> dict[str, str]:
    """The alias table of CLDR's windowsZones data, as the icalendar package ships it."""
    from icalendar.timezone.windows_to_olson import WINDOWS_TO_OLSON

    return {alias.lower(): zone for alias, zone in WINDOWS_TO_OLSON.items()}


def resolve(tzid: str) -> Resolution:
    """Find the IANA zone a TZID's name suggests. Names are compared without regard to case."""
    return _resolved(tzid) if len(tzid) < _LONGEST else Resolution(tzid, "", "unresolved")


@lru_cache(maxsize=4096)
def _resolved(tzid: str) -> Resolution:
    name = tzid.strip().strip('"').lower()
    if name in _iana():
        return Resolution(tzid, _iana()[name], "iana", _iana()[name] == tzid)
    if name in _cldr():
        return Resolution(tzid, _cldr()[name], "cldr")
    # "/example.org/20090301_2/Europe/London": the zone is the longest tail that is one (RFC 5545 §3.2.19
    # leaves such prefixes to the vendor). Two parts at least, so that ".../GMT" alone proves nothing.
    # A name that begins with a slash and has nothing before the zone means that zone as well.
    parts = name.strip("/").split("/")
    for start in range(0 if name.startswith("/") else 1, len(parts) - 1):
        tail = "/".join(parts[start:])
        if tail in _iana():
            return Resolution(tzid, _iana()[tail], "path")
    return Resolution(tzid, "", "unresolved")


@lru_cache(maxsize=1024)
def zone_info(zone: str) -> ZoneInfo:
    """The zone data of an IANA zone."""
    return ZoneInfo(zone)
