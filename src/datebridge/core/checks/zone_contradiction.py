"""A zone name that says one thing, and its definition another (`core.zones.meaning`)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, Found
from datebridge.core.index.derive import Reading
from datebridge.core.moments import from_wall_seconds
from datebridge.core.zones.evidence import understand

#: So many years after the first that differs are looked at.
_AHEAD = 10


def find(entry: Reading) -> Iterator[Found]:
    for meaning in entry.placing.meanings_used():
        if meaning.clock == "" or meaning.contradiction is None:
            continue
        named, defined = entry.placing.zones.readings(meaning.tzid, meaning.contradiction)
        when = from_wall_seconds(meaning.contradiction).isoformat(" ", "minutes")
        done = "Its own definition counts." if meaning.defined else "The name counts, as the zone database has it."
        year = from_wall_seconds(meaning.contradiction).year
        first, last = entry.placing.years or (year, year)
        told = understand(meaning.tzid, entry.placing.zones.clock(meaning.tzid), first, min(last, year + _AHEAD))
        said = (
            f"“{meaning.tzid[:60]}” {told.contradicts}: {named} by its name, {defined} by its definition"
            f" (from {when} UTC on)."
        )
        yield Found(said, done, "DTSTART")


CHECK = Check(
    "zone-contradiction",
    "alters",
    "A zone name and its definition that differ",
    find,
    revision=2,
    why="Systems that go by the name and those that go by the definition show different hours.",
)
