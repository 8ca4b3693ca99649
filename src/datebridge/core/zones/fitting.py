"""A definition fitted against the zone database: which zones show the same times, from when to when, where they part.

>>> own = defined(define("Station", "America/Halifax", 2024, 2026))
>>> fit = fitted(own, 2025, 2026)
>>> fit.whole[0], fit.first, fit.last
('America/Halifax', 2025, 2026)

Zones are asked at the instants that matter: just before and at each change of the definition, and in between. Few are
left after the first of them, and those are compared with the definition change by change.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime, timedelta
from functools import cache, lru_cache
from itertools import pairwise
from typing import NamedTuple

from datebridge.core.tzids import links, listed, main_ones, suggested, zone_info
from datebridge.core.zones.defined import DefinedZone, define, defined
from datebridge.core.zones.meaning import differs

__all__ = ["Fit", "Stretch", "define", "defined", "fitted"]

#: How many years of a definition are fitted, counted from the last one in use.
MOST_YEARS = 40
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
#: The last one that has a next.
_LAST_YEAR = 9998
#: A definition that changes its clocks more often in a year is asked at no more of these instants.
_MOST_ASKED = 24


class Stretch(NamedTuple):
    """Zones that show the same times as a definition from one year to another, both included.

    `parts`: the instant at which the first of them parts from it after that; None where it does not.
    """

    zones: tuple[str, ...]
    first: int
    last: int
    parts: int | None = None


class Fit(NamedTuple):
    """What fits a definition in the years from `first` to `last`.

    Attributes:
        whole: the zones that fit in all of them, the likeliest first.
        parts: where none does: the longest stretches that some zone fits, in order; years no zone fits are in none.
    """

    first: int
    last: int
    whole: tuple[str, ...]
    parts: tuple[Stretch, ...] = ()


@lru_cache(maxsize=4096)
def fitted(own: DefinedZone, first: int, last: int) -> Fit:
    """Fit a definition in the years it is used. At most the last `MOST_YEARS` of them are looked at.

    Names that are out of use are not given.
    """
    last = min(last, _LAST_YEAR)
    first = max(min(first, last), last - MOST_YEARS + 1, 1900)
    stretches = tuple(_stretches(own, first, last))
    if len(stretches) == 1 and (stretches[0].first, stretches[0].last) == (first, last):
        return Fit(first, last, stretches[0].zones)
    return Fit(first, last, (), stretches)


def ranked(zones: Iterable[str], own: DefinedZone | None = None) -> tuple[str, ...]:
    """Zones that go alike, the likeliest first.

    That are those whose clocks are called as the definition calls them, then those that stand for a region in the alias
    table, as a whole before in part, and of these the ones that go by most other names, too.
    """
    names = own.names if own is not None else frozenset()

    def unlikely(zone: str) -> tuple[bool, bool, bool, int, str]:
        called = bool(names) and names <= _names_of(zone)
        return not called, zone not in suggested(), zone not in main_ones(), -_aliases()[zone], zone

    return tuple(sorted(zones, key=unlikely))


@cache
def _aliases() -> Counter[str]:
    return Counter(links().values())


@cache
def _names_of(zone: str) -> frozenset[str]:
    """What a zone's clocks are called in winter and summer now."""
    return frozenset(
        datetime(2025, month, 10, tzinfo=UTC).astimezone(zone_info(zone)).tzname() or "" for month in (1, 7)
    )


def _fits_in(own: DefinedZone, year: int, among: Iterable[str]) -> set[str]:
    """The zones of some that show the same in a year."""
    left = list(among)
    for instant in _instants(own, year):
        offset, moment = timedelta(seconds=own.offset_at(instant)), _EPOCH + timedelta(seconds=instant)
        left = [zone for zone in left if moment.astimezone(zone_info(zone)).utcoffset() == offset]
    return {zone for zone in left if differs(own, zone, year, year) is None}


@cache
def _alike() -> dict[str, tuple[str, ...]]:
    """The listed zones by the one they are links to; those that are none, by themselves."""
    alike: dict[str, list[str]] = {}
    for zone in sorted(listed()):
        alike.setdefault(links().get(zone, zone), []).append(zone)
    return {own: tuple(names) for own, names in alike.items()}


def _instants(own: DefinedZone, year: int) -> Iterator[int]:
    """The middle of each stretch of a year between changes of a definition, and just before and at each change."""
    begin = int((datetime(year, 1, 1, tzinfo=UTC) - _EPOCH).total_seconds())
    end = int((datetime(year + 1, 1, 1, tzinfo=UTC) - _EPOCH).total_seconds())
    begin = max(begin, own.instants[0])  # it says nothing of what was before its first change
    changes = own.instants[bisect_left(own.instants, begin) : bisect_left(own.instants, end)][:_MOST_ASKED]
    if begin < end:
        edges = [begin, *changes, end]
        yield from ((low + high) // 2 for low, high in pairwise(edges))
        yield from (one for change in changes for one in (change - 1, change) if one >= begin)


def _stretches(own: DefinedZone, first: int, last: int) -> Iterator[Stretch]:
    """The years cut into as few stretches as there can be, each with the zones that fit in all of it."""
    left: set[str] = set()
    begin = first
    for year in range(first, last + 1):
        further = _fits_in(own, year, left) if left else set()
        if left and not further:
            zones = _named(left, own)
            yield Stretch(zones, begin, year - 1, differs(own, zones[0], year, last))
        if not further:
            begin, further = year, _fits_in(own, year, _alike())
        left = further
    if left:
        yield Stretch(_named(left, own), begin, last)


def _named(zones: Iterable[str], own: DefinedZone) -> tuple[str, ...]:
    return ranked((name for zone in zones for name in _alike()[zone]), own)
