"""Looking into a file without storing anything: what is inside, and everything that is wrong with it."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import BinaryIO

from datebridge.core.checks import examine, severity_of
from datebridge.core.checks.census import Census
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts
from datebridge.core.index.summary import Summary
from datebridge.core.problems import Problem
from datebridge.core.text.reader import RawComponent, Reader
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import NO_ZONES, Zones

_DTSTAMP = re.compile(r"^DTSTAMP[;:]", re.MULTILINE | re.IGNORECASE)
#: Of so many zone names in one entry the line is looked for; of more, the entry's own line will do.
_LOOKED_FOR = 10


@dataclass(slots=True)
class Inspection:
    """What is in a file. `components` and what they define are kept only where they were asked for."""

    size: int = 0
    encoding: str = ""
    calendars: int = 0
    summary: Summary = field(default_factory=Summary)
    problems: list[Problem] = field(default_factory=list)
    components: list[RawComponent] = field(default_factory=list)
    zones: dict[int, Zones] = field(default_factory=dict)

    def recurrences(self) -> Callable[[int], str]:
        """Tells of a line of the file in which changed occurrence it stands, as `Moment.key`; "" for all else.

        Only where components were kept.
        """
        entries = sorted(
            (component for component in self.components if component.name != "VCALENDAR"), key=lambda one: one.line
        )
        lines = [entry.line for entry in entries]

        def at(line: int) -> str:
            place = bisect_right(lines, line) - 1
            if place < 0 or "RECURRENCE-ID" not in entries[place].text:
                return ""
            one = entries[place]
            return derive(one.name, one.text, self.zones.get(one.calendar, NO_ZONES)).recurrence_id

        return at

    def as_dict(self, path: str) -> dict[str, object]:
        """The shape of ``date-bridge inspect --json``."""
        counts = self.summary.as_dict()
        names = ("events", "series", "overrides", "todos", "journals", "first", "last", "zones")
        return {
            "path": path,
            "bytes": self.size,
            "calendars": self.calendars,
            **{name: counts[name] for name in names},
            "problems": [
                {"line": p.line, "severity": severity_of(p.code), "code": p.code, "message": p.message, "uid": p.uid}
                for p in self.problems
            ],
        }


def undefined_zones(used: dict[str, int], defined: set[str], line_of: Callable[[str], int]) -> list[Problem]:
    """A problem for each zone name that entries use and the file does not define (RFC 5545 §3.6.5).

    Args:
        used: how many entries use a name.
        line_of: the line at which a name is first used.
    """
    undefined = []
    for tzid, count in used.items():
        if tzid != "UTC" and tzid not in defined:
            zone = resolve(tzid).zone
            entries = "1 entry uses" if count == 1 else f"{count:,} entries use"
            done = f"Taken as {zone}; a definition is added when the file is exported." if zone else "Kept."
            message = f"{entries} “{tzid[:80]}”, which the file does not define."
            undefined.append(Problem("no-zone-definition", message, done, line_of(tzid)))
    return undefined


def needs_definition(facts: Facts) -> bool:
    """Whether a definition that comes later in the file could make other facts of an entry."""
    return bool(facts.tzids) and not all(tzid == "UTC" or resolve(tzid).exact for tzid in facts.tzids)


class _Gathering:
    """The reading of one file: facts as they come, and once more where a definition came after what it defines."""

    def __init__(self, keep: bool) -> None:
        self.found = Inspection()
        self.keep = keep
        self.censuses: dict[int, Census[int]] = {}
        self.lines: dict[str, int] = {}
        self.waiting: list[RawComponent] = []

    def take(self, component: RawComponent) -> None:
        inspection = self.found
        inspection.problems += component.problems
        zones = inspection.zones.setdefault(component.calendar, Zones())
        facts = examine(component.name, component.text, zones)
        if component.name == "VTIMEZONE":
            zones.add(facts.uid, component.text)
        elif component.name == "VCALENDAR":
            inspection.calendars += 1
        elif needs_definition(facts) and not all(tzid in zones for tzid in facts.tzids):
            self.waiting.append(component)  # its definition may still come
            if self.keep:
                inspection.components.append(component)
            return
        self._count(component, facts)
        if self.keep:
            inspection.components.append(component)

    def _count(self, component: RawComponent, facts: Facts) -> None:
        inspection = self.found
        inspection.problems += [p.at(component.line_of(p.line), facts.uid) for p in facts.problems]
        inspection.summary.add(facts)
        if component.name in ("VCALENDAR", "VTIMEZONE"):
            return
        if not _DTSTAMP.search(component.text):
            message = "There is no DTSTAMP, which the standard demands."
            inspection.problems.append(Problem("no-dtstamp", message, "Kept as it is.", component.line, uid=facts.uid))
        for number, tzid in enumerate(facts.tzids):
            if tzid not in self.lines or component.line < self.lines[tzid]:
                place = _first_use(component.text, tzid) if number < _LOOKED_FOR else 0
                self.lines[tzid] = component.line_of(place)
        census = self.censuses.setdefault(component.calendar, Census())
        census.add(component.name, facts.uid, facts.recurrence_id, component.line, component.line)

    def conclude(self, reader: Reader) -> Inspection:
        inspection = self.found
        for component in self.waiting:
            self._count(component, examine(component.name, component.text, inspection.zones[component.calendar]))
        inspection.encoding = reader.encoding
        inspection.size = reader.size
        inspection.problems += reader.problems
        inspection.problems += [problem for census in self.censuses.values() for _, problem in census.problems()]
        defined = {tzid for zones in inspection.zones.values() for tzid in zones}
        inspection.problems += undefined_zones(inspection.summary.zones, defined, lambda tzid: self.lines.get(tzid, 1))
        inspection.problems.sort(key=lambda p: p.line)
        return inspection


def _first_use(text: str, tzid: str) -> int:
    at = text.find(f"TZID={tzid}")
    at = text.find(f'TZID="{tzid}') if at < 0 else at
    return text.count("\n", 0, max(at, 0))


def inspect(source: BinaryIO, keep: bool = False) -> Inspection:
    """Read a file through. Never fails on what is inside."""
    reader = Reader(source)
    gathering = _Gathering(keep)
    for component in reader:
        gathering.take(component)
    return gathering.conclude(reader)
