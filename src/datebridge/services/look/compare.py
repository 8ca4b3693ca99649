"""Layers compared in time: what overlaps, and the same days on two sides."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from datebridge.core.happening.occurrences import Occurrence
from datebridge.core.ids import CalendarId
from datebridge.core.moments import from_wall_seconds
from datebridge.core.recurrence.days import Steps
from datebridge.core.views.mirror import Pair, Side, pair
from datebridge.core.views.overlaps import overlaps
from datebridge.core.views.sheet import defuse
from datebridge.services.look.views import spans_days
from datebridge.store.entries.occurrences import Happenings, Window

#: More pairs than this are not listed; the span or the layers are to be narrowed then.
MOST_PAIRS = 20_000
#: Pairs looked at before that; a thousand entries at one time make half a million.
_MOST_LOOKS = 5_000_000


@dataclass(frozen=True, slots=True)
class Asked:
    """What counts as an overlap.

    Attributes:
        blocking: only what blocks time; else everything that is not cancelled.
        whole_days: whether whole days count.
        least: how many seconds must be shared.
        travel: whether the way there counts as part of an entry that says how long it takes.
        about: only pairs of which one has this in its title, or is in a calendar `named` so; "" for all.
    """

    blocking: bool = True
    whole_days: bool = True
    least: int = 60
    travel: bool = True
    about: str = ""
    named: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class Overlap:
    """Two occurrences that share so many seconds; `first` begins first. `from_travel`: only on the way there."""

    first: Occurrence
    second: Occurrence
    shared: int
    from_travel: bool


@dataclass(frozen=True, slots=True)
class Overlaps:
    """What was found; `twins` counts pairs left out because both are the same entry in two calendars."""

    window: Window
    found: list[Overlap]
    twins: int
    capped: bool


def overlapping(
    happenings: Happenings, low: int, high: int, zone: str, calendars: Iterable[int], asked: Asked
) -> Overlaps:
    """The overlaps in [low, high) on the clock of `zone`, in order of time, MOST_PAIRS at most."""
    window = happenings.window(low, high, zone, calendars)
    entries = window.entries
    chosen = [
        one
        for one in window.occurrences
        if (entries[one.entry].blocks if asked.blocking else not entries[one.entry].cancelled)
        and (asked.whole_days or not spans_days(one, entries[one.entry]))
    ]
    spans = [(one.shown_start - (entries[one.entry].travel if asked.travel else 0), one.shown_end) for one in chosen]
    about = asked.about.strip().lower()
    found: list[Overlap] = []
    twins = 0
    steps = Steps(_MOST_LOOKS)
    for a, b, shared in overlaps(spans, max(asked.least, 1), steps):
        first, second = chosen[a], chosen[b]
        one, other = entries[first.entry], entries[second.entry]
        if about and not any(about in e.title.lower() or e.calendar in asked.named for e in (one, other)):
            continue
        if one.uid == other.uid and one.calendar != other.calendar and first.start == second.start:
            twins += 1
            continue
        if len(found) == MOST_PAIRS:
            return Overlaps(window, found, twins, True)
        apart = min(first.shown_end, second.shown_end) <= max(first.shown_start, second.shown_start)
        found.append(Overlap(first, second, shared, apart))
    return Overlaps(window, found, twins, steps.spent)


def as_sheet(found: Overlaps, names: Mapping[CalendarId, str]) -> Iterator[bytes]:
    """The overlaps as CSV, one row each, both parties side by side."""
    out = io.StringIO()
    writer = csv.writer(out)
    party = ("calendar", "title", "start", "end", "place", "uid")
    writer.writerow([*(f"first_{name}" for name in party), *(f"second_{name}" for name in party), "minutes_shared"])
    for one in found.found:
        cells = [cell for occurrence in (one.first, one.second) for cell in _party(found.window, occurrence, names)]
        writer.writerow([*map(defuse, cells), one.shared // 60])
    yield b"\xef\xbb\xbf" + out.getvalue().encode("utf-8", "replace")


def _party(window: Window, one: Occurrence, names: Mapping[CalendarId, str]) -> list[str]:
    entry = window.entries[one.entry]
    start, end = from_wall_seconds(one.shown_start), from_wall_seconds(one.shown_end)
    name = names.get(CalendarId(entry.calendar), "")
    return [name, entry.title, start.isoformat(" ")[:16], end.isoformat(" ")[:16], entry.place, entry.uid]


@dataclass(frozen=True, slots=True)
class Mirror:
    """Two sides of the same days, and how what happens on them belongs together."""

    left: Window
    right: Window
    pairs: list[Pair]


def mirror(happenings: Happenings, low: int, high: int, zone: str, left: Iterable[int], right: Iterable[int]) -> Mirror:
    """Compare two sets of calendars over [low, high) on the clock of `zone`."""
    sides = [happenings.window(low, high, zone, calendars) for calendars in (left, right)]
    return Mirror(sides[0], sides[1], pair(*(_side(window) for window in sides)))


def _side(window: Window) -> list[Side]:
    sides = []
    for number, one in enumerate(window.occurrences):
        entry = window.entries[one.entry]
        whole = spans_days(one, entry)
        key = window.key(one)
        title = f"{entry.title} (cancelled)" if entry.cancelled else entry.title
        sides.append(Side(number, key, title, one.shown_start, one.shown_end, whole, entry.place))
    return sides
