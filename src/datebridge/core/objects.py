"""Calendar object resources: the entries of one UID with the zone definitions they need (RFC 4791 §4.1).

>>> found = take_apart(assemble(["BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nEND:VEVENT"], []))
>>> found.uid, len(found.entries), found.method
('1', 1, '')
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

from datebridge.core.checks import examine
from datebridge.core.index.facts import Facts
from datebridge.core.moments import from_wall_seconds
from datebridge.core.problems import Problem
from datebridge.core.text.component import Component
from datebridge.core.text.reader import Reader
from datebridge.core.text.source import open_bytes
from datebridge.core.text.writer import tzids_in, write_calendar
from datebridge.core.tzids import resolve
from datebridge.core.zones.definition import define
from datebridge.core.zones.meaning import BY_DEFINITION, Zones

#: What a series without end is taken to reach, where definitions of its zones are made: the year 2100.
ENDLESS = 4_102_444_800
_HEADER = "BEGIN:VCALENDAR\nEND:VCALENDAR"


@dataclass(frozen=True, slots=True)
class CalendarObject:
    """An object taken apart: entries and zone definitions with their facts, and what is wrong with the whole.

    Attributes:
        invalid: problems per entry that only the whole text shows.
    """

    entries: tuple[tuple[Facts, str], ...]
    zones: tuple[tuple[Facts, str], ...]
    invalid: tuple[tuple[Problem, ...], ...]
    problems: tuple[Problem, ...]
    method: str

    @property
    def uid(self) -> str:
        """The UID its entries share."""
        return self.entries[0][0].uid if self.entries else ""


@lru_cache(maxsize=256)  # thousands of objects carry the same few definitions
def _zone(text: str) -> Facts:
    return examine("VTIMEZONE", text)


def take_apart(data: bytes, rulings: Mapping[str, str] | None = None) -> CalendarObject:
    """Read an object's bytes; never fails.

    Args:
        rulings: what somebody has decided that zone names mean.
    """
    reader = Reader(open_bytes(data))
    entries, zones, invalid = [], [], []
    problems: list[Problem] = []
    method = ""
    components = list(reader)
    meanings = Zones(((_zone(c.text).uid, c.text) for c in components if c.name == "VTIMEZONE"), rulings)
    for component in components:
        if component.name == "VCALENDAR":
            line = Component(component.text).first("METHOD")
            method = line.value if line else ""
            problems += component.problems
            continue
        if component.name == "VTIMEZONE":
            zones.append((_zone(component.text), component.text))
        else:
            entries.append((examine(component.name, component.text, meanings), component.text))
            invalid.append(tuple(component.problems))
    return CalendarObject(tuple(entries), tuple(zones), tuple(invalid), (*problems, *reader.problems), method)


def assemble(texts: Iterable[str], zones: Iterable[tuple[str, str]], rulings: Mapping[str, str] | None = None) -> bytes:
    """One object of entries that share a UID; `zones` are definitions by TZID, of which those in use go along.

    Zones in use without a definition get one made from the zone data (see `missing_definitions`).
    """
    texts = list(texts)
    used = {tzid for text in texts for tzid in tzids_in(text)}
    defined = {tzid: text for tzid, text in zones if tzid in used}
    made: list[str] = []
    if used - defined.keys():
        facts = [examine(Component(text).kind, text) for text in texts]
        made = missing_definitions(used - {"UTC"}, defined, *span_of(facts), rulings)
    return b"".join(write_calendar(_HEADER, [*defined.values(), *made], texts))


def span_of(facts: Iterable[Facts]) -> tuple[int, int]:
    """From when to when entries are in use, in wall seconds; a series without end counts to 2100."""
    first, last = [0], [0]
    placed = [fact for fact in facts if fact.start_wall is not None]
    if placed:
        first = [one.start_wall or 0 for one in placed]
        last = [ENDLESS if one.until_wall is None else one.until_wall for one in placed]
    return min(first), max(last)


def missing_definitions(
    used: Iterable[str],
    defined: Iterable[str],
    first_wall: int,
    last_wall: int,
    rulings: Mapping[str, str] | None = None,
) -> list[str]:
    """VTIMEZONEs made for the TZIDs that have none, for the years in use; unknown names get none.

    Args:
        rulings: what somebody has decided that names mean; all others mean what they say.
    """
    defined_already = set(defined)
    first, last = from_wall_seconds(first_wall).year - 1, from_wall_seconds(last_wall).year + 1
    made = []
    for tzid in sorted(set(used) - defined_already):
        zone = (rulings or {}).get(tzid) or resolve(tzid).zone
        if zone and zone != BY_DEFINITION:
            made.append(define(tzid, zone, max(first, 1900), last))
    return made
