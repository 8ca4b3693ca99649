"""A zone name that says one thing, and its definition another (`core.zones.meaning`)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.moments import from_wall_seconds
from datebridge.core.zones.evidence import understand

#: How many years after the first that differs are looked at.
_AHEAD = 10


def find(entry: Reading) -> Iterator[CheckFinding]:
    for meaning in entry.placing.meanings_used():
        if meaning.clock == "" or meaning.contradiction is None:
            continue
        named, defined = entry.placing.zones.readings(meaning.tzid, meaning.contradiction)
        when = from_wall_seconds(meaning.contradiction).isoformat(" ", "minutes")
        done = "Its own definition counts." if meaning.defined else "The name counts, as the zone database has it."
        year = from_wall_seconds(meaning.contradiction).year
        first, last = entry.placing.years or (year, year)
        told = understand(meaning.tzid, entry.placing.zones.clock(meaning.tzid), first, min(last, year + _AHEAD))
        text = (
            f"“{meaning.tzid[:60]}” {told.contradicts}: {named} by its name, {defined} by its definition"
            f" (from {when} UTC on)."
        )
        yield CheckFinding(text, done, "DTSTART")


CHECK = Check(
    "zone-contradiction",
    "alters",
    "Zone name and definition differ",
    find,
    revision=2,
    why="Some systems use the name, others the definition, and show different hours.",
)
