"""What a series contains: single entries at its times, series cut out of it, originals of what was changed in it."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Hashable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import islice

from datebridge.core.language.plural import counted
from datebridge.core.matching.candidates import by_title
from datebridge.core.matching.groups import Alike
from datebridge.core.matching.item import Item
from datebridge.core.matching.judging import Evidence
from datebridge.core.moments import instant_at
from datebridge.core.occurrences.expanding import Bounds, Clocks, Timed, clock_of, occurrences, slot_of

_DAY = 86_400
#: Of a series that may be part of another one, so many times are looked at.
_LOOKED = 400
#: A series without end is looked at this far beyond what is beside it.
_AHEAD = 2 * 366 * _DAY
#: An entry this near to an occurrence may be a change of it.
_SAME_DAY = 12 * 3600
#: How many series that have a time in common with an entry are looked at.
_WHOLES = 40
#: Shorter UIDs are those of programs that count, and tell nothing.
_TELLING = 8
_SIGN = re.compile(r"[^0-9A-Za-z]")
#: Which series happen then: whole days or not, begin, end.
_At = defaultdict[tuple[bool, int, int], list[int]]


@dataclass(frozen=True, slots=True)
class Held:
    """An entry that a series contains: `whole` and `part` by number."""

    whole: int
    part: int
    kind: Alike
    evidence: Evidence


@dataclass(slots=True)
class _Times:
    """When a series happens: begin and end of each, and the slots from which something was moved away."""

    spans: set[tuple[int, int]]
    order: list[int]
    moved: set[int] = field(default_factory=set)


def held(items: Sequence[Item[Hashable]], clocks: Clocks | None, bounds: Bounds) -> Iterator[Held]:
    """What series contain of what has their title."""
    for numbers in by_title(items).values():
        series = [n for n in numbers if items[n].is_series]
        if not series or len(numbers) < 2:
            continue
        yield from _of_title(items, series, numbers, clocks, bounds)


def _of_title(
    items: Sequence[Item[Hashable]], series: list[int], numbers: list[int], clocks: Clocks | None, bounds: Bounds
) -> Iterator[Held]:
    low = min(_begin(items[n]) for n in numbers) - 2 * _DAY
    high = max(_last(items[n]) for n in numbers) + 2 * _DAY
    if any(_is_endless(items[n]) for n in series):
        high += _AHEAD
    times = {n: _times(items[n], low, high, clocks, bounds) for n in series}
    at: _At = defaultdict(list)
    for n in sorted(series, key=lambda n: (-len(times[n].spans), n)):  # the longest first
        for start, end in times[n].spans:
            at[items[n].all_day, start, end].append(n)
    parts: dict[int, int] = {}
    for part in sorted(series, key=lambda n: (-len(times[n].spans), n)):
        whole = _longer(items, part, parts, times, at)
        if whole is not None:
            parts[part] = whole
            yield _held(whole, part, times)
    yield from _singles(items, [n for n in series if n not in parts], numbers, times, at)


def _held(whole: int, part: int, times: dict[int, _Times]) -> Held:
    """A series within another one: the same, otherwise said or with some of it left out; or a piece of it."""
    own, others = times[part], times[whole]
    many = counted(len(own.spans), "time")
    left = len(others.spans) - len(own.spans)
    if not left:
        return Held(whole, part, Alike.SAME_TIME, Evidence(2.0, f"all of their {many} are the same, otherwise said"))
    if (own.order[0], own.order[-1]) == (others.order[0], others.order[-1]):
        text = f"all of its {many} are times of the other, which has {left:,} more"
        return Held(whole, part, Alike.SAME_TIME, Evidence(1.5, text))
    return Held(whole, part, Alike.CUT, Evidence(1.5, f"all of its {many} are times of the longer series"))


def _longer(
    items: Sequence[Item[Hashable]], part: int, parts: dict[int, int], times: dict[int, _Times], at: _At
) -> int | None:
    """The longer series of which one is a part; only a few of those that have its first time are looked at."""
    if not times[part].order:
        return None
    first = times[part].order[0]
    end = next(end for start, end in times[part].spans if start == first)
    some = islice(at[items[part].all_day, first, end], _WHOLES)
    return next((n for n in some if n != part and n not in parts and _is_cut(times[n], times[part])), None)


def _is_cut(whole: _Times, part: _Times) -> bool:
    if not part.spans or len(part.spans) > len(whole.spans):
        return False
    looked = part.order[:_LOOKED]
    ends = dict(part.spans)
    return all((start, ends[start]) in whole.spans for start in looked)


def _singles(
    items: Sequence[Item[Hashable]], series: list[int], numbers: list[int], times: dict[int, _Times], at: _At
) -> Iterator[Held]:
    alone = set(series)
    by_uid = {items[n].uid: n for n in series if len(items[n].uid) >= _TELLING}
    moved: defaultdict[tuple[bool, int], list[int]] = defaultdict(list)
    for n in series:
        for start in times[n].moved:
            moved[items[n].all_day, start].append(n)
    pairs: list[tuple[int, int]] = []
    for n in numbers:
        item = items[n]
        if item.is_series or item.start is None:
            continue
        start, end = item.start, item.start + item.length
        whole = _nearest(items, n, alone, at.get((item.all_day, start, end), ()))
        if whole is not None:
            pairs.append((whole, n))
            continue
        origin = _nearest(items, n, alone, moved.get((item.all_day, start), ()))
        if origin is not None:
            text = "stands where an occurrence of the series stood before it was changed"
            yield Held(origin, n, Alike.CHANGED, Evidence(1.5, text))
        elif (by := _by_uid(item.uid, by_uid)) is not None and _is_near(times[by], start):
            text = "a change of an occurrence that the series has still, by its UID"
            yield Held(by, n, Alike.LOOSE, Evidence(3.0, text))
    many = Counter((whole, items[n].calendar) for whole, n in pairs)
    for whole, n in pairs:
        number = many[whole, items[n].calendar]
        weight = 2.0 if number >= 8 else 1.2 if number >= 3 else 0.0
        more = f", as do {number - 1} others" if number > 1 else ""
        yield Held(whole, n, Alike.PARTS, Evidence(weight, f"stands at a time of the series{more}"))


def _nearest(items: Sequence[Item[Hashable]], n: int, alone: set[int], wholes: Sequence[int]) -> int | None:
    """Of several series the one in the same calendar, else the first; a few are looked at."""
    some = (whole for whole in islice(wholes, _WHOLES) if whole in alone)
    return min(some, key=lambda whole: (items[whole].calendar != items[n].calendar, whole), default=None)


def _by_uid(uid: str, numbers: dict[str, int]) -> int | None:
    """The series from whose UID an entry's was made, as programs do that write each occurrence as an event."""
    ends = islice((match.start() for match in _SIGN.finditer(uid)), _LOOKED)
    return next((numbers[uid[:end]] for end in ends if uid[:end] in numbers), None)


