"""What an entry's rules, extra and left-out dates come to: the slots of its series.

>>> monday = 20_780 * DAY + 9 * 3600  # 2026-11-23 09:00
>>> pattern(f"FREQ=WEEKLY\\n+{monday + DAY}\\n-{monday + 7 * DAY}").slots(monday, monday, monday + 14 * DAY + 1)
[1795424400, 1795510800, 1796634000]

A *slot* is where the rules put an occurrence, in wall seconds of the series; an override may move what happens
there. Recurrence text has one thing a line, as `core.events` writes it:

- a rule, with UNTIL on the clock of the series;
- ``+wall`` or ``+wall/seconds``: an extra start, with a length of its own (RDATE, PERIOD);
- ``-wall`` a left-out start, ``!wall`` a whole left-out day (EXDATE as a date in a series with hours);
- ``~days:seconds``: the length is nominal, so a day is a day also when the clocks change (RFC 5545 §3.8.5.3).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from heapq import merge
from itertools import islice

from datebridge.core.recurrence.rules import Rule, parse_rule
from datebridge.core.recurrence.starts import DAY, starts

#: More slots than this in one window are not looked for: nothing but a mistake repeats so often.
MOST_SLOTS = 20_000


@dataclass(frozen=True, slots=True)
class Pattern:
    """Recurrence text taken apart. `extra` holds the length of a PERIOD, or None for that of the series."""

    rules: tuple[Rule, ...]
    extra: dict[int, int | None]
    gone: frozenset[int]
    gone_days: frozenset[int]
    nominal: tuple[int, int] | None
    longest_extra: int
    #: One rule and nothing beside it.
    plain: bool

    def slots(self, start: int, low: int, high: int) -> list[int]:
        """The slots in [low, high), in order, MOST_SLOTS at most. The start is always the first."""
        return list(islice(self.each(start, low, high), MOST_SLOTS))

    def each(self, start: int, low: int, high: int) -> Iterator[int]:
        """The same, one after the other, however many there are."""
        if self.plain and start < low < high:
            return starts(self.rules[0], start, low, high)
        return self._merged(start, low, high)

    def _merged(self, start: int, low: int, high: int) -> Iterator[int]:
        if high <= low:
            return
        found = [starts(rule, start, low, high) for rule in self.rules]
        ahead = sorted({moment for moment in (start, *self.extra) if low <= moment < high})
        last = None
        for moment in merge(ahead, *found) if ahead or len(found) > 1 else found[0] if found else ():
            if (
                moment != last
                and moment not in self.gone
                and (not self.gone_days or moment // DAY * DAY not in self.gone_days)
            ):
                yield moment
            last = moment


@lru_cache(maxsize=8192)
def pattern(text: str) -> Pattern:
    """Take recurrence text apart. A rule that cannot be read counts for nothing."""
    rules, extra, gone, days = [], {}, set(), set()
    nominal = None
    for line in text.split("\n") if text else ():
        mark, rest = line[:1], line[1:]
        if mark == "+":
            moment, _, length = rest.partition("/")
            extra[int(moment)] = int(length) if length else None
        elif mark == "-":
            gone.add(int(rest))
        elif mark == "!":
            days.add(int(rest))
        elif mark == "~":
            whole, _, seconds = rest.partition(":")
            nominal = int(whole), int(seconds)
        else:
            rules.append(parse_rule(line))
    plain = len(rules) == 1 and not (extra or gone or days)
    longest = max((long or 0 for long in extra.values()), default=0)
    return Pattern(tuple(rules), extra, frozenset(gone), frozenset(days), nominal, longest, plain)


def happens(recurrence: str, start_wall: int, low: int, high: int) -> bool:
    """Whether a series has a slot in [low, high), all in wall seconds; `recurrence` as in `pattern`."""
    return next(pattern(recurrence).each(start_wall, low, high), None) is not None
