"""Single entries that are one series: the shortest honest rule that reproduces them, refused where it would be a guess.

>>> monday = 20_780 * DAY + 9 * 3600  # 2026-11-23 09:00
>>> singles = [Single(n, monday + n * 7 * DAY, 3600, ("Watch",)) for n in range(8) if n != 4]
>>> [found] = infer(singles)
>>> found.phrase.rule, found.moved, round(found.confidence, 2)
('FREQ=WEEKLY;BYDAY=MO;COUNT=8', (), 0.82)

Entries with one title, on one clock, at one hour and of one length are tried against the plain rules their days could
go by. What stands near a time that is left out is that one, moved. Nothing is proposed for few entries, nor where so
much is left out that the days could be chance.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Hashable, Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Generic, NamedTuple, TypeVar

from datebridge.core.recurrence.starts import DAY, weekday_of
from datebridge.core.series.phrasing import Phrase, candidates, phrase

Key = TypeVar("Key", bound=Hashable)
Key_co = TypeVar("Key_co", bound=Hashable, covariant=True)
#: How many times a rule must give at least; by month or year, where chance gives fewer, one less.
LEAST = 5
#: It must give this part of what it says, explained gaps not counted; and so few may be beside it.
_PART, _BESIDE = 0.7, 0.25
#: A single this far from a left-out time may be that one, moved.
_NEAR = 3 * DAY
#: Of entries with one title so many are looked at together.
_MOST = 5_000


class Single(NamedTuple, Generic[Key_co]):
    """An entry that happens once.

    Attributes:
        start: in wall seconds on its clock. length: in seconds.
        alike: what all of a series share: title, clock, whether it is made of days, calendar and so on.
    """

    key: Key_co
    start: int
    length: int
    alike: tuple[Hashable, ...]
    days: bool = False


@dataclass(frozen=True, slots=True)
class Inferred(Generic[Key]):
    """Singles that are one series.

    Attributes:
        keys: of the singles at the times of the phrase, in their order.
        moved: singles that stand for a time left out: its slot, and which.
        explained: how many of the left-out times something else explains, as a holiday.
        confidence: from 0 to 1.
    """

    phrase: Phrase
    keys: tuple[Key, ...]
    moved: tuple[tuple[int, Key], ...]
    explained: int
    confidence: float

    @property
    def left_out(self) -> tuple[int, ...]:
        """The times that are really left out."""
        gone = {slot for slot, _ in self.moved}
        return tuple(time for time in self.phrase.left_out if time not in gone)


def infer(
    singles: Iterable[Single[Key]], free: Collection[int] = (), pause: Callable[[], None] = lambda: None
) -> list[Inferred[Key]]:
    """The series that singles make, the largest first. No single is in two of them.

    Args:
        free: days (since 1970) on which nothing is expected, as holidays: a gap there is explained.
        pause: called now and then; what it raises ends the look.
    """
    blocks: defaultdict[tuple[Hashable, ...], list[Single[Key]]] = defaultdict(list)
    for single in singles:
        blocks[single.alike].append(single)
    holidays = frozenset(free)
    inferred: list[Inferred[Key]] = []
    for block in blocks.values():
        if len(block) >= LEAST - 1:
            pause()
            inferred += _of_block(block[:_MOST], holidays)
    return sorted(inferred, key=lambda series: -len(series.keys))


def _of_block(block: list[Single[Key]], free: frozenset[int]) -> list[Inferred[Key]]:
    by_hour: defaultdict[tuple[int, int], dict[int, Single[Key]]] = defaultdict(dict)
    for single in sorted(block, key=lambda s: s.start):
        by_hour[single.start % DAY, single.length].setdefault(single.start, single)  # of two at one time the first
    series: list[Inferred[Key]] = []
    used: set[Key] = set()
    for at in sorted(by_hour, key=lambda at: -len(by_hour[at])):
        times = {start: single for start, single in by_hour[at].items() if single.key not in used}
        for candidate in _phrases(sorted(times), free):
            rest = [s for s in block if s.key not in used and (s.start not in candidate.hits or s.start % DAY != at[0])]
            one = _completed(candidate, times, rest, free)
            if one is not None:
                used.update(one.keys)
                used.update(key for _, key in one.moved)
                series.append(one)
    return series


def _phrases(times: Sequence[int], free: frozenset[int]) -> list[Phrase]:
    """Times as one series, or as several one after the other, or one a weekday."""
    whole = _best(times, free)
    if whole is not None:
        return [whole]
    if len(times) < 2 * (LEAST - 1):
        return []
    gap, at = max((b - a, n) for n, (a, b) in enumerate(pairwise(times), 1))
    parts: list[Sequence[int]] = []
    typical = sorted(b - a for a, b in pairwise(times))[len(times) // 2]
    if gap > 3 * typical:
        parts = [times[:at], times[at:]]
    else:
        weekdays = sorted({weekday_of(time // DAY) for time in times})
        if len(weekdays) > 1:
            parts = [[time for time in times if weekday_of(time // DAY) == day] for day in weekdays]
    return [option for part in parts for option in _phrases(part, free)]


def _best(times: Sequence[int], free: frozenset[int]) -> Phrase | None:
    phrases = [
        option for rule in candidates([time // DAY for time in times]) if (option := phrase(rule, times)) is not None
    ]
    honest = [option for option in phrases if _is_honest(option, free)]
    return min(honest, key=lambda option: option.cost, default=None)


def _is_honest(phrase: Phrase, free: frozenset[int]) -> bool:
    hits = len(phrase.hits)
    least = LEAST - 1 if phrase.rule.startswith(("FREQ=MONTHLY", "FREQ=YEARLY")) else LEAST
    gaps = sum(1 for time in phrase.left_out if time // DAY not in free)
    if hits < least or len(phrase.extra) > _BESIDE * hits:
        return False
    if hits == least and gaps + len(phrase.extra) > 1:
        return False
    return hits >= _PART * (hits + gaps)


def _completed(
    shape: Phrase, times: dict[int, Single[Key]], rest: Sequence[Single[Key]], free: frozenset[int]
) -> Inferred[Key] | None:
    """A phrase with what stands for its left-out times: singles near them that nothing else explains."""
    step = min((b - a for a, b in zip(shape.hits, shape.hits[1:], strict=False)), default=2 * _NEAR)
    reach = min(_NEAR, step // 2)
    near = sorted(
        (abs(single.start - slot), slot, n)
        for n, single in enumerate(rest)
        if single.start not in shape.hits
        for slot in shape.left_out
        if abs(single.start - slot) <= reach
    )
    moved: dict[int, Key] = {}
    taken: set[int] = set()
    for _, slot, n in near:
        if slot not in moved and n not in taken:
            moved[slot] = rest[n].key
            taken.add(n)
    gone = {rest[n].start for n in taken}
    extra = tuple(time for time in shape.extra if time not in gone)
    own = [times[time] for time in sorted((*shape.hits, *extra))]
    explained = sum(1 for time in shape.left_out if time not in moved and time // DAY in free)
    exceptions = len(shape.left_out) - len(moved) - explained + len(extra) + len(moved) / 2
    hits = len(shape.hits)
    confidence = (1 - 0.5 ** max(1, hits - 3)) * hits / (hits + exceptions)
    return Inferred(
        shape._replace(extra=extra),
        tuple(single.key for single in own),
        tuple(sorted(moved.items())),
        explained,
        round(confidence, 3),
    )
