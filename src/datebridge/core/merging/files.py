"""Three files put together: what became of each entry of the first in the two others (``date-bridge merge``).

>>> event = "BEGIN:VCALENDAR\\nBEGIN:VEVENT\\nUID:1\\nSUMMARY:{}\\nLOCATION:{}\\nEND:VEVENT\\nEND:VCALENDAR\\n".format
>>> files = [read_calendar(text.encode()) for text in (event("Tide", ""), event("Ebb", ""), event("Tide", "Pier"))]
>>> merged = merge_calendars(*files)
>>> merged.summary()
{'same': 0, 'from_left': 0, 'from_right': 0, 'both': 1, 'conflicts': 0}
>>> [line for line in merged.texts[0].split("\\n") if line.startswith(("SUMMARY", "LOCATION"))]
['SUMMARY:Ebb', 'LOCATION:Pier']
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from datebridge.core.errors import CannotDo
from datebridge.core.index.derive import digest_of
from datebridge.core.merging.objects import Change, FieldConflict, ObjectState, merge_objects
from datebridge.core.text.component import Component
from datebridge.core.text.reader import Reader
from datebridge.core.text.source import open_bytes
from datebridge.core.text.writer import tzids_in, write_calendar
from datebridge.core.zones.meaning import Zones

_BEGINS = re.compile(rb"\A(?:\xef\xbb\xbf)?\s*BEGIN:VCALENDAR", re.IGNORECASE)
_ENDS = re.compile(rb"END:VCALENDAR[\s\0\x1a]*\Z", re.IGNORECASE)
#: Which object: the kind and the UID of its entries; what has no UID is known by what it says.
ObjectKey = tuple[str, str]
_NAMES: dict[Change, str] = {"same": "same", "left": "from_left", "right": "from_right", "both": "both"}


class NotWhole(CannotDo):
    """A file is no calendar, or ends in the middle of one: what is missing in it may not have been deleted."""

    code, title = "not-whole", "This file cannot be merged"


@dataclass(frozen=True, slots=True)
class CalendarState:
    """A calendar as one side has it: its header, its zones, and its objects in their order."""

    header: str
    zones: Zones
    objects: dict[ObjectKey, list[str]]

    def state(self, key: ObjectKey) -> ObjectState:
        """One of its objects; without entries where it has none of that name."""
        return ObjectState(tuple(self.objects.get(key, ())), self.zones)


def read_calendar(data: bytes, name: str = "This file") -> CalendarState:
    """Read a file. What cannot be understood in it is kept with its entry.

    Raises:
        NotWhole: if it is no calendar, or not all of one.
    """
    if not _BEGINS.search(data):
        raise NotWhole(f"{name} is not an iCalendar file: it does not start with BEGIN:VCALENDAR.")
    if not _ENDS.search(data):
        raise NotWhole(
            f"{name} does not end with END:VCALENDAR: what is cut off would be taken for deleted. Fetch it again."
        )
    header, zones = "BEGIN:VCALENDAR\nEND:VCALENDAR", Zones()
    objects: dict[ObjectKey, list[str]] = {}
    for component in Reader(open_bytes(data)):
        if component.name == "VCALENDAR":
            header = component.text
        elif component.name == "VTIMEZONE":
            zones.add(_value(component.text, "TZID"), component.text)
        else:
            uid = _value(component.text, "UID") or digest_of(component.text).hex()
            objects.setdefault((component.name, uid), []).append(component.text)
    return CalendarState(header, zones, objects)


def _value(text: str, name: str) -> str:
    line = Component(text).first(name)
    return line.value if line is not None else ""


@dataclass(slots=True)
class MergedCalendar:
    """What comes of three calendars.

    Attributes:
        conflicts: each with the UID of its object.
        changes: how many entries were changed by whom.
    """

    header: str
    zones: list[str]
    texts: list[str] = field(default_factory=list)
    conflicts: list[tuple[str, FieldConflict]] = field(default_factory=list)
    changes: Counter[Change] = field(default_factory=Counter)

    def summary(self) -> dict[str, int]:
        """Entries by who changed them, and how many fields are in conflict."""
        return {name: self.changes[change] for change, name in _NAMES.items()} | {"conflicts": len(self.conflicts)}

    def write(self) -> Iterator[bytes]:
        """The calendar as a file, in pieces."""
        return write_calendar(self.header, self.zones, self.texts)


def merge_calendars(base: CalendarState, left: CalendarState, right: CalendarState) -> MergedCalendar:
    """Put together what two sides made of one calendar: in the left one's order, then what only others have."""
    sides = base, left, right
    merged = MergedCalendar(left.header, [])
    for key in dict.fromkeys([*left.objects, *right.objects, *base.objects]):
        one = merge_objects(*(side.state(key) for side in sides))
        merged.texts += one.texts
        merged.conflicts += [(key[1], conflict) for conflict in one.conflicts]
        merged.changes.update(one.changes.values())
    merged.zones = _definitions(merged.texts, (left, right, base))
    return merged


def _definitions(texts: Sequence[str], sides: Sequence[CalendarState]) -> list[str]:
    """The zones that entries use, each as the first side that has it defines it."""
    used = set[str]().union(*map(tzids_in, texts))
    defined: dict[str, str] = {}
    for side in sides:
        for tzid, text in side.zones.items():
            if tzid in used:
                defined.setdefault(tzid, text)
    return list(defined.values())
