"""Pairs become groups: entries that are one meeting, and entries that a larger one contains."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Generic, NamedTuple, TypeVar

from datebridge.core.matching.item import Item

Key = TypeVar("Key", bound=Hashable)


class Alike(StrEnum):
    """In which way entries are one meeting."""

    IDENTICAL = "identical"  #: all they say is the same
    SAME_UID = "same-uid"  #: same UID, different properties
    SAME_TIME = "same-time"  #: different UIDs; same title, time and length
    OTHER_LENGTH = "other-length"  #: different UIDs; same title and start, one is longer
    SHIFTED = "shifted"  #: an offset between shifted by the difference of two zones, or all-day beside timed
    PARTS = "parts"  #: a series, and single entries it consists of
    CUT = "cut"  #: a series, and series it consists of
    CHANGED = "changed"  #: a series in which an occurrence was changed, and the original of that
    LOOSE = "loose"  #: a series, and a change of an occurrence that is an event of its own, beside its original
    ECHO = "echo"  #: came back through a feed of one of your shares


#: In these one entry contains the others; in all other kinds all are the same.
CONTAINING = frozenset({Alike.PARTS, Alike.CUT, Alike.CHANGED, Alike.LOOSE})
_ORDER = list(Alike)


class MatchedPair(NamedTuple):
    """Two items, by number, that are one meeting; where one contains the other it is the first."""

    first: int
    second: int
    kind: Alike
    score: float
    reasons: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Group(Generic[Key]):
    """Entries that are the same meeting.

    Attributes:
        score: from 0 to 1: how sure that is of its least sure member.
        reasons: what a person can check.
        members: their keys, in the order in which they were given; where one contains the others it is the first.
    """

    kind: Alike
    score: float
    reasons: tuple[str, ...]
    members: tuple[Key, ...]


def grouped(items: Sequence[Item[Key]], pairs: Iterable[MatchedPair]) -> list[Group[Key]]:
    """The groups that pairs make. Whoever is part of a series is in no other group with others of its parts."""
    alike: list[MatchedPair] = []
    within: list[MatchedPair] = []
    for pair in pairs:
        (within if pair.kind in CONTAINING else alike).append(pair)
    groups = [*_same(items, alike), *_contained(items, within)]
    return sorted(groups, key=lambda group: (_ORDER.index(group.kind), -group.score))


def _same(items: Sequence[Item[Key]], pairs: list[MatchedPair]) -> Iterable[Group[Key]]:
    """Joined by their surest pairs first, so that a group is as sure as the weakest of what holds it together."""
    parent = list(range(len(items)))

    def root(n: int) -> int:
        while parent[n] != n:
            parent[n] = parent[parent[n]]
            n = parent[n]
        return n

    joined: list[MatchedPair] = []
    for pair in sorted(pairs, key=lambda p: (-p.score, p.first, p.second)):
        one, other = root(pair.first), root(pair.second)
        if one != other:
            parent[max(one, other)] = min(one, other)
            joined.append(pair)
    clusters: defaultdict[int, list[MatchedPair]] = defaultdict(list)
    for pair in joined:
        clusters[root(pair.first)].append(pair)
    for held in clusters.values():
        members = sorted({n for pair in held for n in (pair.first, pair.second)})
        kind = max((pair.kind for pair in held), key=_ORDER.index)
        weakest = min(held, key=lambda pair: pair.score)
        told = next(pair for pair in held if pair.kind is kind)
        reasons = told.reasons if len(held) == 1 else tuple(dict.fromkeys((*told.reasons, *weakest.reasons)))
        yield Group(kind, weakest.score, reasons, tuple(items[n].key for n in members))


def _contained(items: Sequence[Item[Key]], pairs: list[MatchedPair]) -> Iterable[Group[Key]]:
    clusters: defaultdict[tuple[int, Alike], list[MatchedPair]] = defaultdict(list)
    for pair in pairs:
        clusters[pair.first, pair.kind].append(pair)
    for (whole, kind), held in clusters.items():
        parts = sorted({pair.second for pair in held})
        weakest = min(held, key=lambda pair: pair.score)
        yield Group(kind, weakest.score, weakest.reasons, (items[whole].key, *(items[n].key for n in parts)))
