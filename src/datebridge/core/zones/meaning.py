"""What the TZIDs of one calendar mean: its own definitions beside the zone database.

>>> zones = Zones([("Station", define("Station", "America/Halifax", 2026, 2026))])
>>> zones.of("Station", 2026, 2026).defined, zones.of("America/Halifax", 2026, 2026).zone
(True, 'America/Halifax')

A name exactly as in the zone database means that zone: definitions under such names are often old, or simplified.
Any other name means what the calendar defines for it wherever the two differ in the years in use (RFC 5545
§3.2.19); without a definition, what the name suggests. A person's ruling stands above all that:

>>> Zones(zones.items(), {"Station": "Australia/Hobart"}).of("Station", 2026, 2026).zone
'Australia/Hobart'
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache

from datebridge.core.moments import Clock, wall_at
from datebridge.core.tzids import resolve
from datebridge.core.zones.across import changes, offset_text
from datebridge.core.zones.defined import DefinedZone, define, defined

__all__ = ["BY_DEFINITION", "NO_ZONES", "Meaning", "Zones", "define"]

#: A ruling that the calendar's own definition counts, whatever the name.
BY_DEFINITION = "definition"

#: Years beyond which what clocks will show is unknown.
_FIRST, _LAST = 1900, 2100
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Meaning:
    """What a TZID means where it is used.

    Attributes:
        clock: what its times go by; "" where that is unknown.
        zone: the IANA zone, "" where the calendar's own definition counts or is unknown.
        defined: whether the calendar's own definition counts.
        contradiction: an instant at which name and definition differ in the years in use, else None.
    """

    tzid: str
    clock: Clock
    zone: str
    defined: bool = False
    contradiction: int | None = None


class Zones:
    """The zone definitions of one calendar, by TZID; the first of a name counts.

    Attributes:
        rulings: what somebody has decided of a TZID: an IANA zone, or `BY_DEFINITION`.
    """

    def __init__(self, definitions: Iterable[tuple[str, str]] = (), rulings: Mapping[str, str] | None = None) -> None:
        self.rulings = dict(rulings or {})
        self._texts: dict[str, str] = {}
        for tzid, text in definitions:
            self._texts.setdefault(tzid, text)
        self._own: dict[str, DefinedZone | None] = {}
        self._found: dict[tuple[str, int, int], Meaning] = {}

    def add(self, tzid: str, text: str) -> None:
        """One more definition; where there is one of that name, it is kept instead."""
        if tzid not in self._texts:
            self._texts[tzid] = text
            self._own.pop(tzid, None)
            self._found.clear()

    def __bool__(self) -> bool:
        return bool(self._texts or self.rulings)

    def __iter__(self) -> Iterator[str]:
        return iter(self._texts)

    def items(self) -> Iterable[tuple[str, str]]:
        """The definitions as written, by TZID."""
        return self._texts.items()

    def __contains__(self, tzid: str) -> bool:
        return tzid in self._texts

    def text(self, tzid: str) -> str:
        """The definition as written; "" where there is none."""
        return self._texts.get(tzid, "")

    def clock(self, tzid: str) -> DefinedZone | None:
        """The zone the calendar defines under a name."""
        if tzid not in self._texts:
            return None
        if tzid not in self._own:
            self._own[tzid] = defined(self._texts[tzid])
        return self._own[tzid]

    def of(self, tzid: str, first: int, last: int) -> Meaning:
        """What a TZID means in the years from `first` to `last`."""
        meaning = self._found.get((tzid, first, last))
        if meaning is None:
            meaning = self._read(tzid, first, last)
            if self:
                self._found[tzid, first, last] = meaning
        return meaning

    def _read(self, tzid: str, first: int, last: int) -> Meaning:
        named = resolve(tzid)
        own = self.clock(tzid) if self._texts and tzid != "UTC" else None
        ruled = self.rulings.get(tzid, "")
        if ruled == BY_DEFINITION and own is not None:
            return Meaning(tzid, own, "", True)
        if ruled and ruled != BY_DEFINITION:
            return Meaning(tzid, ruled, ruled)
        if own is None:
            return Meaning(tzid, named.zone, named.zone)
        if not named.zone:
            return Meaning(tzid, own, "", True)
        apart = differs(own, named.zone, first, last)
        if named.exact or apart is None:
            return Meaning(tzid, named.zone, named.zone, False, apart)
        return Meaning(tzid, own, "", True, apart)

    def readings(self, tzid: str, instant: int) -> tuple[str, str]:
        """The offsets that the name and the definition give at an instant, as ``+01:00``."""
        own, zone = self.clock(tzid), resolve(tzid).zone
        named = wall_at(instant, zone) - instant if zone else 0
        return offset_text(named), offset_text(own.offset_at(instant) if own else named)


NO_ZONES = Zones()


@lru_cache(maxsize=4096)
def differs(own: DefinedZone, zone: str, first: int, last: int) -> int | None:
    """The first instant from year `first` to `last` at which a definition and a zone show different times.

    What lies before the first change the definition knows is not compared: it says nothing of it.
    """
    for year in range(max(first, _FIRST), min(last, _LAST) + 1):
        different = _differs_in(own, zone, year)
        if different is not None:
            return different
    return None


@lru_cache(maxsize=16_384)
def _differs_in(own: DefinedZone, zone: str, year: int) -> int | None:
    begin = int((datetime(year, 1, 1, tzinfo=UTC) - _EPOCH).total_seconds())
    end = begin + 366 * 86400
    moments = {begin, *(i for i in own.instants if begin <= i < end)}
    moments |= {int((c.instant - _EPOCH).total_seconds()) for c in changes(zone, year, year)}
    for moment in sorted(moments):
        if moment >= own.instants[0] and own.offset_at(moment) != wall_at(moment, zone) - moment:
            return moment
    return None
