"""A zone name that says one thing, and its definition another (`core.zones.meaning`)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, Found
from datebridge.core.index.derive import Reading
from datebridge.core.moments import from_wall_seconds


def find(entry: Reading) -> Iterator[Found]:
    for meaning in entry.placing.meanings_used():
        if meaning.clock == "" or meaning.contradiction is None:
            continue
        named, defined = entry.placing.zones.readings(meaning.tzid, meaning.contradiction)
        when = from_wall_seconds(meaning.contradiction).isoformat(" ", "minutes")
        done = "Its own definition counts." if meaning.defined else "The name counts, as the zone database has it."
        said = f"“{meaning.tzid[:60]}” is {named} by its name, {defined} by its definition (from {when} UTC on)."
        yield Found(said, done, "DTSTART")


CHECK = Check(
    "zone-contradiction",
    "alters",
    "A zone name and its definition that differ",
    find,
    why="Systems that go by the name and those that go by the definition show different hours.",
)
