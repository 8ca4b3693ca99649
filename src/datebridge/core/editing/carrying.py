"""Zone names carried from one calendar into another: with their definitions, and under another name where one is taken.

>>> hobart = define("Partner time", "Australia/Hobart", 2026, 2026)
>>> own = Zones([("Partner time", define("Partner time", "America/Halifax", 2026, 2026))])
>>> carrying = Carrying(own, Zones([("Partner time", hobart)]))
>>> text = "BEGIN:VEVENT\\nDTSTART;TZID=Partner time:20261124T090000\\nEND:VEVENT"
>>> carrying.carried(text).split("\\n")[1]
'DTSTART;TZID=Australia/Sydney:20261124T090000'
"""

from __future__ import annotations

from dataclasses import dataclass, field

from datebridge.core.text.component import ComponentEditor, parsed
from datebridge.core.text.writer import tzids_in
from datebridge.core.tzids import resolve
from datebridge.core.zones.fitting import fitted
from datebridge.core.zones.meaning import Zones, define

__all__ = ["Carrying", "define"]

#: Years over which a zone has to go as a definition does, so that its name can stand for it.
_YEARS = (1990, 2035)


@dataclass(slots=True)
class Carrying:
    """Takes entries from calendars into one.

    Attributes:
        own: what that calendar defines.
        theirs: what the calendar defines that entries come from.
        wanted: the definitions that have to go along, by TZID.
    """

    own: Zones
    theirs: Zones
    wanted: dict[str, str] = field(default_factory=dict)
    _names: dict[str, str] = field(default_factory=dict)

    @property
    def there(self) -> Zones:
        """What the calendar will define."""
        return Zones([*self.own.items(), *self.wanted.items()], self.own.rulings)

    def carried(self, text: str) -> str:
        """An entry as it goes into the calendar: its times mean there what they meant where it was."""
        for tzid in tzids_in(text):
            name = self._names.get(tzid) or self._named(tzid)
            if name != tzid:
                text = _renamed(text, tzid, name)
        return text

    def _named(self, tzid: str) -> str:
        name = tzid
        definition = self.theirs.text(tzid)
        mine, its = self.own.clock(tzid), self.theirs.clock(tzid)
        taken = mine is not None and its is not None and mine.shown != its.shown
        if tzid not in self.own and definition:
            self.wanted.setdefault(tzid, definition)
        elif taken and its is not None and not resolve(tzid).exact:
            name = next(iter(fitted(its, *_YEARS).whole), "") or self._fresh(tzid)
            if not resolve(name).exact:
                self.wanted.setdefault(name, _renamed(definition, tzid, name))
        self._names[tzid] = name
        return name

    def _fresh(self, tzid: str) -> str:
        number = 2
        while f"{tzid} {number}" in self.own or f"{tzid} {number}" in self.wanted:
            number += 1
        return f"{tzid} {number}"


def _renamed(text: str, tzid: str, name: str) -> str:
    """A text in which a zone goes by another name."""
    lines = ComponentEditor(text)
    for index, raw in enumerate(lines.lines):
        line = parsed(raw) if "TZID" in raw.upper() else None
        if line is None:
            continue
        if line.name == "TZID" and line.value == tzid:
            lines.change(index, name)
        elif line.param("TZID") == tzid:
            lines.change(index, line.value, {"TZID": name})
    return lines.text
