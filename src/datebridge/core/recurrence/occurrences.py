"""Occurrences: when entries really happen within a window, series, overrides and clock changes included.

What is asked and answered is *shown time*: wall seconds on the clock of whoever looks. Whole days and floating
times have no zone, so they stand at their own wall time on every clock.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import NamedTuple

from datebridge.core.facts import Facts, Mark
from datebridge.core.moments import Clock, NotAMoment, instant_at, parse_moment, wall_at
from datebridge.core.recurrence.pattern import MOST_SLOTS, pattern
from datebridge.core.recurrence.starts import DAY

#: How far a moment can be from where another clock shows it.
_SLACK = DAY
_NO_CLOCK = Mark.ALL_DAY | Mark.FLOATING
#: Finds the zone a calendar defines under a TZID.
Clocks = Callable[[int, str], "Clock | None"]


class Timed(NamedTuple):
    """What the engine needs to know of an entry; times and marks as in `Facts`."""

    id: int
    calendar: int
    uid: str
    recurrence_id: str
    start_wall: int
    end_wall: int
    until_wall: int | None
    tzid: str
    zone: str
    marks: int
    recurrence: str


class Occurrence(NamedTuple):
    """Something that happens once.

    Attributes:
        entry: whose title, place and so on it has.
        series: the entry whose rules put it there; 0 for what stands alone, and for an override.
        slot: where the rules put it, in wall seconds of the series; an override's or lone entry's own start.
        start, end: instants; wall seconds for whole days and floating times. The end is exclusive.
        shown_start, shown_end: the same on the clock that was asked.
    """

    entry: int
    series: int
    slot: int
    start: int
    end: int
    shown_start: int
    shown_end: int

    def within(self, low: int, high: int) -> bool:
        """Whether it overlaps [low, high) on the clock asked; what has no length counts where it stands."""
        return self.shown_start < high and (self.shown_end > low or self.shown_start >= low)


def timed(facts: Facts, entry: int = 0, calendar: int = 0) -> Timed | None:
    """An entry as the engine takes it, or None if it stands at no time."""
    if facts.start_wall is None or facts.end_wall is None:
        return None
    return Timed(
        entry, calendar, facts.uid, facts.recurrence_id, facts.start_wall, facts.end_wall, facts.until_wall,
        facts.tzid, facts.zone, facts.marks, facts.recurrence,
    )  # fmt: skip


def occurrences(
    entries: Iterable[Timed], low: int, high: int, shown: Clock = "UTC",
    clocks: Clocks | None = None, overrides: Iterable[Timed] = (),
) -> Iterator[Occurrence]:  # fmt: skip
    """What of the entries overlaps [low, high) in shown time, in no order.

    Args:
        entries: series, overrides and what stands alone, of any number of calendars.
        clocks: finds the zone a calendar defines for a TZID; see `zones.defined`.
        overrides: more overrides of series among the entries, wherever they were moved.
    """
    masters, changed = [], defaultdict(list)
    for entry in entries:
        if entry.recurrence_id:
            changed[entry.calendar, entry.uid].append(entry)
        elif entry.marks & Mark.SERIES:
            masters.append(entry)
        else:
            yield from _once(entry, low, high, shown, clock_of(entry, clocks))
    known = {entry.id for group in changed.values() for entry in group}
    for entry in overrides:
        if entry.id not in known:
            changed[entry.calendar, entry.uid].append(entry)
    for master in masters:
        own = changed.get((master.calendar, master.uid), ()) if changed else ()
        yield from _series(master, own, low, high, shown, clocks)
    for group in changed.values():
        for entry in group:
            yield from _once(entry, low, high, shown, clock_of(entry, clocks))


def clock_of(entry: Timed, clocks: Clocks | None) -> Clock | None:
    """What an entry's times go by; None where they go by no clock, or by one nobody knows."""
    if entry.marks & _NO_CLOCK:
        return None
    return entry.zone or (clocks(entry.calendar, entry.tzid) if clocks else None)


def _once(entry: Timed, low: int, high: int, shown: Clock, clock: Clock | None) -> Iterator[Occurrence]:
    start, end = entry.start_wall, entry.end_wall
    if clock is not None:
        start = instant_at(start, clock)
        end = max(start, instant_at(end, clock))
        at, until = wall_at(start, shown), wall_at(end, shown)
    else:
        at, until = start, end
    if at < high and (until > low or at >= low):
        yield Occurrence(entry.id, 0, entry.start_wall, start, end, at, until)


