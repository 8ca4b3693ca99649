"""The same days on two sides: which occurrence of one is which of the other.

>>> left = [Side(0, ("a", 5), "Crane check", 100, 160, False), Side(1, ("b", 5), "Lamp", 300, 360, False)]
>>> right = [Side(0, ("c", 1), "Crane check", 130, 190, False)]
>>> [(p.left, p.right, p.verdict, p.moved) for p in pair(left, right)]
[(0, 0, 'moved', 30), (1, None, 'alone', 0)]
"""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict, deque
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from datebridge.core.occurrences.window import Window, spans_days

#: As far as the same title is looked for, in seconds.
_NEAR = 36 * 3600
Verdict = Literal["same", "changed", "moved", "alone"]


class Side(NamedTuple):
    """An occurrence as it is compared: `key` is its UID and slot, times are shown time."""

    number: int
    key: Hashable
    title: str
    start: int
    end: int
    all_day: bool
    place: str = ""


class MirroredPair(NamedTuple):
    """What belongs together, by number; one is None where something is alone. `moved` is right less left."""

    left: int | None
    right: int | None
    verdict: Verdict
    moved: int
    at: int


def pair(left: Sequence[Side], right: Sequence[Side]) -> list[MirroredPair]:
    """Join both sides, in order of time: by UID and slot, by title and time, then by title and the nearest time."""
    rest, other = list(left), list(right)
    pairs: list[MirroredPair] = []
    for key in _KEYS:
        paired, rest, other = _join(rest, other, key)
        pairs += [_judged(a, b) for a, b in paired]
    near, rest, other = _nearest(rest, other)
    pairs += [_judged(a, b) for a, b in near]
    pairs += [MirroredPair(a.number, None, "alone", 0, a.start) for a in rest]
    pairs += [MirroredPair(None, b.number, "alone", 0, b.start) for b in other]
    return sorted(pairs, key=lambda p: p.at)


_KEYS: tuple[Callable[[Side], Hashable], ...] = (
    lambda side: side.key,
    lambda side: (side.title, side.start, side.end, side.all_day, side.place),
    lambda side: (side.title, side.start, side.all_day),
)
_Joined = tuple[list[tuple[Side, Side]], list[Side], list[Side]]


def _join(left: Iterable[Side], right: Iterable[Side], key: Callable[[Side], Hashable]) -> _Joined:
    waiting: dict[Hashable, deque[Side]] = defaultdict(deque)
    for side in right:
        waiting[key(side)].append(side)
    pairs, rest = [], []
    for side in left:
        partners = waiting.get(key(side))
        if partners:
            pairs.append((side, partners.popleft()))
        else:
            rest.append(side)
    return pairs, rest, [side for sides in waiting.values() for side in sides]


def _nearest(left: Iterable[Side], right: Iterable[Side]) -> _Joined:
    by_title: dict[str, list[Side]] = defaultdict(list)
    for side in sorted(right, key=lambda s: s.start):
        by_title[side.title].append(side)
    starts = {title: [side.start for side in sides] for title, sides in by_title.items()}
    pairs, rest = [], []
    for side in sorted(left, key=lambda s: s.start):
        partners, begins = by_title.get(side.title, []), starts.get(side.title, [])
        place = bisect_left(begins, side.start)
        near = [k for k in (place - 1, place) if 0 <= k < len(partners)]
        best = min(near, key=lambda k: abs(partners[k].start - side.start), default=None)
        if best is not None and abs(partners[best].start - side.start) <= _NEAR:
            begins.pop(best)
            pairs.append((side, partners.pop(best)))
        else:
            rest.append(side)
    return pairs, rest, [side for sides in by_title.values() for side in sides]


def _judged(left: Side, right: Side) -> MirroredPair:
    moved = right.start - left.start
    verdict: Verdict = "moved" if moved or left.all_day != right.all_day else "changed"
    if not moved and (left.title, left.end, left.place) == (right.title, right.end, right.place):
        verdict = "same" if left.all_day == right.all_day else verdict
    return MirroredPair(left.number, right.number, verdict, moved, min(left.start, right.start))


@dataclass(frozen=True, slots=True)
class Mirror:
    """Two sides of the same days, and how what happens on them belongs together."""

    left: Window
    right: Window
    pairs: list[MirroredPair]


def mirror(left: Window, right: Window) -> Mirror:
    """Compare two sets of calendars over the same window, on one clock."""
    return Mirror(left, right, pair(_side(left), _side(right)))


def _side(window: Window) -> list[Side]:
    sides = []
    for number, occurrence in enumerate(window.occurrences):
        entry = window.entries[occurrence.entry]
        whole = spans_days(occurrence, entry)
        key = window.key(occurrence)
        title = f"{entry.title} (cancelled)" if entry.cancelled else entry.title
        sides.append(Side(number, key, title, occurrence.shown_start, occurrence.shown_end, whole, entry.place))
    return sides
