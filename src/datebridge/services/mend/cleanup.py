"""What is seldom wanted, by the standards that are kept; and what shows only of calendars as wholes."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from dataclasses import asdict
from typing import NamedTuple

from pydantic import TypeAdapter, ValidationError

from datebridge.clock import this_day
from datebridge.core.cleanup_filters import Standards
from datebridge.core.ids import CalendarId
from datebridge.core.text.headers import description_of
from datebridge.core.text.lines import unescape_text
from datebridge.core.text.properties import KNOWN
from datebridge.store.calendars import headers
from datebridge.store.database import Connection
from datebridge.store.entries.alike import Alike, alike, sizes
from datebridge.store.entries.details import texts_with_unknown
from datebridge.store.entries.ledger import Ledger
from datebridge.store.preferences import keep, kept

_KIND, _NAME = "checks", "standards"
#: How many entries with unknown properties are looked through; beyond, it is said that there are more.
MOST_LOOKED_THROUGH = 20_000
#: Two calendars are copies of one from this share of common UIDs on.
_COPIES = 0.8


def standards(connection: Connection) -> Standards:
    """What the checks go by: as it was said, or usual values for this year."""
    year = this_day().year
    usual = Standards(older=f"{year - 2}-01-01", last=f"{year + 2}-12-31")
    kept_value = dict(kept(connection, _KIND)).get(_NAME)
    if kept_value is None:
        return usual
    try:
        return TypeAdapter(Standards).validate_python(kept_value)
    except ValidationError:  # a later version's
        return usual


def keep_standards(connection: Connection, wanted: Standards) -> None:
    """Have the checks go by other standards."""
    keep(connection, _KIND, _NAME, asdict(wanted))


class Lacking(NamedTuple):
    """A calendar, and what it does not say of itself."""

    calendar: CalendarId
    lacks: list[str]


class Copies(NamedTuple):
    """Two calendars that look like one: how many UIDs are in both, and how many the smaller one has."""

    left: CalendarId
    right: CalendarId
    same: int
    of: int


def lacking(connection: Connection) -> list[Lacking]:
    """Calendars that do not say their name, colour or zone."""
    pairs = []
    for number, header in headers(connection).items():
        says = description_of(header)
        stated = {"name": says.name, "colour": says.own_colour, "zone": says.zone}
        lacks = [what for what, value in stated.items() if not value]
        if lacks:
            pairs.append(Lacking(number, lacks))
    return pairs


def copies(connection: Connection) -> list[Copies]:
    """Calendars that are two copies of one, by their UIDs."""
    many = sizes(connection)

    def of(pair: Alike) -> int:
        return min(many.get(pair.left, 0), many.get(pair.right, 0))

    pairs = [pair for pair in alike(connection, most=40) if of(pair) and pair.uids >= _COPIES * of(pair)]
    return [Copies(pair.left, pair.right, pair.uids, of(pair)) for pair in pairs]


def spellings(ledger: Ledger) -> list[list[tuple[str, int]]]:
    """Categories that differ in letters large and small, spaces or strokes only, with their counts, the first most."""
    groups: defaultdict[str, list[tuple[str, int]]] = defaultdict(list)
    for value, number in ledger.facets("category"):
        groups[re.sub(r"[\W_]+", "", value).casefold()].append((value, number))
    return sorted(
        (sorted(group, key=lambda one: -one[1]) for group in groups.values() if len(group) > 1),
        key=lambda group: -sum(number for _, number in group),
    )


class Unknown(NamedTuple):
    """A property no standard knows: how many entries have it, and one of its values."""

    name: str
    entries: int
    sample: str


def unknown_properties(connection: Connection) -> tuple[list[Unknown], bool]:
    """Non-standard properties, the most frequent first; and whether there are more entries than were looked at."""
    counts: Counter[str] = Counter()
    samples: dict[str, str] = {}
    looked = 0
    for text in texts_with_unknown(connection, MOST_LOOKED_THROUGH + 1):
        looked += 1
        if looked > MOST_LOOKED_THROUGH:
            break
        own = set()
        for raw in text.split("\n"):
            name = re.split("[;:]", raw, maxsplit=1)[0].upper()
            if name not in KNOWN and name not in ("BEGIN", "END") and name not in own and ":" in raw:
                own.add(name)
                samples.setdefault(name, unescape_text(raw.partition(":")[2])[:80])
        counts.update(own)
    return [Unknown(name, number, samples[name]) for name, number in counts.most_common(60)], (
        looked > MOST_LOOKED_THROUGH
    )
