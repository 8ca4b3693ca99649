"""Two series, or single entries, occurrence by occurrence: same, moved, changed, missing, extra.

What belongs together is told by the slot it stands for, then by its time, then by being the nearest. Two series of
which one was moved by an hour have no slot in common, and still each of the one has its counterpart in the other.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from typing import Literal, NamedTuple

from datebridge.core.index.facts import Mark
from datebridge.core.moments import Clock, instant_at, parse_moment
from datebridge.core.occurrences.expanding import Bounds, Clocks, Occurrence, Timed, clock_of, occurrences, slot_of

#: As far as a counterpart is looked for, in seconds.
NEAR = 36 * 3600
Verdict = Literal["same", "changed", "missing", "extra"]


class Point(NamedTuple):
    """One occurrence.

    Attributes:
        entry: the id of the entry whose title and so on it has.
        slot: what it stands for in its series, as an instant (wall seconds where it has no clock); None for what
            happens once.
        start, end: instants; wall seconds for whole days and floating times. The end is exclusive.
    """

    entry: int
    slot: int | None
    start: int
    end: int
    all_day: bool


class Difference(NamedTuple):
    """What becomes of one occurrence; `moved_by`: right less left, in seconds."""

    verdict: Verdict
    left: Point | None
    right: Point | None
    fields: tuple[str, ...] = ()
    moved_by: int = 0


#: In which fields two entries differ, by their ids.
Fields = Callable[[int, int], tuple[str, ...]]


def no_fields(left: int, right: int) -> tuple[str, ...]:
    """For comparing times alone."""
    return ()


def points(
    entries: Sequence[Timed], low: int, high: int, clocks: Clocks | None = None, bounds: Bounds | None = None
) -> dict[tuple[int, str], list[Point]]:
    """The occurrences of entries that overlap [low, high) in UTC, by calendar and UID."""
    by_id = {entry.id: entry for entry in entries}
    masters: dict[tuple[int, str], Timed] = {}
    for entry in entries:
        if not entry.recurrence_id:
            masters.setdefault((entry.calendar, entry.uid), entry)
    by_place: defaultdict[tuple[int, str], list[Point]] = defaultdict(list)
    for occurrence in occurrences(entries, low, high, "UTC", clocks, bounds=bounds):
        entry = by_id[occurrence.entry]
        key = entry.calendar, entry.uid
        slot = _slot(occurrence, by_id, masters.get(key), clocks)
        by_place[key].append(
            Point(occurrence.entry, slot, occurrence.start, occurrence.end, bool(entry.marks & Mark.ALL_DAY))
        )
    return by_place


def _slot(
    occurrence: Occurrence, by_id: Mapping[int, Timed], master: Timed | None, clocks: Clocks | None
) -> int | None:
    if occurrence.series:
        clock = clock_of(by_id[occurrence.series], clocks)
        return occurrence.slot if clock is None else instant_at(occurrence.slot, clock)
    entry = by_id[occurrence.entry]
    if not entry.recurrence_id:
        return None
    clock = clock_of(master or entry, clocks)
    return slot_instant(entry.recurrence_id, clock)


def slot_instant(recurrence_id: str, clock: Clock | None) -> int | None:
    """What a key of `Moment.key` stands for: an instant, or wall seconds where its series has no clock."""
    if recurrence_id.endswith("Z"):
        return parse_moment(recurrence_id).wall_seconds
    slot = slot_of(recurrence_id, clock)
    return slot if slot is None or clock is None else instant_at(slot, clock)


def compare(
    left: Sequence[Point], right: Sequence[Point], fields: Fields = no_fields
) -> tuple[list[Point], list[Difference]]:
    """What is the same, and what is different of the others, in order of time."""
    if len(left) == len(right) == 1:
        pairs, rest, other = [(left[0], right[0])], list[Point](), list[Point]()
    else:
        pairs, rest, other = _join(left, right, lambda p: (p.slot, p.start, p.all_day))
        for step in (lambda p: p.slot, lambda p: (p.start, p.all_day), None):
            if not rest or not other:
                break
            more, rest, other = _join(rest, other, step) if step is not None else _nearest(rest, other)
            pairs += more
    same, differences = list[Point](), list[Difference]()
    fields_by_texts: dict[tuple[int, int], tuple[str, ...]] = {}  # of a series all times have the same two texts
    for a, b in pairs:
        both = a.entry, b.entry
        differs = fields_by_texts[both] if both in fields_by_texts else fields_by_texts.setdefault(both, fields(*both))
        moved = b.start - a.start
        if a.all_day != b.all_day:
            differs = (*differs, "whole days")
        elif b.end - b.start != a.end - a.start:
            differs = (*differs, "length")
        if moved or differs:
            differences.append(Difference("changed", a, b, differs, moved))
        else:
            same.append(a)
    differences += [Difference("missing", a, None) for a in rest]
    differences += [Difference("extra", None, b) for b in other]
    differences.sort(key=_at)
    return same, differences


def _at(difference: Difference) -> int:
    point = difference.left or difference.right
    return point.start if point is not None else 0


_Joined = tuple[list[tuple[Point, Point]], list[Point], list[Point]]


def _join(left: Iterable[Point], right: Iterable[Point], key: Callable[[Point], Hashable]) -> _Joined:
    waiting: defaultdict[Hashable, list[Point]] = defaultdict(list)
    for point in right:
        waiting[key(point)].append(point)
    pairs, rest = [], []
    for point in left:
        partners = waiting.get(key(point))
        if partners:
            pairs.append((point, partners.pop(0)))
        else:
            rest.append(point)
    return pairs, rest, [point for some in waiting.values() for point in some]


def _nearest(left: Sequence[Point], right: Sequence[Point]) -> _Joined:
    """Each with the nearest of the other side; what is nearer goes first."""
    order = sorted(right, key=lambda p: p.start)
    starts = [p.start for p in order]
    near = []
    for n, point in enumerate(left):
        at = bisect_left(starts, point.start)
        for k in range(max(0, at - 2), min(len(order), at + 2)):
            apart = abs(starts[k] - point.start)
            if apart <= NEAR:
                near.append((apart, n, k))
    used, taken = set[int](), set[int]()
    pairs = []
    for _, n, k in sorted(near):
        if n not in used and k not in taken:
            used.add(n)
            taken.add(k)
            pairs.append((left[n], order[k]))
    rest = [point for n, point in enumerate(left) if n not in used]
    return pairs, rest, [point for k, point in enumerate(order) if k not in taken]
