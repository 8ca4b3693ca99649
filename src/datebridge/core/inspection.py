"""Looking into a file without storing anything: what is inside, and everything that is wrong with it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, BinaryIO

from datebridge.core.census import Census
from datebridge.core.events import derive
from datebridge.core.ics.reader import RawComponent, Reader
from datebridge.core.problems import Problem
from datebridge.core.summary import Summary
from datebridge.core.zones.names import resolve


@dataclass(slots=True)
class Inspection:
    """What is in a file. `components` are kept only where they were asked for."""

    octets: int = 0
    encoding: str = ""
    calendars: int = 0
    summary: Summary = field(default_factory=Summary)
    problems: list[Problem] = field(default_factory=list)
    components: list[RawComponent] = field(default_factory=list)

    def as_dict(self, path: str) -> dict[str, Any]:
        """The shape of ``date-bridge inspect --json``."""
        counts = self.summary.as_dict()
        names = ("events", "series", "overrides", "todos", "journals", "first", "last", "zones")
        return {
            "path": path,
            "bytes": self.octets,
            "calendars": self.calendars,
            **{name: counts[name] for name in names},
            "problems": [
                {"line": p.line, "severity": p.severity, "code": p.code, "message": p.message, "uid": p.uid}
                for p in self.problems
            ],
        }


def undefined_zones(used: dict[str, int], defined: set[str]) -> list[Problem]:
    """A problem for each zone name that entries use and the file does not define (RFC 5545 §3.6.5)."""
    found = []
    for tzid, count in used.items():
        if tzid != "UTC" and tzid not in defined:
            zone = resolve(tzid).zone
            entries = "1 entry uses" if count == 1 else f"{count:,} entries use"
            done = f"Taken as {zone}; a definition is added when the file is handed on." if zone else "Kept."
            found.append(Problem("no-zone-definition", f"{entries} “{tzid}”, which the file does not define.", done))
    return found


def inspect(source: BinaryIO, keep: bool = False) -> Inspection:
    """Read a file through. Never fails on what is inside."""
    reader = Reader(source)
    found = Inspection(encoding=reader.encoding)
    censuses: dict[int, Census[int]] = {}
    defined: set[str] = set()
    for number, component in enumerate(reader):
        facts = derive(component.name, component.text)
        found.problems += component.problems
        found.problems += [p.at(component.line_of(p.line), facts.uid) for p in facts.problems]
        found.summary.add(facts)
        if component.name == "VCALENDAR":
            found.calendars += 1
        elif component.name == "VTIMEZONE":
            defined.add(facts.uid)
        else:
            census = censuses.setdefault(component.calendar, Census())
            census.add(component.name, facts.uid, facts.recurrence_id, number, component.line)
        if keep:
            found.components.append(component)
    found.octets = reader.octets
    found.problems += reader.problems
    found.problems += [problem for census in censuses.values() for _, problem in census.problems()]
    found.problems += undefined_zones(found.summary.zones, defined)
    found.problems.sort(key=lambda p: p.line)
    return found
