"""The zone names in use, each with what it means: names with two definitions are told apart.

>>> text = define("Station", "America/Halifax", 2026, 2026)
>>> [one] = named([Use("Station", "a", 12, 2026, 2026, text), Use("Station", "b", 3, 2026, 2026, text)])
>>> one.entries, one.understood.zone, one.others
(15, 'America/Halifax', 0)
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from typing import NamedTuple

from datebridge.core.tzids import resolve
from datebridge.core.zones.defined import DefinedZone, define, defined
from datebridge.core.zones.evidence import Understood, understand
from datebridge.core.zones.meaning import differs

__all__ = ["Named", "Use", "define", "named"]


class Use(NamedTuple):
    """A TZID in one calendar.

    Attributes:
        calendar: whatever the caller knows it by.
        entries: how many use it. first, last: the years in which they happen.
        definition: the VTIMEZONE as written; "" where there is none.
        hint: the IANA zone the calendar says it goes by; "" where it says none.
        ruled: what somebody has decided; see `meaning.Zones`.
    """

    tzid: str
    calendar: Hashable
    entries: int
    first: int
    last: int
    definition: str = ""
    hint: str = ""
    ruled: str = ""


@dataclass(frozen=True, slots=True)
class Named:
    """A TZID with one meaning.

    Attributes:
        uses: by calendar, those with most entries first.
        others: how many other meanings the same name has elsewhere.
    """

    tzid: str
    understood: Understood
    uses: tuple[Use, ...]
    others: int = 0

    @property
    def entries(self) -> int:
        """How many use it."""
        return sum(use.entries for use in self.uses)

    @property
    def own(self) -> DefinedZone | None:
        """Its definition."""
        definition = next((use.definition for use in self.uses if use.definition), "")
        return defined(definition) if definition else None


def named(uses: Iterable[Use]) -> list[Named]:
    """The names with their meanings: what is unknown first, then what contradicts itself, then the others by use."""
    uses = list(uses)
    alike: defaultdict[tuple[object, ...], list[Use]] = defaultdict(list)
    for use in uses:
        alike[use.tzid, _meaning(use), use.ruled].append(use)
    many = Counter(tzid for tzid, *_ in alike)
    hints, near = _hints(uses), _neighbours(uses)
    usages = []
    for (tzid, *_), some in alike.items():
        some.sort(key=lambda use: -use.entries)
        definition = next((use.definition for use in some if use.definition), "")
        own = defined(definition) if definition else None
        named_hints = [use.hint for use in some if use.hint]
        own_hints = tuple(dict.fromkeys(named_hints or [zone for use in some for zone in near[use.calendar]]))
        first, last = min(use.first for use in some), max(use.last for use in some)
        every = tuple(dict.fromkeys([*own_hints, *hints])) if own else own_hints
        understood = understand(str(tzid), own, first, last, every, some[0].ruled)
        usages.append(Named(str(tzid), understood, tuple(some), many[tzid] - 1))
    return sorted(usages, key=_order)


def _meaning(use: Use) -> object:
    """What tells a meaning of a name from another: how its definition goes, where that says more than the name."""
    own = defined(use.definition) if use.definition else None
    name = resolve(use.tzid)
    if own is None or (name.exact and differs(own, name.zone, use.first, use.last) is None):
        return None
    return own.shown


def _neighbours(uses: Iterable[Use]) -> defaultdict[Hashable, list[str]]:
    """The zones that other names of a calendar mean, those with most entries first."""
    counted: defaultdict[Hashable, Counter[str]] = defaultdict(Counter)
    for use in uses:
        zone = resolve(use.tzid).zone
        if zone and (not use.definition or resolve(use.tzid).method == "path"):
            counted[use.calendar][zone] += use.entries
    return defaultdict(list, {calendar: [zone for zone, _ in own.most_common(3)] for calendar, own in counted.items()})


def _hints(uses: Iterable[Use]) -> list[str]:
    """The zones most entries are in by plain names: of several that go alike, one of them is likelier."""
    counted: Counter[str] = Counter()
    for use in uses:
        zone = resolve(use.tzid)
        if zone.exact and not use.definition:
            counted[zone.zone] += use.entries
    return [zone for zone, _ in counted.most_common(12)]


def _order(one: Named) -> tuple[int, int, str]:
    meaning = one.understood
    waits = meaning.method != "ruling"
    rank = 0 if not meaning.zone and not meaning.own_counts and waits else 1 if meaning.contradicts and waits else 2
    return rank, -one.entries, one.tzid
