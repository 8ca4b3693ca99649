"""What a file's events come to between two moments: ``date-bridge expand``."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta, timezone
from typing import NamedTuple

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts
from datebridge.core.moments import Clock, from_wall_seconds, instant_at, wall_at
from datebridge.core.occurrences.expanding import Bounds, Occurrence, Timed, clock_of, occurrences, slot_of, timed
from datebridge.core.text.reader import RawComponent
from datebridge.core.zones.meaning import Zones


@dataclass(frozen=True, slots=True)
class Expanded:
    """One occurrence, in the spellings of DESIGN §6; `recurrence_id` is None for what happens once."""

    uid: str
    recurrence_id: str | None
    summary: str
    start: str
    end: str
    all_day: bool


def spelled(moment: int, clock: Clock | None, whole_day: bool) -> str:
    """ISO 8601: an instant with the offset of a clock, wall seconds without one, a day alone.

    >>> spelled(1795510800, "Atlantic/Reykjavik", False), spelled(1795478400, None, True)
    ('2026-11-24T09:00:00+00:00', '2026-11-24')
    """
    if whole_day:
        return from_wall_seconds(moment).date().isoformat()
    if clock is None:
        return from_wall_seconds(moment).isoformat()
    wall = wall_at(moment, clock)
    return from_wall_seconds(wall).replace(tzinfo=timezone(timedelta(seconds=wall - moment))).isoformat()


class Expansion(NamedTuple):
    """What happens, in order of start; how many more are cancelled; titles of series of which a part is missing."""

    happening: list[Expanded]
    cancelled: int
    cut: list[str]


def expand(components: Iterable[RawComponent], low: int, high: int, zone: str = "") -> Expansion:
    """The occurrences of events that overlap [low, high).

    Cancelled occurrences do not happen (RFC 5545 §3.8.1.11), so they are counted but not listed.

    Args:
        low, high: wall seconds on the clock of `zone`, or in UTC where none is given.
        zone: the IANA zone to show times in; each in its own zone where none is given.
    """
    entries: list[Timed] = []
    facts: dict[int, Facts] = {}
    zones: dict[int, Zones] = {}
    components = list(components)
    for component in components:
        own = zones.setdefault(component.calendar, Zones())
        if component.name == "VTIMEZONE":
            own.add(derive("VTIMEZONE", component.text).uid, component.text)
    for component in components:
        if component.name == "VEVENT":
            entry_facts = derive("VEVENT", component.text, zones[component.calendar])
            entry = timed(entry_facts, len(entries) + 1, component.calendar)
            if entry is not None:
                entries.append(entry)
                facts[entry.id] = entry_facts

    def zone_of(calendar: int, tzid: str) -> Clock | None:
        return zones[calendar].clock(tzid) if calendar in zones else None

    def shown(one: Occurrence) -> Expanded:
        entry, own_facts = entries[one.entry - 1], facts[one.entry]
        own = clock_of(entries[(one.series or one.entry) - 1], zone_of)
        clock = (zone or own) if own is not None else None
        slot = one.slot if one.series else slot_of(entry.recurrence_id, own) if entry.recurrence_id else None
        if slot is not None and own is not None:
            slot = instant_at(slot, own)
        return Expanded(
            own_facts.uid,
            None if slot is None else spelled(slot, clock, len(entry.recurrence_id) == 8 or own_facts.all_day),
            own_facts.summary,
            spelled(one.start, clock, own_facts.all_day),
            spelled(one.end, clock, own_facts.all_day),
            own_facts.all_day,
        )

    bounds = Bounds()
    every = list(occurrences(entries, low, high, zone or "UTC", zone_of, bounds=bounds))
    happening = [occurrence for occurrence in every if facts[occurrence.entry].status != "CANCELLED"]
    happening.sort(key=lambda occurrence: (occurrence.shown_start, occurrence.shown_end, facts[occurrence.entry].uid))
    cut = [facts[entry].summary or facts[entry].uid for entry in sorted(bounds.cut)]
    return Expansion([shown(occurrence) for occurrence in happening], len(every) - len(happening), cut)
