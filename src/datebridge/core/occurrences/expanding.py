"""Occurrences: when entries really happen within a window, series, overrides and clock changes included.

What is asked and answered is *shown time*: wall seconds on the clock of whoever looks. Whole days and floating
times have no zone, so they are at their own wall time on every clock.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from datebridge.core.index.facts import Facts, Mark
from datebridge.core.moments import Clock, NotAMoment, instant_at, parse_moment, wall_at
from datebridge.core.recurrence.pattern import MOST_SLOTS, Length, pattern
from datebridge.core.recurrence.starts import DAY, Steps

#: What a series gets where a question has used up its bounds: enough for once a day in a year.
_FEW = 400
#: How many times of each series cost nothing.
_FREE = 1_000
#: How many slots are looked at for each that is found; others lie outside the window, or are left out.
_LOOKS = 5
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
        series: the entry whose rules put it there; 0 for what is alone, and for an override.
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
    """An entry as the engine takes it, or None if it has no time."""
    if facts.start_wall is None or facts.end_wall is None:
        return None
    return Timed(
        entry,
        calendar,
        facts.uid,
        facts.recurrence_id,
        facts.start_wall,
        facts.end_wall,
        facts.until_wall,
        facts.tzid,
        facts.zone,
        facts.marks,
        facts.recurrence,
    )


@dataclass(slots=True)
class Bounds:
    """How much one answer may hold, and the series of which, for that, not everything was found.

    A thousand times of each series are free, so that an answer grows with what there is and not with how often one
    thing happens. Once the rest is used up, each further series is still followed, but for no more than a time or so
    a day.
    """

    left: int = 100_000
    each: int = MOST_SLOTS
    cut: set[int] = field(default_factory=set)

    @classmethod
    def drawn(cls) -> Bounds:
        """For what is drawn: nobody can see more."""
        return cls(20_000, 5_000)


def occurrences(
    entries: Iterable[Timed],
    low: int,
    high: int,
    shown: Clock = "UTC",
    clocks: Clocks | None = None,
    overrides: Iterable[Timed] = (),
    bounds: Bounds | None = None,
) -> Iterator[Occurrence]:
    """What of the entries overlaps [low, high) in shown time, in no order.

    Args:
        entries: series, overrides and what is alone, of any number of calendars.
        shown: the clock that is asked; "" for each entry's own.
        clocks: finds the zone a calendar defines for a TZID; see `zones.defined`.
        overrides: more overrides of series among the entries, wherever they were moved.
        bounds: says afterwards whether and where a bound was reached.
    """
    masters, changed = [], defaultdict(list)
    window = _Window(low, high, shown, clocks, bounds or Bounds())
    for entry in entries:
        if entry.recurrence_id:
            changed[entry.calendar, entry.uid].append(entry)
        elif entry.marks & Mark.SERIES:
            masters.append(entry)
        else:
            yield from window.once(entry)
    override_ids = {entry.id for group in changed.values() for entry in group}
    for entry in overrides:
        if entry.id not in override_ids:
            changed[entry.calendar, entry.uid].append(entry)
    for master in masters:
        own = changed.get((master.calendar, master.uid), ()) if changed else ()
        yield from window.series(master, own)
    for group in changed.values():
        for entry in group:
            yield from window.once(entry)


def clock_of(entry: Timed, clocks: Clocks | None) -> Clock | None:
    """What an entry's times go by; None where they go by no clock, or by an unknown one."""
    if entry.marks & _NO_CLOCK:
        return None
    return entry.zone or (clocks(entry.calendar, entry.tzid) if clocks else None)


