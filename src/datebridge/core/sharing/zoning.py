"""Under which names readers get time zones, and the definitions that go along.

What is rewritten is written in zones of the zone database; a zone that only a calendar defines goes by a number,
with nothing of its definition but when its clocks change.

>>> zoning = Zoning({1: Zones([("Ida's clock", define("Ida's clock", "America/Halifax", 2026, 2026))])})
>>> [zoning.name(1, tzid, canonical=True) for tzid in ("Ida's clock", "Atlantic Standard Time", "nobody knows")]
['Zone 1', 'America/Halifax', '']
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from datebridge.core.moments import from_wall_seconds
from datebridge.core.sharing.canonical import normalised
from datebridge.core.sharing.terms import PARAMETERS, Detail
from datebridge.core.text.lines import NotAContentLine, one_line, parse_line
from datebridge.core.text.properties import KNOWN
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import BY_DEFINITION, NO_ZONES, Zones, define, differs

__all__ = ["Zoning", "define"]

#: Years over which a zone has to go as a definition does, so that its name can stand for it.
_FIRST, _LAST = 1970, 2100
_OFFSETS = frozenset({"TZOFFSETFROM", "TZOFFSETTO"})
_PLAIN = frozenset({"TZID", "TZUNTIL", "TZID-ALIAS-OF", "LAST-MODIFIED", "TZNAME"})
_TIMES = frozenset({"DTSTART", "RRULE", "RDATE"})


@dataclass(frozen=True, slots=True)
class _ZoneGiven:
    """What a name means to readers: a zone of the zone database, or what a definition says."""

    zone: str
    text: str
    canonical: bool

    def same(self, other: _ZoneGiven) -> bool:
        return self.zone == other.zone and (
            bool(self.zone) or (self.text, self.canonical) == (other.text, other.canonical)
        )


class Zoning:
    """Names zones for readers, and remembers which definitions they need.

    Args:
        calendars: what each calendar defines.
        unknown: whether what no standard knows may pass with a definition.
    """

    def __init__(self, calendars: Mapping[int, Zones], unknown: bool = False) -> None:
        self.calendars, self.unknown = calendars, unknown
        self._names: dict[tuple[int, str, bool], str] = {}
        self._means: dict[str, _ZoneGiven] = {}

    def name(self, calendar: int, tzid: str, canonical: bool) -> str:
        """The name under which readers get a zone.

        Args:
            canonical: times are rewritten, so names are as well ("" for an unknown zone); else they are kept,
                unless two calendars mean different things by one.
        """
        new_name = self._names.get((calendar, tzid, canonical))
        if new_name is None:
            new_name = self._names[calendar, tzid, canonical] = self._named(calendar, tzid, canonical)
        return new_name

    def _named(self, calendar: int, tzid: str, canonical: bool) -> str:
        given = self._meaning(self.calendars.get(calendar, NO_ZONES), tzid, canonical)
        if canonical and not given.zone and not given.text:
            return ""
        wanted = tzid if not canonical else given.zone
        own_zone = self._means.get(wanted) if wanted else None
        if wanted and (own_zone is None or own_zone.same(given)):
            name = wanted
        else:
            name = self._numbered(f"{wanted} {{}}" if wanted else "Zone {}", given)
        self._means.setdefault(name, given)
        return name

    def _numbered(self, pattern: str, given: _ZoneGiven) -> str:
        number = 1
        while (own_zone := self._means.get(pattern.format(number))) is not None and not own_zone.same(given):
            number += 1
        return pattern.format(number)

    def _meaning(self, zones: Zones, tzid: str, canonical: bool) -> _ZoneGiven:
        named, text = resolve(tzid), zones.text(tzid)
        own = zones.clock(tzid) if text and tzid != "UTC" else None
        ruled = zones.rulings.get(tzid, "")
        if ruled and ruled != BY_DEFINITION:
            return _ZoneGiven(ruled, "", canonical)
        if own is None:
            return _ZoneGiven(named.zone, "", canonical)
        if named.exact and ruled != BY_DEFINITION:
            return _ZoneGiven(named.zone, "" if canonical else text, canonical)
        if canonical and named.zone and differs(own, named.zone, _FIRST, _LAST) is None:
            return _ZoneGiven(named.zone, "", canonical)
        return _ZoneGiven("", text, canonical)

    def definitions(self, first_wall: int, last_wall: int) -> list[str]:
        """The VTIMEZONEs for the names that readers get, for the years in use."""
        first, last = from_wall_seconds(first_wall).year - 1, from_wall_seconds(last_wall).year + 1
        made = []
        for name, given in sorted(self._means.items()):
            if given.text:
                made.append(_defined(given.text, name, given.canonical, self.unknown))
            elif given.zone and name != "UTC":
                made.append(define(one_line(name), given.zone, max(first, 1900), last))
        return made


def _defined(text: str, name: str, canonical: bool, unknown: bool) -> str:
    """A definition with what may pass of it: when its clocks change; and what it is called, where names may pass."""
    given = ["BEGIN:VTIMEZONE", f"TZID:{one_line(name)}"]
    inside = ""
    for raw in text.split("\n")[1:]:
        try:
            line = parse_line(raw)
        except NotAContentLine:
            continue
        if line.name in ("BEGIN", "END"):
            kind = line.value.strip().upper()
            inside = kind if line.name == "BEGIN" and kind in ("STANDARD", "DAYLIGHT") else ""
            given += [f"{line.name}:{kind}"] if kind in ("STANDARD", "DAYLIGHT") else []
        elif inside and line.name in _OFFSETS:
            value = line.value.strip()
            if value[:1] in "+-" and value[1:].isascii() and value[1:].isdigit() and len(value) in (5, 7):
                given.append(f"{line.name}:{value}")
        elif inside and line.name in _TIMES:
            given += normalised(line, lambda _: "")
        elif not canonical and line.name != "TZID":
            passes = line.name in _PLAIN or (unknown and line.name not in KNOWN)
            plain = all(key in PARAMETERS[Detail.WITHOUT_PEOPLE] for key, _ in line.params)
            given += [raw] if passes and (plain or unknown) else []
    return "\n".join([*given, "END:VTIMEZONE"])
