"""Entries joined as wholes: a series with its exception dates and changed occurrences, and when it all happens.

>>> stays = "BEGIN:VEVENT\\nUID:a\\nSUMMARY:Watch\\nDTSTART:20261201T080000Z\\nRRULE:FREQ=DAILY;COUNT=3\\nEND:VEVENT"
>>> goes = stays.replace("UID:a", "UID:b\\nEXDATE:20261203T080000Z")
>>> late = "UID:b\\nRECURRENCE-ID:20261202T080000Z\\nSUMMARY:Late\\nDTSTART:20261202T090000Z"
>>> changed = f"BEGIN:VEVENT\\n{late}\\nEND:VEVENT"
>>> made = join_wholes(Whole(stays), [Whole(goes, (changed,))])
>>> made.fresh[0].split("\\n")[1:4]
['UID:a', 'RECURRENCE-ID:20261202T080000Z', 'SUMMARY:Late']
>>> made.more, made.fewer
(('2026-12-03 08:00',), ())
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import islice

from datebridge.core.editing.times import value_of
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.matching.joining import Joined, join, shortened
from datebridge.core.moments import Clock, Moment, from_wall_seconds, instant_at, wall_at
from datebridge.core.occurrences.expanding import clock_of, occurrences, slot_of, timed
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.text.component import Component, ComponentEditor
from datebridge.core.zones.meaning import NO_ZONES, Zones

_DAY = 86_400
#: How many times of a whole are compared; one without end is looked at so far beyond all dates that are said.
MOST_TIMES, _AHEAD = 2_000, 2 * 366 * _DAY
_ENDS = ("DTEND", "DURATION", "DUE")
_NOTHING = "BEGIN:VEVENT\nEND:VEVENT"


@dataclass(frozen=True)
class Whole:
    """An entry by its text, with those of its changed occurrences, and what its calendar defines."""

    text: str
    parts: tuple[str, ...] = ()
    zones: Zones = NO_ZONES

    def facts_of(self, text: str) -> Facts:
        """What a text of it says."""
        return self.facts if text == self.text else derive(Component(text).kind, text, self.zones)

    @cached_property
    def facts(self) -> Facts:
        """What its own text says."""
        return derive(Component(self.text).kind, self.text, self.zones)

    @cached_property
    def clock(self) -> Clock | None:
        """What its times go by; None where they go by no clock."""
        own = timed(self.facts)
        return clock_of(own, lambda _, tzid: self.zones.clock(tzid)) if own is not None else None

    @cached_property
    def by_slot(self) -> dict[str, int]:
        """Which of its parts changes which occurrence."""
        return {self.facts_of(text).recurrence_id: n for n, text in enumerate(self.parts)}

    def has_slot(self, key: str) -> bool:
        """Whether its rules put an occurrence at a place that an override names."""
        slot = slot_of(key, self.clock)
        start = self.facts.start_wall
        return slot is not None and start is not None and pattern(self.facts.recurrence).has(start, slot)

    def moment(self, key: str) -> Moment:
        """A slot as a moment on its own clock, spelt as its start is."""
        slot = slot_of(key, self.clock) or 0
        wall = from_wall_seconds(slot)
        if self.facts.marks & Mark.ALL_DAY:
            return Moment(wall, True)
        return Moment(wall, False, self.facts.tzid, (self.clock or "") if self.facts.tzid else "")

    def named(self, key: str) -> str:
        """A slot on its own clock, to be read."""
        wall = self.moment(key).wall
        return wall.date().isoformat() if self.facts.marks & Mark.ALL_DAY else wall.isoformat(" ", "minutes")

    def shown(self, instant: int) -> str:
        """A time on its own clock, to be read."""
        wall = from_wall_seconds(instant if self.clock is None else wall_at(instant, self.clock))
        return wall.date().isoformat() if self.facts.marks & Mark.ALL_DAY else wall.isoformat(" ", "minutes")

    def last_instant(self) -> int:
        """The last instant, or wall time, that it names; its end, if it has one."""
        own = self.facts
        pattern_of_rule = pattern(own.recurrence)
        walls = [own.start_wall or 0, own.until_wall or 0, *pattern_of_rule.extra, *pattern_of_rule.gone[-1:]]
        return max([*walls, *(self.facts_of(text).end_wall or 0 for text in self.parts)])

    def times(self, high: int) -> list[int]:
        """When it happens before a time, in order, MOST_TIMES and one at most."""
        if not self.parts and not self.facts.marks & Mark.SERIES:
            return [self.facts.start] if self.facts.start is not None else []
        entries = [one for text in (self.text, *self.parts) if (one := timed(self.facts_of(text))) is not None]
        if not entries:
            return []
        low = min(entry.start_wall for entry in entries) - 2 * _DAY
        happening = occurrences(entries, low, high, "UTC", lambda _, tzid: self.zones.clock(tzid))
        return sorted({occurrence.start for occurrence in islice(happening, 4 * MOST_TIMES)})[: MOST_TIMES + 1]

    @property
    def range(self) -> tuple[int, int]:
        """From its first slot to its last, or to the end of time."""
        first, until = self.facts.start_wall or 0, self.facts.until_wall
        if self.clock is not None:
            first, until = instant_at(first, self.clock), until and instant_at(until, self.clock)
        return first, until if until is not None else 1 << 62


@dataclass(slots=True)
class JoinedWhole:
    """What becomes of the entry that stays.

    Attributes:
        joined: its text with what it takes over; its `lost` is all that is lost.
        parts: its changed occurrences, in order, with what they take over.
        fresh: changed occurrences that it takes over.
        more: when it happens and one of the others does not; fewer: when only others do.
        cut: whether that was looked at for a part of its times only.
    """

    joined: Joined
    parts: tuple[str, ...]
    fresh: tuple[str, ...] = ()
    more: tuple[str, ...] = ()
    fewer: tuple[str, ...] = ()
    cut: bool = False

    @property
    def texts(self) -> tuple[str, ...]:
        """Its text, and those of its changed occurrences in order."""
        return self.joined.text, *self.parts


def join_wholes(stays: Whole, others: Sequence[Whole], write: bool = True, shifted: bool = False) -> JoinedWhole:
    """Take over from others, which are the same, what one does not say; say what is lost, and what happens otherwise.

    Args:
        write: whether it is writable; where not, all that differs is lost.
        shifted: whether all of their times differ, so that only what they say is compared.
    """
    made = join(stays.text, [other.text for other in others], write)
    joining = _Joining(stays, write, dict.fromkeys(made.taken), dict.fromkeys(made.lost), list(stays.parts))
    for other in others:
        joining.take_parts(other)
        joining.ends(other)
        if not shifted:
            joining.compare(other, whole=True)
    return joining.result(made.text)


def join_contained(stays: Whole, others: Sequence[Whole], write: bool = True) -> JoinedWhole:
    """What becomes of a series that contains the others: single entries at its times, or series cut out of it.

    Changed occurrences of what was cut out are taken over; what a single entry says and its occurrence does not is
    lost, and so is what a series cut out says.
    """
    joining = _Joining(stays, write, {}, {}, list(stays.parts))
    starts = {stays.facts_of(text).start: text for text in stays.parts}
    for other in others:
        own = other.facts
        changed = starts.get(own.start, stays.parts[stays.by_slot[key]] if (key := _key(own)) in stays.by_slot else "")
        when = "" if own.marks & Mark.SERIES else f"{other.shown(own.start)} · " if own.start is not None else ""
        lost = set(join(changed, [other.text], write=False).lost) if changed else None
        for line in join(stays.text, [other.text], write=False).lost:
            if lost is None or line in lost:
                joining.lost[when + line] = None
        joining.take_parts(other)
        if own.marks & Mark.SERIES:
            joining.compare(other, whole=False)
    return joining.result(stays.text)


def _key(facts: Facts) -> str:
    """The key an override of what is at its start would have."""
    if facts.start is None:
        return ""
    wall = from_wall_seconds(facts.start)
    if facts.marks & Mark.ALL_DAY:
        return f"{wall:%Y%m%d}"
    return f"{wall:%Y%m%dT%H%M%S}" + ("" if facts.marks & Mark.FLOATING else "Z")


@dataclass(slots=True)
class _Joining:
    stays: Whole
    write: bool
    taken: dict[str, None]
    lost: dict[str, None]
    parts: list[str]
    fresh: dict[str, str] = field(default_factory=dict)
    more: set[int] = field(default_factory=set)
    fewer: set[int] = field(default_factory=set)
    cut: bool = False

    def take_parts(self, other: Whole) -> None:
        """Changed occurrences: united where both change one, else taken over where it has that occurrence."""
        for key, n in other.by_slot.items():
            text = other.parts[n]
            own = self.stays.by_slot.get(key)
            when = f"{self.stays.named(key)} · "
            if own is not None:
                made = join(self.parts[own], [text], self.write)
                self.parts[own] = made.text
                self._noted(when, made)
                self._ends(when, self.parts[own], text)
            elif key in self.fresh:
                made = join(self.fresh[key], [text])
                self.fresh[key] = made.text
                self._noted(when, made)
                self._ends(when, made.text, text)
            elif self.write and self.stays.has_slot(key) and self._can_say(other, text):
                self.fresh[key] = self._renamed(text, key)
                self.taken["RECURRENCE-ID"] = None
            else:
                self._noted(when, join(_NOTHING, [text], write=False))

    def _noted(self, when: str, made: Joined) -> None:
        self.taken |= dict.fromkeys(made.taken)
        self.lost |= dict.fromkeys(when + line for line in made.lost)

    def _can_say(self, other: Whole, text: str) -> bool:
        """Whether a changed occurrence means the same in the calendar of the one that stays, and is one alone."""
        for _, line in Component(text).properties():
            if line.param("RANGE"):
                return False
            tzid = line.param("TZID")
            if tzid and self.stays.zones.clock(tzid) != other.zones.clock(tzid):
                return False
        return True

    def _renamed(self, text: str, key: str) -> str:
        lines = ComponentEditor(text)
        lines.set("UID", self.stays.facts.uid)
        lines.set("RECURRENCE-ID", *value_of(self.stays.moment(key)))
        return lines.text

    def ends(self, other: Whole) -> None:
        """When the other ends, where that is another length."""
        self._ends("", self.stays.text, other.text)

    def _ends(self, when: str, own: str, other: str) -> None:
        first, second = self.stays.facts_of(own), self.stays.facts_of(other)
        lengths = [(f.end_wall or 0) - (f.start_wall or 0) for f in (first, second)]
        if lengths[0] != lengths[1]:
            for _, line in Component(other).properties():
                if line.name in _ENDS:
                    self.lost[when + shortened(f"{line.name}:{line.value}")] = None

    def compare(self, other: Whole, whole: bool) -> None:
        """When one happens and the other does not; of what was cut out, only between its first and last slot."""
        high = max(self.stays.last_instant(), other.last_instant()) + _AHEAD
        grown = Whole(self.stays.text, (*self.parts, *self.fresh.values()), self.stays.zones)
        mine, theirs = grown.times(high), other.times(high)
        bound = min((times[MOST_TIMES] for times in (mine, theirs) if len(times) > MOST_TIMES), default=None)
        self.cut |= bound is not None
        first, last = (-1 << 62, 1 << 62) if whole else other.range
        last = last if bound is None else min(last, bound - 1)
        self.more |= {one for one in mine if first <= one <= last} - set(theirs)
        self.fewer |= {at for at in theirs if at <= last} - set(mine)

    def result(self, text: str) -> JoinedWhole:
        shown = self.stays.shown
        more, fewer = (tuple(map(shown, sorted(times))) for times in (self.more, self.fewer))
        joined = Joined(text, tuple(self.taken), tuple(self.lost))
        return JoinedWhole(joined, tuple(self.parts), tuple(self.fresh.values()), more, fewer, self.cut)
