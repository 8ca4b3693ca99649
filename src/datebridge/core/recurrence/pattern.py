"""What an entry's rules, extra and exception dates come to: the slots of its series.

>>> monday = 20_780 * DAY + 9 * 3600  # 2026-11-23 09:00
>>> pattern(f"FREQ=WEEKLY\\n+{monday + DAY}\\n-{monday + 7 * DAY}").slots(monday, monday, monday + 14 * DAY + 1)
[1795424400, 1795510800, 1796634000]

A *slot* is where the rules put an occurrence, in wall seconds of the series; an override may move what happens
there. Recurrence text has one thing a line, as `core.events` writes it:

- a rule, with UNTIL on the clock of the series;
- ``+wall`` or ``+wall/days:seconds``: an extra start, with a length of its own (RDATE, PERIOD);
- ``-wall`` a left-out start, ``!wall`` a whole left-out day (EXDATE as a date in a series with hours);
- ``@instant``: a left-out start that no wall time tells, in the second pass of an hour the clocks repeat;
- ``~days:seconds``: the length is nominal, so a day is a day also when the clocks change (RFC 5545 §3.8.5.3), or the
  end lies in an hour that comes twice; what happens once has it too then.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from heapq import merge
from itertools import islice

from datebridge.core.recurrence.rules import Rule, parse_rule
from datebridge.core.recurrence.starts import DAY, Steps, starts

#: More slots than this of one series in one window are not looked for: nothing but a mistake repeats so often.
MOST_SLOTS = 20_000
#: A length as days, which are nominal, and seconds, which are exact.
Length = tuple[int, int]
_SUB_DAILY = ("HOURLY", "MINUTELY", "SECONDLY")


@dataclass(frozen=True, slots=True)
class Pattern:
    """Recurrence text taken apart. `extra` holds the length of a PERIOD, or None for that of the series.

    Attributes:
        gone: left-out starts, in order; gone_days: left-out days; gone_instants: left-out instants.
        plain: one rule and nothing beside it.
        crowded: whether several slots can be so close that the clocks make one instant of them.
    """

    rules: tuple[Rule, ...]
    extra: dict[int, Length | None]
    gone: tuple[int, ...]
    gone_days: frozenset[int]
    gone_instants: frozenset[int]
    nominal: Length | None
    longest_extra: int
    plain: bool
    crowded: bool

    def slots(self, start: int, low: int, high: int) -> list[int]:
        """The slots in [low, high), in order, MOST_SLOTS at most. The start is always the first."""
        return list(islice(self.each(start, low, high), MOST_SLOTS))

    def has(self, start: int, slot: int) -> bool:
        """Whether there is a slot at that moment."""
        return next(self.each(start, slot, slot + 1), None) is not None

    def each(self, start: int, low: int, high: int, steps: Steps | None = None) -> Iterator[int]:
        """The same, one after the other, however many there are; fewer once the steps are spent."""
        if self.plain and start < low < high:
            return starts(self.rules[0], start, low, high, steps)
        return self._merged(start, low, high, steps or Steps())

    def left_out(self, low: int, high: int) -> tuple[int, ...]:
        """The left-out starts in [low, high)."""
        return self.gone[bisect_left(self.gone, low) : bisect_left(self.gone, high)]

    def _merged(self, start: int, low: int, high: int, steps: Steps) -> Iterator[int]:
        if high <= low:
            return
        sequences = [starts(rule, start, low, high, steps) for rule in self.rules]
        ahead = sorted({moment for moment in (start, *self.extra) if low <= moment < high})
        gone = set(self.left_out(low, high))
        last = None
        for moment in merge(ahead, *sequences) if ahead or len(sequences) > 1 else sequences[0] if sequences else ():
            if (
                moment != last
                and moment not in gone
                and (not self.gone_days or moment // DAY * DAY not in self.gone_days)
            ):
                yield moment
            elif not steps.take():
                return
            last = moment

    @property
    def first_extra(self) -> int | None:
        """The first of its extra dates, in seconds on its clock."""
        return min(self.extra, default=None)


@lru_cache(maxsize=16_384)
def pattern(text: str) -> Pattern:
    """Take recurrence text apart."""
    rules: dict[str, Rule] = {}
    extra: dict[int, Length | None] = {}
    gone, days, instants = set(), set(), set()
    nominal = None
    for line in text.split("\n") if text else ():
        mark, rest = line[:1], line[1:]
        if mark == "+":
            moment, _, length = rest.partition("/")
            extra[int(moment)] = _length(length) if length else None
        elif mark == "-":
            gone.add(int(rest))
        elif mark == "!":
            days.add(int(rest))
        elif mark == "@":
            instants.add(int(rest))
        elif mark == "~":
            nominal = _length(rest)
        elif line not in rules:
            rules[line] = parse_rule(line)
    plain = len(rules) == 1 and not (extra or gone or days)
    longest = max((long[0] * DAY + long[1] for long in extra.values() if long is not None), default=0)
    crowded = len(rules) > 1 or bool(extra) or any(r.freq in _SUB_DAILY or "BYMINUTE" in r.by for r in rules.values())
    return Pattern(
        tuple(rules.values()),
        extra,
        tuple(sorted(gone)),
        frozenset(days),
        frozenset(instants),
        nominal,
        longest,
        plain,
        crowded,
    )


def _length(text: str) -> Length:
    days, _, seconds = text.partition(":")
    return int(days), int(seconds)


def happens(recurrence: str, start_wall: int, low: int, high: int) -> bool:
    """Whether a series has a slot in [low, high), all in wall seconds; `recurrence` as in `pattern`."""
    return next(pattern(recurrence).each(start_wall, low, high), None) is not None