def _is_near(times: _Times, start: int) -> bool:
    at = bisect_left(times.order, start)
    return any(abs(one - start) <= _SAME_DAY for one in times.order[max(0, at - 1) : at + 1])


def _times(item: Item[Hashable], low: int, high: int, clocks: Clocks | None, bounds: Bounds) -> _Times:
    if item.timed is None:
        return _Times(set(), [])
    entries: list[Timed] = [item.timed._replace(calendar=item.calendar), *item.overrides]
    happening = list(occurrences(entries, low, high, "UTC", clocks, bounds=bounds))
    spans = {(occurrence.start, occurrence.end) for occurrence in happening}
    starts = {start for start, _ in spans}
    times = _Times(spans, sorted(starts))
    clock = clock_of(item.timed, clocks)
    for override in item.overrides:
        slot = slot_of(override.recurrence_id, clock)
        if slot is not None:
            origin = slot if clock is None else instant_at(slot, clock)
            if origin not in starts:
                times.moved.add(origin)
    return times


def _begin(item: Item[Hashable]) -> int:
    return item.start if item.start is not None else 0


def _last(item: Item[Hashable]) -> int:
    timed = item.timed
    return _begin(item) if timed is None or timed.until_wall is None else timed.until_wall


def _is_endless(item: Item[Hashable]) -> bool:
    return item.timed is not None and item.is_series and item.timed.until_wall is None
