"""Which occurrences overlap: one sweep over time, and which of its pairs count.

>>> [(a, b, long) for a, b, long in overlaps([(0, 60), (30, 90), (60, 70)])]
[(0, 1, 30), (1, 2, 10)]
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from heapq import heappop, heappush

from datebridge.core.happening.occurrences import Occurrence
from datebridge.core.happening.window import Window, spans_days
from datebridge.core.ids import CalendarId
from datebridge.core.moments import from_wall_seconds
from datebridge.core.recurrence.days import Steps
from datebridge.core.views.sheet import defuse

#: More pairs than this are not listed; the span or the layers are to be narrowed then.
MOST_PAIRS = 20_000
#: Pairs looked at before that; a thousand entries at one time make half a million.
_MOST_LOOKS = 5_000_000


def overlaps(
    spans: Sequence[tuple[int, int]], least: int = 1, steps: Steps | None = None
) -> Iterator[tuple[int, int, int]]:
    """Pairs of spans [start, end) that share `least` units at least, with how much, in order of the later start.

    The first of a pair begins first. What has no length overlaps nothing. The work grows as n log n and with the
    number of pairs; it ends early once the steps are spent.
    """
    order = sorted((start, -end, number) for number, (start, end) in enumerate(spans) if end - start >= least)
    running: list[tuple[int, int]] = []
    for start, negative, number in order:
        while running and running[0][0] < start + least:
            heappop(running)
        end = -negative
        if steps is not None and not steps.take(len(running) + 1):
            return
        for until, other in running:
            shared = min(until, end) - start
            if shared >= least:
                yield other, number, shared
        heappush(running, (end, number))


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


def overlapping(window: Window, asked: Asked) -> Overlaps:
    """The overlaps in a window, in order of time, MOST_PAIRS at most."""
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
