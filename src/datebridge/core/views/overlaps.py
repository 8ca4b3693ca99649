"""Which occurrences overlap: one sweep over time, and which of its pairs count.

>>> [(a, b, long) for a, b, long in overlaps([(0, 60), (30, 90), (60, 70)])]
[(0, 1, 30), (1, 2, 10)]
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from heapq import heappop, heappush

from datebridge.core.editing.fields import person_of
from datebridge.core.ids import CalendarId
from datebridge.core.moments import from_wall_seconds
from datebridge.core.occurrences.expanding import Occurrence
from datebridge.core.occurrences.window import ShownEntry, Window, spans_days
from datebridge.core.recurrence.days import Steps
from datebridge.core.text.component import ComponentEditor
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
class OverlapQuery:
    """What counts as an overlap.

    Attributes:
        blocking: only what blocks time; else everything that is not cancelled.
        whole_days: whether whole days count.
        least: how many seconds must be shared.
        travel: whether the way there counts as part of an entry that says how long it takes.
        about: only pairs of which one has this in its title, or is in a calendar `named` so; "" for all.
        shared: only what takes the time of the same person, or the same place.
        people: of one name or address only what both take of this person; of two, what takes the first person's time
            and what takes the second's. A calendar called so is theirs too.
    """

    blocking: bool = True
    whole_days: bool = True
    least: int = 60
    travel: bool = True
    about: str = ""
    named: frozenset[int] = frozenset()
    shared: bool = False
    people: tuple[str, ...] = ()


#: Who has an entry in the calendar: address and name, in small letters.
People = frozenset[tuple[str, str]]


def people_in(text: str) -> People:
    """The organiser and the attendees of a component, but for those who declined (RFC 5545 §3.2.12)."""
    lines = ComponentEditor(text)
    named = [person_of(line) for name in ("ORGANIZER", "ATTENDEE") for _, line in lines.own(name)]
    return frozenset(
        (person.address.lower(), person.name.strip().lower())
        for person in named
        if person.answer != "DECLINED" and person.address
    )


@dataclass(frozen=True, slots=True)
class _Taken:
    """Whose time an entry takes, and which place."""

    people: People
    place: str
    calendar: int
    owner: str

    def with_the_same(self, other: _Taken) -> bool:
        """Whether both take the time of one person or one place; what names neither takes its calendar's time."""
        if self.place and self.place == other.place:
            return True
        if {address for address, _ in self.people} & {address for address, _ in other.people}:
            return True
        unsaid = not (self.people or self.place) or not (other.people or other.place)
        return unsaid and self.calendar == other.calendar

    def of(self, person: str) -> bool:
        return person in self.owner or any(person in address or person in name for address, name in self.people)


def _nobody(entries: Iterable[int]) -> Mapping[int, People]:
    return {}


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
    window: Window,
    asked: OverlapQuery,
    people: Callable[[Iterable[int]], Mapping[int, People]] = _nobody,
    owners: Mapping[int, str] | None = None,
) -> Overlaps:
    """The overlaps in a window, in order of time, MOST_PAIRS at most.

    Args:
        people: tells for entries that have attendees who they are; asked only where that counts.
        owners: what the calendars are called, since many are called after whose they are.
    """
    entries = window.entries
    chosen = [
        occurrence
        for occurrence in window.occurrences
        if (entries[occurrence.entry].blocks if asked.blocking else not entries[occurrence.entry].cancelled)
        and (asked.whole_days or not spans_days(occurrence, entries[occurrence.entry]))
    ]
    spans = [(one.shown_start - (entries[one.entry].travel if asked.travel else 0), one.shown_end) for one in chosen]
    about = asked.about.strip().lower()
    wanted = tuple(person.strip().lower() for person in asked.people if person.strip())
    by_whom = asked.shared or wanted
    people_of = people({one.entry for one in chosen}) if by_whom else {}
    taken = (
        {one.entry: _taken(one.entry, entries[one.entry], people_of, owners or {}) for one in chosen} if by_whom else {}
    )
    pairs: list[Overlap] = []
    twins = 0
    steps = Steps(_MOST_LOOKS)
    for a, b, shared in overlaps(spans, max(asked.least, 1), steps):
        first, second = chosen[a], chosen[b]
        one, other = entries[first.entry], entries[second.entry]
        if about and not any(about in e.title.lower() or e.calendar in asked.named for e in (one, other)):
            continue
        if asked.shared and not taken[first.entry].with_the_same(taken[second.entry]):
            continue
        if wanted and not _of(wanted, taken[first.entry], taken[second.entry]):
            continue
        if one.uid == other.uid and one.calendar != other.calendar and first.start == second.start:
            twins += 1
            continue
        if len(pairs) == MOST_PAIRS:
            return Overlaps(window, pairs, twins, True)
        apart = min(first.shown_end, second.shown_end) <= max(first.shown_start, second.shown_start)
        pairs.append(Overlap(first, second, shared, apart))
    return Overlaps(window, pairs, twins, steps.spent)


def _taken(number: int, entry: ShownEntry, people_of: Mapping[int, People], owners: Mapping[int, str]) -> _Taken:
    place = " ".join(entry.place.lower().split())
    return _Taken(people_of.get(number, frozenset()), place, entry.calendar, owners.get(entry.calendar, "").lower())


def _of(wanted: tuple[str, ...], one: _Taken, other: _Taken) -> bool:
    """Whether a pair is one person's twice, or the first one's and the second one's."""
    first, last = wanted[0], wanted[-1]
    return (one.of(first) and other.of(last)) or (one.of(last) and other.of(first))


def as_sheet(listed: Overlaps, names: Mapping[CalendarId, str]) -> Iterator[bytes]:
    """The overlaps as CSV, one row each, both parties side by side."""
    out = io.StringIO()
    writer = csv.writer(out)
    party = ("calendar", "title", "start", "end", "place", "uid")
    writer.writerow([*(f"first_{name}" for name in party), *(f"second_{name}" for name in party), "minutes_shared"])
    for overlap in listed.found:
        cells = [
            cell for occurrence in (overlap.first, overlap.second) for cell in _party(listed.window, occurrence, names)
        ]
        writer.writerow([*map(defuse, cells), overlap.shared // 60])
    yield b"\xef\xbb\xbf" + out.getvalue().encode("utf-8", "replace")


def _party(window: Window, occurrence: Occurrence, names: Mapping[CalendarId, str]) -> list[str]:
    entry = window.entries[occurrence.entry]
    start, end = from_wall_seconds(occurrence.shown_start), from_wall_seconds(occurrence.shown_end)
    name = names.get(CalendarId(entry.calendar), "")
    return [name, entry.title, start.isoformat(" ")[:16], end.isoformat(" ")[:16], entry.place, entry.uid]
