"""Lanes: to which calendar of a target each source goes, proposed by what is there already, and by name.

>>> sources = [Side(1, "Seminars"), Side(2, "Tide tables"), Side(3, "Berths")]
>>> targets = [Side(8, "seminars "), Side(9, "Quay")]
>>> [(lane.target, lane.name, lane.why) for lane in propose(sources, targets, {(3, 9): 40}, {3: 50, 2: 10, 1: 7})]
[(8, 'seminars ', 'same name'), (None, 'Tide tables', 'new'), (9, 'Quay', '40 of its 50 entries are there')]
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

#: A calendar counts as the same one where it holds at least this part of a source.
_MOST_OF_IT = 0.5


class Side(NamedTuple):
    """A calendar at one end of a lane."""

    id: int
    name: str


class ProposedLane(NamedTuple):
    """Where a source goes: into a calendar there is, or (None) into a new one of that name; and why there."""

    source: int
    target: int | None
    name: str
    why: str


def propose(
    sources: Sequence[Side], targets: Sequence[Side], shared: Mapping[tuple[int, int], int], sizes: Mapping[int, int]
) -> list[ProposedLane]:
    """A lane for each source, in their order.

    The calendar that already holds most of the same comes first, else one of the same name that no other source goes
    to, else a new one.

    Args:
        shared: how many entries of a source stand in a target, by source and target.
        sizes: how many entries each source has.
    """
    by_name: dict[str, Side] = {}
    for target in targets:
        by_name.setdefault(plain(target.name), target)
    names = {target.id: target.name for target in targets}
    holding = {source.id: _holding(source, targets, shared, sizes.get(source.id, 0)) for source in sources}
    taken = {target for target in holding.values() if target is not None}
    used = {plain(target.name) for target in targets}
    lanes = []
    for source in sources:
        size, there = sizes.get(source.id, 0), holding[source.id]
        if there is not None:
            same = shared[source.id, there]
            lanes.append(ProposedLane(source.id, there, names[there], f"{same:,} of its {size:,} entries are there"))
            continue
        named = by_name.get(plain(source.name))
        if named is not None and named.id not in taken:
            taken.add(named.id)
            lanes.append(ProposedLane(source.id, named.id, named.name, "same name"))
            continue
        lanes.append(ProposedLane(source.id, None, _free(source.name, used), "new"))
    return lanes


def plain(name: str) -> str:
    """What two names share that people would call the same."""
    return " ".join(name.split()).casefold()


def _holding(source: Side, targets: Sequence[Side], shared: Mapping[tuple[int, int], int], size: int) -> int | None:
    """The target that holds most of a source; the first of several that hold as much."""
    best = max(targets, key=lambda target: shared.get((source.id, target.id), 0), default=None)
    if best is None:
        return None
    same = shared.get((source.id, best.id), 0)
    return best.id if same and same >= size * _MOST_OF_IT else None


def _free(name: str, used: set[str]) -> str:
    """A name that no other new calendar has, and none there is; it is taken from now on."""
    name = " ".join(name.split()) or "Calendar"
    free, number = name, 1
    while plain(free) in used:
        number += 1
        free = f"{name} {number}"
    used.add(plain(free))
    return free


def several_into_one(lanes: Iterable[ProposedLane]) -> dict[int, int]:
    """The targets to which several lanes lead, with how many."""
    counts: dict[int, int] = {}
    for lane in lanes:
        if lane.target is not None:
            counts[lane.target] = counts.get(lane.target, 0) + 1
    return {target: number for target, number in counts.items() if number > 1}
