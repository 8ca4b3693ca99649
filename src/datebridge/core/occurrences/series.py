"""Questions to one series: what is in a window, what comes next, where it ends, how often it happens.

>>> text = "BEGIN:VEVENT\\nUID:1\\nDTSTART:20261123T090000Z\\nRRULE:FREQ=WEEKLY;COUNT=3\\nEND:VEVENT"
>>> series = Series([t for t in [timed(derive("VEVENT", text))] if t])
>>> series.count(), series.last().slot == series.first().slot + 14 * 86400
(3, True)
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.moments import Clock
from datebridge.core.occurrences.expanding import (
    Bounds,
    Clocks,
    Occurrence,
    Timed,
    clock_of,
    occurrences,
    slot_of,
    timed,
)
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.recurrence.starts import DAY

__all__ = ["Series", "derive", "timed"]

#: Four centuries: after as many the calendar comes again, so what has not happened by then will not.
_FAR = 146_097 * DAY


class Series:
    """The entries of one UID: a master with its overrides, or one that is alone."""

    def __init__(self, entries: Sequence[Timed], shown: Clock = "UTC", clocks: Clocks | None = None) -> None:
        """`shown` is the clock that questions and answers go by."""
        self._entries = entries
        self._shown = shown
        self._clocks = clocks

    def between(self, low: int, high: int) -> list[Occurrence]:
        """What overlaps [low, high) in shown time, in order."""
        happening = occurrences(self._entries, low, high, self._shown, self._clocks)
        return sorted(happening, key=lambda o: (o.shown_start, o.slot))

    def next(self, after: int) -> Occurrence | None:
        """The first that begins after a moment."""
        span = 32 * DAY
        low = after + 1
        while low <= after + _FAR:
            occurrence = next((o for o in self.between(low, low + span) if o.shown_start >= low), None)
            if occurrence or (self._end is not None and low > self._end):
                return occurrence
            low, span = low + span, span * 2
        return None

    def first(self) -> Occurrence | None:
        """The first of all."""
        return self.next(self._begin)

    def last(self) -> Occurrence | None:
        """The last of all; None also for a series without end."""
        if self._end is None or not self._entries:
            return None
        begin = self._begin
        high, span = self._end + 2 * DAY, 4 * 3600  # so short that even a time every second is found whole
        while high > begin:
            happening = self.between(high - span, high)
            if happening:
                return happening[-1]
            high, span = high - span, span * 2
        return None

    def is_endless(self) -> bool:
        """Whether one of its rules never ends."""
        return any(e.marks & Mark.ENDLESS for e in self._entries)

    def count(self) -> int | None:
        """How often it happens; None for a series without end, or with more times than are listed one by one."""
        if self._end is None:
            return None
        bounds = Bounds()
        happening = occurrences(
            self._entries, self._begin, self._end + 2 * DAY, self._shown, self._clocks, bounds=bounds
        )
        number = sum(1 for _ in happening)
        return None if bounds.cut else number

    @property
    def _begin(self) -> int:
        """When nothing has begun yet: an extra date can lie before the start."""
        starts = [e.start_wall for e in self._entries]
        starts += [first for e in self._entries if (first := pattern(e.recurrence).first_extra) is not None]
        return min(starts, default=0) - 2 * DAY - self._shift(min, 0)

    def _shift(self, furthest: Callable[[int, int], int], none: int) -> int:
        """How far changes for all that follow move what comes after them, at the most."""
        shift = none
        for entry in self._entries:
            slot = slot_of(entry.recurrence_id, clock_of(entry, self._clocks)) if entry.marks & Mark.FUTURE else None
            if slot is not None:
                shift = furthest(shift, entry.start_wall - slot)
        return abs(shift)

    @property
    def _end(self) -> int | None:
        """When the last has ended, at the latest; None where there is no end."""
        if self.is_endless():
            return None
        ends = [e.end_wall if e.until_wall is None else e.until_wall for e in self._entries]
        longest = max((e.end_wall - e.start_wall for e in self._entries), default=0)
        return max(ends, default=0) + self._shift(max, 0) + (longest if self._shift(max, 0) else 0)
