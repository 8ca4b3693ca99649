"""The zone names of files, with what they mean: ``date-bridge zones``."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping

from datebridge.core.matching.files import Stored
from datebridge.core.moments import from_wall_seconds
from datebridge.core.text.reader import RawComponent
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import NO_ZONES
from datebridge.core.zones.usage import Named, Use, named

#: Years in which an entry without end is in use, beyond its start, as far as zones go.
_AHEAD = 5


def zones_in(files: Mapping[str, Iterable[RawComponent]]) -> list[Named]:
    """The zone names of files, by calendar; "" for entries that are in no zone."""
    stored = Stored.read(files)
    used: defaultdict[tuple[int, str], list[tuple[int, int]]] = defaultdict(list)
    for item in stored.items:
        facts = stored.facts[item.key]
        if facts.start_wall is None:
            continue
        first = from_wall_seconds(facts.start_wall).year
        last = first + _AHEAD if facts.until_wall is None else from_wall_seconds(facts.until_wall).year
        for tzid in facts.tzids or (() if facts.all_day else ("",)):
            used[item.calendar, tzid].append((first, last))
    uses = []
    for (calendar, tzid), years in used.items():
        hint = resolve(stored.headers[calendar].zone) if calendar in stored.headers else resolve("")
        uses.append(
            Use(
                tzid,
                stored.names.get(calendar, ""),
                len(years),
                min(first for first, _ in years),
                max(last for _, last in years),
                stored.zones.get(calendar, NO_ZONES).text(tzid),
                hint.zone if hint.exact else "",
            )
        )
    return named(uses)
