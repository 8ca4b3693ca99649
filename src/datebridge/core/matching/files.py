"""Matching over files that are stored nowhere."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from datebridge.core.happening.occurrences import Bounds
from datebridge.core.index.derive import derive
from datebridge.core.inspection import Inspection
from datebridge.core.matching import Group, find, item_of, together
from datebridge.core.matching.item import Item
from datebridge.core.moments import Clock
from datebridge.core.text.headers import description_of
from datebridge.core.zones.meaning import NO_ZONES, Zones

_MATCHED = frozenset({"VEVENT", "VTODO", "VJOURNAL"})


class Member(NamedTuple):
    """An entry of a file."""

    file: str
    number: int
    uid: str
    recurrence_id: str
    title: str


def duplicates_in(files: Mapping[str, Inspection]) -> tuple[list[Group[Member]], bool]:
    """The groups within and across files, and whether series were so long that not all of their times were looked at.

    Args:
        files: by name; read with their components kept. VCALENDARs of one name in a file are one calendar.
    """
    items: list[Item[Member]] = []
    texts: dict[Member, str] = {}
    zones: dict[int, Zones] = {}
    calendars: dict[tuple[str, str], int] = {}
    for name, found in files.items():
        own: dict[int, int] = {}
        for component in found.components:
            if component.name == "VCALENDAR":
                called = description_of(component.text).name
                own[component.calendar] = calendars.setdefault((name, called), len(calendars) + 1)
                zones.setdefault(own[component.calendar], found.zones.get(component.calendar, NO_ZONES))
        for component in found.components:
            if component.name not in _MATCHED:
                continue
            number = len(texts) + 1
            facts = derive(component.name, component.text, found.zones.get(component.calendar, NO_ZONES))
            member = Member(name, number, facts.uid, facts.recurrence_id, facts.summary)
            texts[member] = component.text
            items.append(item_of(member, own.get(component.calendar, 0), facts, number))
    bounds = Bounds()

    def clock(calendar: int, tzid: str) -> Clock | None:
        return zones.get(calendar, NO_ZONES).clock(tzid)

    groups = find(together(items), lambda keys: texts, clocks=clock, bounds=bounds)
    return groups, bool(bounds.cut)
