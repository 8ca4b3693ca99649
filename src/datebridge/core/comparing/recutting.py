"""The same occurrences, cut differently: a series in two pieces, or written out one by one, under other UIDs."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Mapping, Sequence
from typing import TYPE_CHECKING, TypeVar

from datebridge.core.comparing.series import Difference, Point, Verdict

if TYPE_CHECKING:
    from datebridge.core.comparing import PairedEntries

Key = TypeVar("Key", bound=Hashable)
#: How often it is asked again what is left once pairs were taken out; then the rest stays as it is told.
_ROUNDS = 4
#: When something happens, and what it is called.
_Place = tuple[int, int, bool, str]
#: Of pairs of entries by their numbers, those that say the same.
Same = Callable[[list[tuple[int, int]]], set[tuple[int, int]]]
_ONE_SIDE = ("missing", "extra")


def recut(
    pairs: Sequence[PairedEntries[Key]],
    title: Callable[[int], str],
    same: Callable[[list[tuple[int, int]]], set[tuple[int, int]]],
) -> None:
    """Take for the same what is missing under one UID and extra under others, where that is all of both.

    Args:
        title: of an entry, by its number.
        same: of pairs of entries by their numbers, those that say the same.
    """
    partners = _partners(pairs, title, same)
    keeping = {id(pair) for both in partners.values() for pair in both}
    for _ in range(_ROUNDS):
        whole = {id(pair) for pair in pairs if id(pair) in keeping and _has_partner(pair, partners, keeping)}
        if whole == keeping:
            break
        keeping = whole
    else:
        return
    for pair in pairs:
        if id(pair) in keeping:
            pair.recut = True
            pair.same += sum(difference.verdict == "missing" for difference in pair.differences)
            pair.differences = [difference for difference in pair.differences if difference.verdict not in _ONE_SIDE]


def _has_partner(
    pair: PairedEntries[Key],
    partners: Mapping[tuple[int, int], tuple[PairedEntries[Key], PairedEntries[Key]]],
    among: set[int],
) -> bool:
    """Whether all that a pair has on one side only has its counterpart in one of some pairs."""
    own = [(id(pair), n) for n, difference in enumerate(pair.differences) if difference.verdict in _ONE_SIDE]
    return all(key in partners and {id(partner) for partner in partners[key]} <= among for key in own)


def _partners(
    pairs: Sequence[PairedEntries[Key]],
    title: Callable[[int], str],
    same: Callable[[list[tuple[int, int]]], set[tuple[int, int]]],
) -> dict[tuple[int, int], tuple[PairedEntries[Key], PairedEntries[Key]]]:
    """Of each difference, by its pair and number, the two pairs that it and its counterpart are of."""
    extra: defaultdict[_Place, list[tuple[PairedEntries[Key], int, Point]]] = defaultdict(list)
    for pair, n, _, point in _alone(pairs, "extra"):
        extra[(point.start, point.end, point.all_day, title(point.entry))].append((pair, n, point))
    met = []
    for pair, n, _, point in _alone(pairs, "missing"):
        fitting = extra.get((point.start, point.end, point.all_day, title(point.entry)))
        if fitting:
            met.append(((pair, n, point), fitting.pop()))
    alike = same([(one[2].entry, other[2].entry) for one, other in met]) if met else set()
    partners: dict[tuple[int, int], tuple[PairedEntries[Key], PairedEntries[Key]]] = {}
    for one, other in met:
        if (one[2].entry, other[2].entry) in alike:
            partners[id(one[0]), one[1]] = partners[id(other[0]), other[1]] = one[0], other[0]
    return partners


def _alone(
    pairs: Sequence[PairedEntries[Key]], verdict: Verdict
) -> list[tuple[PairedEntries[Key], int, Difference, Point]]:
    return [
        (pair, n, difference, point)
        for pair in pairs
        for n, difference in enumerate(pair.differences)
        if difference.verdict == verdict and (point := difference.left or difference.right) is not None
    ]
