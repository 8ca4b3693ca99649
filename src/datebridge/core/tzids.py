"""What the name of a TZID suggests: IANA names, CLDR aliases, paths with a vendor's prefix, offsets, cities.

>>> resolve("/tidewrack.example/20090301_2/Atlantic/Reykjavik").zone
'Atlantic/Reykjavik'
>>> resolve("(UTC+10:00) Hobart").zone, resolve("GMT+05:30").zone
('Australia/Hobart', 'Asia/Kolkata')
>>> [resolve(name).zone for name in ("Europe_Oslo", "America-New_York", "Berlin", "(UTC+02:00) Europe/Helsinki")]
['Europe/Oslo', 'America/New_York', 'Europe/Berlin', 'Europe/Helsinki']
>>> resolve("(GMT-05:00) Eastern Time (US & Canada)").zone, resolve("Coordinated Universal Time").zone
('America/New_York', 'Etc/UTC')
>>> resolve("Station local time").method
'unresolved'
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache, lru_cache
from pathlib import Path
from typing import Literal
from zoneinfo import ZoneInfo, available_timezones

import tzdata

#: No name is as long as this.
_LONGEST = 500
Method = Literal["iana", "cldr", "path", "offset", "display", "unresolved"]
#: ``UTC+02:00``, ``GMT-3``, ``+0530``: as ISO 8601 has it, ahead of UTC is +.
_OFFSET = re.compile(r"(?:utc|gmt)?\s*([+-])\s*(\d{1,2})(?::?(\d\d))?", re.ASCII)
#: ``(UTC+01:00) Amsterdam, Berlin``: an offset in front, then cities.
_DISPLAY = re.compile(r"\((?:utc|gmt)\s*(?:([+-])\s*(\d{1,2}):?(\d\d))?\)\s*(.+)", re.ASCII)
_SPOKEN = {"coordinated universal time": "Etc/UTC", "universal time coordinated": "Etc/UTC"}
#: The years whose winters and summers are asked whether a zone ever changes its clocks.
_YEARS = (2000, 2030)


@dataclass(frozen=True, slots=True)
class Resolution:
    """A TZID as written, the IANA zone its name suggests ("" where unknown) and how that was found.

    `exact`: the name is in the zone database just so.
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
def links() -> dict[str, str]:
    """Names of the zone database that stand for another one, as ``US/Eastern`` does for ``America/New_York``."""
    listed = Path(tzdata.__file__ or "").parent / "zoneinfo" / "tzdata.zi"
    linked = {}
    for line in listed.read_text("utf-8").splitlines() if listed.is_file() else ():
        if line.startswith("L "):
            _, zone, name = line.split()
            linked[name] = zone
    return linked


@cache
def listed() -> frozenset[str]:
    """The names of the zone database that stand for a place, with those of fixed offsets; not what is out of use."""
    table = Path(tzdata.__file__ or "").parent / "zoneinfo" / "zone.tab"
    lines = table.read_text("utf-8").splitlines() if table.is_file() else []
    places = {line.split("\t")[2] for line in lines if line and not line.startswith("#")}
    fixed = {name for name in all_names() if name.startswith("Etc/") and name not in links()}
    return frozenset(places & all_names() | fixed) or all_names()


@cache
def _iana() -> dict[str, str]:
    return {name.lower(): name for name in all_names()}


@cache
def _cldr() -> dict[str, str]:
    """The alias table of CLDR's windowsZones data, as the icalendar package ships it."""
    from icalendar.timezone.windows_to_olson import WINDOWS_TO_OLSON

    return {alias.lower(): zone for alias, zone in WINDOWS_TO_OLSON.items()}


@cache
def suggested() -> frozenset[str]:
    """The zones that CLDR's alias table names for a region: of several that go alike the one most people are in."""
    return frozenset(_cldr().values())