class _Window:
    """One question: what overlaps [low, high) as a clock shows it."""

    def __init__(self, low: int, high: int, shown: Clock, clocks: Clocks | None, bounds: Bounds) -> None:
        self.low, self.high, self.shown, self.clocks, self.bounds = low, high, shown, clocks, bounds
        self._spans: dict[Clock, tuple[int, int]] = {}

    def once(self, entry: Timed) -> Iterator[Occurrence]:
        """An entry that is alone."""
        start, end = entry.start_wall, entry.end_wall
        clock = clock_of(entry, self.clocks)
        at, until = start, end
        if clock is not None:
            start = instant_at(start, clock)
            if entry.recurrence and (length := pattern(entry.recurrence).nominal) is not None:
                end = max(start, instant_at(entry.start_wall + length[0] * DAY, clock)) + length[1]
            else:
                end = max(start, instant_at(end, clock))
            shown = self.shown or clock
            at, until = wall_at(start, shown), wall_at(end, shown)
        if at < self.high and (until > self.low or at >= self.low):
            yield Occurrence(entry.id, 0, entry.start_wall, start, end, at, until)

    def _span_on(self, clock: Clock) -> tuple[int, int]:
        """The window on another clock, somewhat wider: clocks may change within it, or skip a time."""
        span = self._spans.get(clock)
        if span is None:
            shown = self.shown or clock
            begin, end = instant_at(self.low, shown), instant_at(self.high, shown)
            moments = (begin - DAY, begin, end, end + DAY)
            spreads = [[wall_at(m, c) - m for m in moments] for c in (clock, shown)]
            slack = max(3 * 3600, *(max(offsets) - min(offsets) for offsets in spreads))
            if end - begin > 2 * DAY:
                slack = max(slack, DAY)  # the clocks may change in between, too
            span = self._spans[clock] = wall_at(begin, clock) - slack, wall_at(end, clock) + slack
        return span

    def series(self, master: Timed, overrides: Sequence[Timed]) -> Iterator[Occurrence]:  # noqa: C901 (one hot loop)
        """The occurrences its rules give a series, but for those an override stands for."""
        clock = clock_of(master, self.clocks)
        rules = pattern(master.recurrence)
        low, high = self.low, self.high
        most = self.bounds.each if self.bounds.left > 0 else _FEW
        steps = Steps(most * _LOOKS)
        first, last = self._span_on(clock) if clock is not None else (low, high)
        following, gone, gone_days = _NOTHING, _NO_SLOTS, _NO_SLOTS
        if overrides:
            following = _Following(overrides, clock, self.clocks)
            gone, gone_days = _slots_of(overrides, clock)
        begins = master.start_wall
        length = (0, master.end_wall - begins)
        if clock is not None:
            length = rules.nominal or (0, instant_at(master.end_wall, clock) - instant_at(begins, clock))
            if rules.gone or rules.gone_instants:  # what a zone skips or repeats is told apart by its instant only
                gone = gone | rules.gone_instants | {instant_at(w, clock) for w in rules.left_out(first - DAY, last)}
        reach = max(_seconds(length), following.reach, rules.longest_extra)
        shown = self.shown or clock or "UTC"
        seen: set[int] = set()
        latest: int | None = None
        number = looked = 0
        for slot in rules.each(begins, first - reach, last + following.back, steps):
            looked += 1
            if looked > most * _LOOKS:
                break
            start = slot if clock is None else instant_at(slot, clock)
            if start in gone or (gone_days and slot // DAY in gone_days):
                continue
            if start == latest or (rules.crowded and start in seen):
                continue  # two wall times the clocks skip can be one instant; a set has it once (§3.8.5.2)
            latest = start
            if rules.crowded:
                seen.add(start)
            entry, wall, long = master.id, slot, rules.extra.get(slot) if rules.extra else None
            if following:
                entry, wall, own = following.at(slot, entry)
                long = own or long
            days, seconds = long or length
            if clock is None:
                start = at = wall
                end = until = wall + days * DAY + seconds
            else:
                if wall != slot:
                    start = instant_at(wall, clock)
                end = max(start, instant_at(wall + days * DAY, clock) if days else start) + seconds
                at, until = wall_at(start, shown), wall_at(end, shown)
            if at < high and (until > low or at >= low):
                number += 1
                if number > most:
                    break
                yield Occurrence(entry, master.id, slot, start, end, at, until)
        self.bounds.left -= max(0, looked - _FREE)
        if number > most or looked > most * _LOOKS or steps.spent:
            self.bounds.cut.add(master.id)


def _seconds(length: Length) -> int:
    return length[0] * DAY + length[1]


def _slots_of(overrides: Sequence[Timed], clock: Clock | None) -> tuple[set[int], set[int]]:
    """The slots that overrides stand for, and the days of those that name a day alone.

    Slots are instants where there is a clock.
    """
    slots, days = set(), set()
    for entry in overrides:
        slot = slot_of(entry.recurrence_id, clock)
        if slot is None:
            continue
        if len(entry.recurrence_id) == 8:
            days.add(slot // DAY)
        elif clock is None:
            slots.add(slot)
        elif entry.recurrence_id.endswith("Z"):
            slots.add(parse_moment(entry.recurrence_id).wall_seconds)
        else:
            slots.add(instant_at(slot, clock))
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

    def __init__(self, overrides: Sequence[Timed], clock: Clock | None, clocks: Clocks | None = None) -> None:
        given = []
        for entry in overrides:
            slot = slot_of(entry.recurrence_id, clock) if entry.marks & Mark.FUTURE else None
            if slot is not None:
                start, end = entry.start_wall, entry.end_wall
                length = pattern(entry.recurrence).nominal
                own = clock_of(entry, clocks)
                if clock is not None and own is not None:
                    begun, ended = instant_at(start, own), instant_at(end, own)
                    start, long = wall_at(begun, clock), ended - begun
                else:
                    long = end - start
                given.append((slot, start - slot, length or (0, long), entry.id))
        self._found = sorted(given)
        self.reach = max((_seconds(long) + max(shift, 0) for _, shift, long, _ in given), default=0)
        self.back = max((max(-shift, 0) for _, shift, _, _ in given), default=0)

    def __bool__(self) -> bool:
        return bool(self._found)

    def at(self, slot: int, entry: int) -> tuple[int, int, Length | None]:
        """The entry, the wall time and the length of what happens in a slot."""
        place = bisect_right(self._found, (slot, 1 << 60))
        if not place:
            return entry, slot, None
        _, shift, long, override = self._found[place - 1]
        return override, slot + shift, long


_NOTHING = _Following((), None)
_NO_SLOTS: set[int] = set()
