"""What a TZID means: IANA names, CLDR aliases, and paths with a vendor's prefix.

>>> resolve("/tidewrack.example/20090301_2/Atlantic/Reykjavik").zone
'Atlantic/Reykjavik'
>>> resolve("Station local time").method
'unresolved'
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Literal
from zoneinfo import ZoneInfo, available_timezones

Method = Literal["iana", "cldr", "path", "unresolved"]


@dataclass(frozen=True, slots=True)
class Resolution:
    """A TZID as written, the IANA zone it means ("" where unknown) and how that was found."""

    tzid: str
    zone: str
    method: Method


@cache
def _iana() -> dict[str, str]:
    return {name.lower(): name for name in available_timezones()}


@cache
def _cldr() -> dict[str, str]:
    """The alias table of CLDR's windowsZones data, as the icalendar package ships it."""
    from icalendar.timezone.windows_to_olson import WINDOWS_TO_OLSON

    return {alias.lower(): zone for alias, zone in WINDOWS_TO_OLSON.items()}


@lru_cache(maxsize=4096)
def resolve(tzid: str) -> Resolution:
    """Find the IANA zone a TZID means. Names are compared without regard to case."""
    name = tzid.strip().strip('"').lower()
    if name in _iana():
        return Resolution(tzid, _iana()[name], "iana")
    if name in _cldr():
        return Resolution(tzid, _cldr()[name], "cldr")
    # "/example.org/20090301_2/Europe/London": the zone is the longest tail that is one (RFC 5545 §3.2.19
    # leaves such prefixes to the vendor). Two parts at least, so that ".../GMT" alone proves nothing.
    parts = name.strip("/").split("/")
    for start in range(1, len(parts) - 1):
        tail = "/".join(parts[start:])
        if tail in _iana():
            return Resolution(tzid, _iana()[tail], "path")
    return Resolution(tzid, "", "unresolved")


@lru_cache(maxsize=1024)
def zone_info(zone: str) -> ZoneInfo:
    """The zone data of an IANA zone."""
    return ZoneInfo(zone)
