"""Two calendars that should be the same: which entries belong together, and how each of their occurrences differs.

>>> from datebridge.core.index.derive import derive
>>> def side(calendar, hour):
...     text = f"BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nDTSTART:20261124T{hour}0000Z\\nDURATION:PT1H\\nEND:VEVENT"
...     return [item_of(calendar, calendar, derive("VEVENT", text), calendar)]
>>> [pair] = reconcile(side(1, "08"), side(2, "09"), lambda keys: {}, 1795000000, 1796000000)
>>> pair.verdict, pair.differences[0].moved_by
('moved', 3600)

Entries are paired by UID, then by matching (`core.matching`). What is left is on one side only.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Generic, Literal, TypeVar

from datebridge.core.comparing.fields import differing
from datebridge.core.comparing.recutting import recut
from datebridge.core.comparing.seasons import Move, ZoneMisreading, explain
from datebridge.core.comparing.series import Difference, Point, Verdict, compare, points
from datebridge.core.index.facts import Mark
from datebridge.core.matching import Alike, Item, find, item_of, joined_items
from datebridge.core.occurrences.expanding import Bounds, Clocks, Timed, occurrences

__all__ = [
    "Difference",
    "Held",
    "Of",
    "PairedEntries",
    "Point",
    "Verdict",
    "differing",
    "item_of",
    "reconcile",
    "summary",
]

Key = TypeVar("Key", bound=Hashable)
#: Reads the texts of entries by their keys.
Read = Callable[[Collection[Key]], Mapping[Key, str]]
#: What a pair comes to. ``moved``: all by as much; ``season``: part of the year, as two zones explain; ``times``: some
#: moved, missing or extra; ``fields``: only what it says; ``both``: times and fields; ``uid``: nothing but the UID.
Of = Literal["same", "uid", "moved", "season", "times", "fields", "both", "missing", "extra", "recut"]
_APART = frozenset({Alike.IDENTICAL, Alike.SAME_TIME, Alike.SHIFTED, Alike.ECHO, Alike.CUT})
_CANCELLED = re.compile(r"^STATUS(?:;[^:\n]*)?:\s*CANCELLED\s*$", re.MULTILINE | re.IGNORECASE)
#: Occurrences are paired this far beyond the window, so that what was moved across its edge has its counterpart.
_EDGE = 2 * 86_400


@dataclass(slots=True)
class Held(Generic[Key]):
    """What one side has under a UID: a series with its changed occurrences, or what happens once."""

    items: list[Item[Key]]

    @property
    def keys(self) -> list[Key]:
        """All that belongs to it; the master first."""
        return [item.key for item in self.items]

    @property
    def first(self) -> Item[Key]:
        """Its master, or the first of its changed occurrences."""
        return self.items[0]


@dataclass(slots=True)
class PairedEntries(Generic[Key]):
    """What belongs together, and how it differs; one side is None where nothing does.

    Attributes:
        matched: it was paired by what it says; "" where the UIDs are the same.
        same: how many occurrences are the same; `still`: which, unless all are.
        recut: some of what happens is the same under other UIDs: a series in pieces, or written out.
        misreading: the zones that explain what is moved.
    """

    left: Held[Key] | None
    right: Held[Key] | None
    matched: str = ""
    same: int = 0
    differences: list[Difference] = field(default_factory=list)
    still: list[Point] = field(default_factory=list)
    misreading: ZoneMisreading | None = None
    cut: bool = False
    recut: bool = False

    @property
    def verdict(self) -> Of:
        """What it comes to."""
        if self.recut and not self.differences:
            return "recut"
        if self.right is None:
            return "missing"
        if self.left is None:
            return "extra"
        if not self.differences:
            return "uid" if self.matched else "same"
        times = {
            difference.moved_by if difference.verdict == "changed" else None for difference in self.differences
        } - {0}
        fields = any(difference.fields for difference in self.differences)
        if not times:
            return "fields"
        if fields:
            return "both"
        if self.misreading is not None and (self.same or len(times) > 1):
            return "season"
        return "moved" if len(times) == 1 and None not in times and not self.same else "times"

    @property
    def fields(self) -> list[str]:
        """All the fields in which some occurrence differs."""
        return sorted({name for difference in self.differences for name in difference.fields})


def reconcile(
    left: Sequence[Item[Key]],
    right: Sequence[Item[Key]],
    read: Read[Key],
    low: int,
    high: int,
    *,
    clocks: Clocks | None = None,
    bounds: Bounds | None = None,
    match: bool = True,
) -> list[PairedEntries[Key]]:
    """Compare two calendars over [low, high), in UTC seconds; in the order of the left one, what is extra last.

    Args:
        left, right: all their entries, each with a number of its own in its `timed`; the sides are two calendars.
        read: gives texts; asked for those whose index differs.
        match: what has no counterpart by UID is looked for by what it says.
    """
    bounds = bounds or Bounds()
    one, other = _held(left), _held(right)
    pairs: list[PairedEntries[Key]] = []
    rest, others = [], []
    for identity, held in one.items():
        counterpart = other.get(identity)
        if counterpart is None:
            rest.append(held)
        else:
            pairs.append(PairedEntries(held, counterpart))
    others = [held for identity, held in other.items() if identity not in one]
    if match and rest and others:
        matched, rest, others = _matched(rest, others, read, clocks)
        pairs += matched
    pairs += [PairedEntries(held, None) for held in rest]
    pairs += [PairedEntries(None, held) for held in others]
    _compare(pairs, read, low, high, clocks, bounds)
    if match:
        _recut(pairs, read)
    _explain(pairs)
    return [p for p in pairs if p.differences or p.same or (p.left is not None and p.right is not None)]


def _held(items: Iterable[Item[Key]]) -> dict[tuple[str, str], Held[Key]]:
    holders: dict[tuple[str, str], Held[Key]] = {}
    for number, item in enumerate(items):
        identity = item.component, item.uid or f"\n{number}"
        held = holders.setdefault(identity, Held([]))
        if item.recurrence_id:
            held.items.append(item)
        else:
            held.items.insert(0, item)
    return holders


def _matched(
    left: list[Held[Key]], right: list[Held[Key]], read: Read[Key], clocks: Clocks | None
) -> tuple[list[PairedEntries[Key]], list[Held[Key]], list[Held[Key]]]:
    """What is the same meeting under another UID."""
    homes = {
        item.key: (side, n)
        for side, some in ((0, left), (1, right))
        for n, held in enumerate(some)
        for item in held.items
    }
    items = joined_items([item for held in (*left, *right) for item in held.items])
    gone, taken = set[int](), set[int]()
    pairs = []
    for group in sorted(find(items, read, clocks=clocks), key=lambda group: -group.score):
        if group.kind not in _APART:
            continue
        sides: tuple[list[int], list[int]] = ([], [])
        for key in group.members:
            side, n = homes[key]
            if n not in (gone, taken)[side]:
                sides[side].append(n)
        for a, b in zip(*sides, strict=False):
            gone.add(a)
            taken.add(b)
            pairs.append(PairedEntries(left[a], right[b], group.reasons[0] if group.reasons else "alike"))
    return (
        pairs,
        [held for n, held in enumerate(left) if n not in gone],
        [held for n, held in enumerate(right) if n not in taken],
    )


def _compare(
    pairs: list[PairedEntries[Key]], read: Read[Key], low: int, high: int, clocks: Clocks | None, bounds: Bounds
) -> None:
    alike = [p for p in pairs if p.left is not None and p.right is not None and _is_alike(p.left, p.right)]
    alike_ids = {id(pair) for pair in alike}
    _count(alike, low, high, clocks, bounds)
    wanted = [h for p in pairs if id(p) not in alike_ids for h in (p.left, p.right) if h is not None]
    entries: list[Timed] = []
    owner: dict[int, int] = {}
    keys: dict[int, Key] = {}
    for number, held in enumerate(wanted):
        for item in held.items:
            if item.timed is not None:
                # A UID of its own for each that is compared: two sides may share one, and one may stand twice.
                entry = item.timed._replace(uid=str(number))
                keys[entry.id] = item.key
                owner[id(held)] = number
                entries.append(entry)
    by_place = points(entries, low - _EDGE, high + _EDGE, clocks, bounds)
    by_held: defaultdict[int, list[Point]] = defaultdict(list)
    for (_, uid), some in by_place.items():
        by_held[int(uid)] += some
    texts = _texts(pairs, alike_ids, read)

    def fields(a: int, b: int) -> tuple[str, ...]:
        return differing(texts.get(keys[a], ""), texts.get(keys[b], ""))

    def stands(one: Difference) -> bool:
        """Whether it is one to be told: what is cancelled here and left out there happens on neither side."""
        alone = one.left or one.right if one.left is None or one.right is None else None
        return alone is None or not _CANCELLED.search(texts.get(keys[alone.entry], ""))

    def own(held: Held[Key] | None) -> list[Point]:
        return by_held.get(owner.get(id(held), -1), []) if held is not None else []

    numbers = {entry.id: entry.uid for entry in entries if entry.id in bounds.cut}
    for pair in pairs:
        if id(pair) in alike_ids:
            continue
        points_left, points_right = own(pair.left), own(pair.right)
        pair.cut = bool(numbers) and any(str(owner.get(id(h), -1)) in numbers.values() for h in (pair.left, pair.right))
        same, differences = compare(points_left, points_right, fields)
        pair.differences = [
            difference
            for difference in differences
            if (_inside(difference.left, low, high) or _inside(difference.right, low, high)) and stands(difference)
        ]
        pair.still = [point for point in same if _inside(point, low, high)] if pair.differences else []
        pair.same = len(pair.still) or sum(1 for point in same if _inside(point, low, high))


def _recut(pairs: list[PairedEntries[Key]], read: Read[Key]) -> None:
    """See `recutting.recut`."""
    if not {difference.verdict for pair in pairs for difference in pair.differences} >= {"missing", "extra"}:
        return
    items = {
        item.timed.id: item
        for pair in pairs
        if pair.differences
        for held in (pair.left, pair.right)
        if held
        for item in held.items
        if item.timed is not None
    }

    def same(some: list[tuple[int, int]]) -> set[tuple[int, int]]:
        chosen = dict.fromkeys(some)
        texts = read([items[n].key for pair in chosen for n in pair])
        texts_by_item = {n: texts.get(items[n].key, "") for pair in chosen for n in pair}
        return {(a, b) for a, b in chosen if not differing(texts_by_item[a], texts_by_item[b])}

    recut(pairs, lambda number: items[number].title, same)


def _inside(point: Point | None, low: int, high: int) -> bool:
    return point is not None and point.start < high and (point.end > low or point.start >= low)


def _count(alike: list[PairedEntries[Key]], low: int, high: int, clocks: Clocks | None, bounds: Bounds) -> None:
    """Count how often what is the same on both sides happens; most of it happens once, and that is plain to see."""
    entries: list[Timed] = []
    owner: dict[int, PairedEntries[Key]] = {}
    for pair in alike:
        held = pair.left or Held([])
        first = held.first
        if len(held.items) == 1 and not first.is_series and first.start is not None and first.start >= low:
            pair.same = int(first.start < high)
            continue
        for item in held.items:
            if item.timed is not None:
                entries.append(item.timed)
                owner[item.timed.id] = pair
    for occurrence in occurrences(entries, low, high, "UTC", clocks, bounds=bounds):
        owner[occurrence.entry].same += 1
    for number in bounds.cut & owner.keys():
        owner[number].cut = True


def _is_alike(left: Held[Key], right: Held[Key]) -> bool:
    """Whether both sides are the same by their index alone, so that there is nothing to compare."""
    if len(left.items) != len(right.items):
        return False
    if any(item.marks & Mark.DEFINED_ZONE for item in left.items):
        return False
    one, other = ([(i.recurrence_id, i.digest, i.zone) for i in held.items] for held in (left, right))
    return sorted(one) == sorted(other)


def _texts(pairs: list[PairedEntries[Key]], alike_ids: set[int], read: Read[Key]) -> Mapping[Key, str]:
    wanted = [
        item.key
        for pair in pairs
        if id(pair) not in alike_ids and pair.left is not None and pair.right is not None
        for held in (pair.left, pair.right)
        for item in held.items
    ]
    return read(wanted) if wanted else {}


# ---- off for part of the year ---------------------------------------------------------------------------


def _explain(pairs: list[PairedEntries[Key]]) -> None:
    """Find the zones that explain what is moved: of each series by itself, of what happens once all together."""
    single: defaultdict[tuple[str, str], list[PairedEntries[Key]]] = defaultdict(list)
    hints = _zones(pairs)
    for pair in pairs:
        if pair.left is None or pair.right is None or not any(difference.moved_by for difference in pair.differences):
            continue
        zones = pair.left.first.zone, pair.right.first.zone
        if pair.left.first.is_series or pair.right.first.is_series:
            pair.misreading = explain([*_moves(pair), *(Move(point.start, 0) for point in pair.still)], *zones, hints)
        else:
            single[zones].append(pair)
    for zones, some in single.items():
        moves = [move for pair in some for move in _moves(pair)]
        still = [move for pair in pairs if _is_still(pair, zones) for move in _unmoved(pair)]
        misreading = explain([*moves, *still], *zones, hints) if len({m.by for m in moves}) > 1 or still else None
        for pair in some if misreading is not None else ():
            pair.misreading = misreading


def _zones(pairs: list[PairedEntries[Key]]) -> list[str]:
    used = Counter(
        item.zone for pair in pairs for held in (pair.left, pair.right) if held for item in held.items if item.zone
    )
    return [zone for zone, _ in used.most_common(12)]


def _moves(pair: PairedEntries[Key]) -> list[Move]:
    return [
        Move(difference.left.start, difference.moved_by)
        for difference in pair.differences
        if difference.left is not None
        and difference.right is not None
        and not difference.left.all_day
        and not difference.right.all_day
    ]


def _is_still(pair: PairedEntries[Key], zones: tuple[str, str]) -> bool:
    left, right = pair.left, pair.right
    if left is None or right is None or pair.differences or left.first.is_series:
        return False
    return (left.first.zone, right.first.zone) == zones and not left.first.no_clock


def _unmoved(pair: PairedEntries[Key]) -> list[Move]:
    start = pair.left.first.start if pair.left is not None else None
    return [Move(start, 0)] if start is not None else []


def summary(pairs: Iterable[PairedEntries[Key]]) -> dict[Verdict, int]:
    """How many occurrences are same, changed, missing, extra."""
    counts: dict[Verdict, int] = {"same": 0, "changed": 0, "missing": 0, "extra": 0}
    for pair in pairs:
        counts["same"] += pair.same
        for difference in pair.differences:
            counts[difference.verdict] += 1
    return counts
