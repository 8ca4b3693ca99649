"""Which entries are worth comparing: by blocks and sweeps, never all with all."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterator, Sequence
from itertools import pairwise

from datebridge.core.matching.item import Item
from datebridge.core.matching.titles import Words, words

#: In blocks up to this size all are compared; larger ones are swept in the order of their titles, from both ends.
_ALL = 12
_NEIGHBOURS = 4
#: How many of a block that are the same in every way are paired one after the other, not each with each.
Number = int


def of_one_uid(items: Sequence[Item[Hashable]]) -> Iterator[tuple[Number, Number]]:
    """Entries of one identity, each with the one before it."""
    last: dict[tuple[str, str, str], int] = {}
    for n, item in enumerate(items):
        if not item.uid:
            continue
        identity = item.component, item.uid, item.recurrence_id
        if identity in last:
            yield last[identity], n
        last[identity] = n


def of_one_text(items: Sequence[Item[Hashable]]) -> Iterator[tuple[Number, Number]]:
    """Entries without a UID whose text is the same."""
    last: dict[bytes, int] = {}
    for n, item in enumerate(items):
        if item.uid:
            continue
        if item.digest in last:
            yield last[item.digest], n
        last[item.digest] = n


def at_one_time(items: Sequence[Item[Hashable]]) -> Iterator[tuple[Number, Number]]:
    """Entries that begin and end together and repeat by one rule, where their titles may be meant to be one."""
    blocks: defaultdict[tuple[object, ...], list[int]] = defaultdict(list)
    for n, item in enumerate(items):
        if item.timed is not None:
            clock = item.no_clock
            blocks[item.component, clock, item.start, item.length, item.rules].append(n)
    for block in blocks.values():
        if len(block) > 1:
            yield from _in_block(items, block)


def from_one_time(items: Sequence[Item[Hashable]]) -> Iterator[tuple[Number, Number]]:
    """Entries of one title that begin together, repeat alike and end apart, each with the one before it."""
    blocks: defaultdict[tuple[object, ...], list[int]] = defaultdict(list)
    for n, item in enumerate(items):
        title = words(item.title)
        if title and item.timed is not None:
            blocks[item.component, item.no_clock, item.start, item.rules, title].append(n)
    for block in blocks.values():
        block.sort(key=lambda n: items[n].length)
        for a, b in pairwise(block):
            if items[a].length != items[b].length:
                yield min(a, b), max(a, b)


def _in_block(items: Sequence[Item[Hashable]], block: list[int]) -> Iterator[tuple[Number, Number]]:
    if len(block) <= _ALL:
        yield from ((a, b) for k, a in enumerate(block) for b in block[k + 1 :])
        return
    met: set[tuple[int, int]] = set()
    titles = {n: words(items[n].title) for n in block}
    for key in (lambda n: titles[n], lambda n: tuple(w[::-1] for w in reversed(titles[n]))):
        ordered = sorted(block, key=key)
        for k, a in enumerate(ordered):
            for b in ordered[k + 1 : k + 1 + _NEIGHBOURS]:
                pair = (a, b) if a < b else (b, a)
                if pair not in met:
                    met.add(pair)
                    yield pair


def by_title(items: Sequence[Item[Hashable]]) -> dict[tuple[str, Words], list[Number]]:
    """Entries that stand somewhere in time, by kind and title; those without a title are left out."""
    blocks: defaultdict[tuple[str, Words], list[int]] = defaultdict(list)
    for n, item in enumerate(items):
        title = words(item.title)
        if title and item.timed is not None:
            blocks[item.component, title].append(n)
    return blocks