def _series(
    master: Timed, overrides: Sequence[Timed], low: int, high: int, shown: Clock, clocks: Clocks | None
) -> Iterator[Occurrence]:
    clock = clock_of(master, clocks)
    rules = pattern(master.recurrence)
    begins, following, gone, gone_days = master.start_wall, _NOTHING, _NO_SLOTS, _NO_SLOTS
    if overrides:
        following = _Following(overrides, clock)
        gone, gone_days = _slots_of(overrides, clock)
    length = master.end_wall - begins
    if clock is not None and rules.nominal is None:
        length = instant_at(master.end_wall, clock) - instant_at(begins, clock)
    slack = _SLACK if clock is not None else 0
    reach = max(length, following.reach, rules.longest_extra)
    found = rules.each(begins, low - reach - slack, high + slack + following.back)
    last: int | None = None
    for number, slot in enumerate(found):
        if number == MOST_SLOTS:
            return
        if slot in gone or (gone_days and slot // DAY in gone_days):
            continue
        entry, wall, long = master.id, slot, rules.extra.get(slot) if rules.extra else None
        if following:
            entry, wall, own = following.at(slot, entry)
            long = own if own is not None else long
        if clock is None:
            start = at = wall
            end = until = wall + (length if long is None else long)
        else:
            start = instant_at(wall, clock)
            end = start + length if long is None else start + long
            if rules.nominal is not None and long is None:
                end = instant_at(wall + rules.nominal[0] * DAY, clock) + rules.nominal[1]
            at, until = wall_at(start, shown), wall_at(end, shown)
        if start == last:  # two wall times the clocks skip can be one instant; a set has it once (§3.8.5.2)
            continue
        last = start
        if at < high and (until > low or at >= low):
            yield Occurrence(entry, master.id, slot, start, end, at, until)


def _slots_of(overrides: Sequence[Timed], clock: Clock | None) -> tuple[set[int], set[int]]:
    """The slots that overrides stand for, and the days of those that name a day alone."""
    slots, days = set(), set()
    for entry in overrides:
        slot = slot_of(entry.recurrence_id, clock)
        if slot is not None:
            slots.add(slot)
            if len(entry.recurrence_id) == 8:
                days.add(slot // DAY)
    return slots, days


def slot_of(recurrence_id: str, clock: Clock | None) -> int | None:
    """The slot a key of `Moment.key` means on the clock of its series; None if it is no moment."""
    try:
        moment = parse_moment(recurrence_id)
    except NotAMoment:
        return None
    if moment.zone == "UTC" and clock is not None:
        return wall_at(moment.wall_seconds, clock)
    return moment.wall_seconds


class _Following:
    """Overrides for this occurrence and all that follow (RANGE=THISANDFUTURE, RFC 5545 §3.2.13).

    What comes after is moved by as much as the override is moved, and is as long as it.
    """

    def __init__(self, overrides: Sequence[Timed], clock: Clock | None) -> None:
        found = []
        for entry in overrides:
            slot = slot_of(entry.recurrence_id, clock) if entry.marks & Mark.FUTURE else None
            if slot is not None:
                start, end = entry.start_wall, entry.end_wall
                if clock is not None and entry.zone:
                    begun, ended = instant_at(start, entry.zone), instant_at(end, entry.zone)
                    start, long = wall_at(begun, clock), ended - begun
                else:
                    long = end - start
                found.append((slot, start - slot, long, entry.id))
        self._found = sorted(found)
        self.reach = max((long + max(shift, 0) for _, shift, long, _ in found), default=0)
        self.back = max((-shift for _, shift, _, _ in found), default=0)

    def __bool__(self) -> bool:
        return bool(self._found)

    def at(self, slot: int, entry: int) -> tuple[int, int, int | None]:
        """The entry, the wall time and the length of what happens in a slot."""
        place = bisect_right(self._found, (slot, 1 << 60))
        if not place:
            return entry, slot, None
        _, shift, long, override = self._found[place - 1]
        return override, slot + shift, long


_NOTHING = _Following((), None)
_NO_SLOTS: set[int] = set()