@cache
def main_ones() -> frozenset[str]:
    """Of `suggested` those a region is named for as a whole, and not for a part or a neighbour in brackets."""
    return frozenset(zone for alias, zone in _cldr().items() if "(" not in alias)


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
    if name in _SPOKEN:
        return Resolution(tzid, _SPOKEN[name], "cldr")
    if zone := _by_words().get(_words(name), ""):
        return Resolution(tzid, zone, "path")
    cities = _by_city().get(name.replace(" ", "_"), [])
    if len(places := [zone for zone in cities if zone in listed() and not zone.startswith("Etc/")]) == 1:
        return Resolution(tzid, places[0], "display")
    if match := _OFFSET.fullmatch(name):
        return _resolution(tzid, steady(_seconds(match[1], match[2], match[3])), "offset")
    if match := _DISPLAY.fullmatch(name):
        return _resolution(tzid, _of_cities(_seconds(match[1] or "+", match[2] or "0", match[3]), match[4]), "display")
    return Resolution(tzid, "", "unresolved")


def _resolution(tzid: str, zone: str, method: Method) -> Resolution:
    return Resolution(tzid, zone, method if zone else "unresolved")


def _seconds(sign: str, hours: str, minutes: str | None) -> int:
    size = int(hours) * 3600 + int(minutes or 0) * 60
    return -size if sign == "-" else size


@cache
def steady(seconds: int) -> str:
    """A zone whose clocks are so far ahead of UTC and never change; "" where there is none.

    >>> steady(7200), steady(-12600)
    ('Etc/GMT-2', '')
    """
    if not seconds:
        return "Etc/UTC"
    hours, rest = divmod(abs(seconds), 3600)
    if not rest:
        name = f"Etc/GMT{'-' if seconds > 0 else '+'}{hours}"
        return name if name in all_names() else ""
    offset = timedelta(seconds=seconds)
    own = sorted(all_names() - links().keys())
    return next((name for name in own if "/" in name and offsets_of(name) == {offset}), "")


@cache
def offsets_of(zone: str) -> frozenset[timedelta]:
    """How far a zone's clocks are ahead of UTC, in the winters and summers since 2000."""
    info = zone_info(zone)
    moments = [datetime(year, month, 10, tzinfo=UTC) for year in range(*_YEARS, 3) for month in (1, 7)]
    return frozenset(offset for m in moments if (offset := info.utcoffset(m.astimezone(info))) is not None)


def _of_cities(seconds: int, cities: str) -> str:
    """The zone of the first city that is in the zone database and has that offset."""
    offset = timedelta(seconds=seconds)
    # “Eastern Time (US & Canada)”: CLDR has it by the name of its winter.
    region = cities.partition("(")[0].strip()
    spoken = _cldr().get(re.sub(r"\btime$", "standard time", region), "") if region.endswith(" time") else ""
    for zone in (spoken, _by_words().get(_words(cities), "")):
        if zone and offset in offsets_of(zone):
            return zone
    for city in cities.split(",")[:20]:
        for name in _by_city().get(city.strip().replace(" ", "_"), ()):
            if offset in offsets_of(name):
                return name
    return ""


def _words(name: str) -> str:
    """A name whatever stands between its words."""
    return re.sub(r"[^a-z0-9]+", " ", name.lower()).strip()


@cache
def _by_words() -> dict[str, str]:
    """Names of the zone database of two words at least, whatever stands between them; what two names share is left."""
    by_words: dict[str, set[str]] = {}
    for name in all_names():
        if "/" in name and not name.startswith("Etc/"):
            by_words.setdefault(_words(name), set()).add(name)
    return {words: next(iter(names)) for words, names in by_words.items() if len(names) == 1}


@cache
def _by_city() -> dict[str, list[str]]:
    by_city: dict[str, list[str]] = {}
    for name in sorted(all_names()):
        if "/" in name:
            by_city.setdefault(name.rpartition("/")[2].lower(), []).append(name)
    return by_city


@lru_cache(maxsize=1024)
def zone_info(zone: str) -> ZoneInfo:
    """The zone data of an IANA zone."""
    return ZoneInfo(zone)
