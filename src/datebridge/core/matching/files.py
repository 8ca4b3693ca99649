"""Matching over files that are stored nowhere."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts
from datebridge.core.matching import Group, find, item_of, joined_items
from datebridge.core.matching.item import Item
from datebridge.core.moments import Clock
from datebridge.core.occurrences.expanding import Bounds
from datebridge.core.text.headers import Description, description_of
from datebridge.core.text.reader import RawComponent
from datebridge.core.zones.meaning import NO_ZONES, Zones

_MATCHED = frozenset({"VEVENT", "VTODO", "VJOURNAL"})


class FileEntry(NamedTuple):
    """An entry of a file."""

    file: str
    number: int
    uid: str
    recurrence_id: str
    title: str


@dataclass(slots=True)
class Stored:
    """The entries of files as items, with their texts, and what is beside them.

    Attributes:
        zones: what each calendar defines, by its number. headers: what each says of itself.
        names: the file of each calendar.
    """

    items: list[Item[FileEntry]] = field(default_factory=list)
    texts: dict[FileEntry, str] = field(default_factory=dict)
    facts: dict[FileEntry, Facts] = field(default_factory=dict)
    zones: dict[int, Zones] = field(default_factory=dict)
    headers: dict[int, Description] = field(default_factory=dict)
    names: dict[int, str] = field(default_factory=dict)
    _calendars: dict[tuple[str, str], int] = field(default_factory=dict)

    @classmethod
    def read(cls, files: Mapping[str, Iterable[RawComponent]]) -> Stored:
        """Take in the components of files, by name. VCALENDARs of one name in a file are one calendar."""
        stored = cls()
        for name, components in files.items():
            stored._take(name, list(components))
        return stored

    def _take(self, name: str, components: list[RawComponent]) -> None:
        own: dict[int, int] = {}
        for component in components:
            if component.name == "VCALENDAR":
                description = description_of(component.text)
                number = self._calendars.setdefault((name, description.name), len(self._calendars) + 1)
                own[component.calendar] = number
                self.zones.setdefault(number, Zones())
                self.headers.setdefault(number, description)
                self.names[number] = name
        for component in components:
            if component.name == "VTIMEZONE" and component.calendar in own:
                tzid = derive("VTIMEZONE", component.text).uid
                self.zones[own[component.calendar]].add(tzid, component.text)
        for component in components:
            if component.name not in _MATCHED:
                continue
            number, calendar = len(self.texts) + 1, own.get(component.calendar, 0)
            facts = derive(component.name, component.text, self.zones.get(calendar, NO_ZONES))
            member = FileEntry(name, number, facts.uid, facts.recurrence_id, facts.summary)
            self.texts[member], self.facts[member] = component.text, facts
            self.items.append(item_of(member, calendar, facts, number))

    def clock(self, calendar: int, tzid: str) -> Clock | None:
        """The zone a calendar defines under a TZID."""
        return self.zones.get(calendar, NO_ZONES).clock(tzid)


def duplicates_in(files: Mapping[str, Iterable[RawComponent]]) -> tuple[list[Group[FileEntry]], bool]:
    """The groups within and across files, and whether series were so long that not all of their times were looked at.

    Args:
        files: their components, by name.
    """
    stored, bounds = Stored.read(files), Bounds()
    groups = find(joined_items(stored.items), lambda keys: stored.texts, clocks=stored.clock, bounds=bounds)
    return groups, bool(bounds.cut)
