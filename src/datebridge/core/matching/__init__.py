"""Which entries are the same meeting, within a calendar and across calendars and accounts.

>>> from datebridge.core.index.derive import derive
>>> def entry(key, calendar, uid, title):
...     text = f"BEGIN:VEVENT\\nUID:{uid}\\nSUMMARY:{title}\\nDTSTART:20261124T080000Z\\nLOCATION:Wet lab\\nEND:VEVENT"
...     return item_of(key, calendar, derive("VEVENT", text)), text
>>> made = [entry("a", 1, "1", "Crane check"), entry("b", 1, "2", "FW: crane check"), entry("c", 1, "3", "Lamp")]
>>> texts = {item.key: text for item, text in made}
>>> for group in find([item for item, _ in made], lambda keys: texts):
...     print(group.kind, group.members, group.reasons[0])
same-time ('a', 'b') titles written differently

Candidates come from blocks and sweeps (`candidates`), each pair is judged by what speaks for and against it
(`judging`), times that are shifted and series that contain others have modules of their own (`shifting`, `within`), and
pairs become groups (`groups`). A title says less the more often it stands, and two calendars that share most of what
they hold are likelier to share the rest; so everything is looked at together.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Hashable, Iterable, Mapping, Sequence
from typing import Generic, TypeVar

from datebridge.core.matching import candidates, shifting, within
from datebridge.core.matching.groups import CONTAINING, Alike, Group, MatchedPair, grouped
from datebridge.core.matching.item import NOTHING, Content, Item, content_of, item_of, joined_items
from datebridge.core.matching.judging import (
    THRESHOLD,
    Around,
    Evidence,
    at_one_time,
    is_bare,
    of_calendars,
    of_contents,
    of_one_uid,
    of_places,
    of_titles,
    reasons,
    score,
)
from datebridge.core.matching.titles import Words, compare, words
from datebridge.core.occurrences.expanding import Bounds, Clocks

__all__ = ["CONTAINING", "THRESHOLD", "Alike", "Group", "Item", "find", "item_of", "joined_items"]

Key = TypeVar("Key", bound=Hashable)
#: Reads the texts of entries by their keys.
Read = Callable[[Collection[Key]], Mapping[Key, str]]
#: A feed of which this part stands elsewhere has only brought it back.
_ECHO = 0.6


def find(
    items: Sequence[Item[Key]],
    read: Read[Key],
    *,
    feeds: Collection[int] = (),
    clocks: Clocks | None = None,
    apart: Collection[frozenset[Key]] = (),
    threshold: float = THRESHOLD,
    bounds: Bounds | None = None,
    pause: Callable[[], None] = lambda: None,
) -> list[Group[Key]]:
    """The groups of items that are one meeting, by kind, the surest first.

    Args:
        items: entries with their changed occurrences (`together`).
        read: gives texts; asked once, for those that are candidates.
        feeds: the calendars that follow a feed; what came back through one of them is an echo.
        clocks: finds the zone a calendar defines under a TZID.
        apart: pairs that somebody has said are two.
        bounds: says afterwards of which series not all times were looked at.
        pause: called now and then; what it raises ends the look.
    """
    matching = _Matching(items, read, frozenset(feeds), clocks, frozenset(apart), threshold, bounds or Bounds(), pause)
    return matching.groups()


class _Matching(Generic[Key]):
    """One look at all items together."""

    def __init__(
        self,
        items: Sequence[Item[Key]],
        read: Read[Key],
        feeds: frozenset[int],
        clocks: Clocks | None,
        apart: frozenset[frozenset[Key]],
        threshold: float,
        bounds: Bounds,
        pause: Callable[[], None],
    ) -> None:
        self.items, self.read, self.feeds, self.clocks = items, read, feeds, clocks
        self.apart, self.threshold, self.bounds, self.pause = apart, threshold, bounds, pause
        self.around = Around.of(items)
        self.contents: dict[int, Content] = {}
        #: What the changed occurrences of a series say.
        self.parts: dict[int, tuple[bytes, ...]] = {}
        self.pairs: dict[tuple[int, int], MatchedPair] = {}

    def groups(self) -> list[Group[Key]]:
        items = self.items
        by_uid = [*candidates.of_one_uid(items), *candidates.of_one_text(items)]
        by_time = [*candidates.at_one_time(items), *candidates.from_one_time(items)]
        self._fetch(n for pair in (*by_uid, *by_time) for n in pair)
        self.around.covered = _covered(items, [*by_uid, *by_time])
        for a, b in by_uid:
            self._same_uid(a, b)
        for a, b in by_time:
            if (a, b) not in self.pairs:
                kind = Alike.SAME_TIME if items[a].length == items[b].length else Alike.OTHER_LENGTH
                self._note(a, b, kind, at_one_time(items[a], items[b], self.around, *self._contents_of(a, b)))
        self._shifted()
        self._within()
        return grouped(items, self._echoes())

    def _fetch(self, numbers: Iterable[int]) -> None:
        wanted = sorted({n for n in numbers if n not in self.contents})
        if wanted:
            texts = self.read([key for n in wanted for key in (self.items[n].key, *self.items[n].others)])
            for n in wanted:
                self.contents[n] = content_of(texts.get(self.items[n].key, ""))
                if self.items[n].others:
                    datas = (content_of(texts.get(key, "")).body for key in self.items[n].others)
                    self.parts[n] = tuple(sorted(datas))

    def _contents_of(self, a: int, b: int) -> tuple[Content, Content]:
        return self.contents.get(a, NOTHING), self.contents.get(b, NOTHING)

    def _same_uid(self, a: int, b: int) -> None:
        one, other = self.items[a], self.items[b]
        content, too = self._contents_of(a, b)
        if one.uid:
            evidence = of_one_uid(one, other, self.around, content, too)
        else:
            evidence = [Evidence(4.0, "equal text, without a UID")]
        self._note(a, b, Alike.SAME_UID, evidence)

    def _note(self, a: int, b: int, kind: Alike, evidence: list[Evidence]) -> None:
        """Keep a pair that is likely enough; all the same in what both say makes it identical."""
        self.pause()
        if frozenset((self.items[a].key, self.items[b].key)) in self.apart:
            return
        content, too = self._contents_of(a, b)
        changed = self.parts.get(a) != self.parts.get(b)
        if kind in (Alike.SAME_UID, Alike.SAME_TIME) and content.body and content.body == too.body and not changed:
            kind = Alike.IDENTICAL
            apart = self.items[a].calendar != self.items[b].calendar
            weight = 0.5 if apart and is_bare(self.items[a], content) else 2.5
            evidence = [Evidence(weight, "all properties are equal"), *evidence]
        value = score(evidence)
        if value >= self.threshold:
            self.pairs[a, b] = MatchedPair(a, b, kind, value, reasons(evidence))

    def _shifted(self) -> None:
        items = self.items
        met = {(n, items[m].calendar) for pair in self.pairs for n, m in (pair, pair[::-1])}
        shifts = list(shifting.shifts(items, met))
        self._fetch(n for shift in shifts for n in (shift.first, shift.second))
        for shift in shifts:
            first, second = items[shift.first], items[shift.second]
            evidence = [
                Evidence(-1.0),
                of_titles(first, second, self.around),
                of_places(first, second),
                *of_contents(*self._contents_of(shift.first, shift.second)),
                shift.evidence,
            ]
            self._note(shift.first, shift.second, Alike.SHIFTED, evidence)

    def _within(self) -> None:
        items = self.items
        holders = [
            holder
            for holder in within.held(items, self.clocks, self.bounds)
            if (holder.whole, holder.part) not in self.pairs and (holder.part, holder.whole) not in self.pairs
        ]
        self._fetch(n for holder in holders for n in (holder.whole, holder.part))
        for holder in holders:
            whole, part = items[holder.whole], items[holder.part]
            content, too = self._contents_of(holder.whole, holder.part)
            bare = is_bare(whole, content) and is_bare(part, too) and whole.calendar != part.calendar
            evidence = [
                Evidence(-2.5 if bare else -1.0),
                Evidence(1.0, "same title"),
                of_places(whole, part),
                *of_contents(content, too),
                of_calendars(whole, part, self.around),
                holder.evidence,
            ]
            self._note(holder.whole, holder.part, holder.kind, evidence)

    def _echoes(self) -> list[MatchedPair]:
        """The pairs; what a feed has in common with one calendar is an echo, if that is most of the feed."""
        sizes = Counter(item.calendar for item in self.items)
        shared: defaultdict[tuple[int, int], set[int]] = defaultdict(set)
        for pair in self.pairs.values():
            for n, m in ((pair.first, pair.second), (pair.second, pair.first)):
                own, other = self.items[n].calendar, self.items[m].calendar
                if own in self.feeds and other not in self.feeds:
                    shared[own, other].add(n)
        echoes = {pair for pair, own in shared.items() if len(own) >= _ECHO * sizes[pair[0]]}
        return [self._echo(pair, echoes) for pair in self.pairs.values()]

    def _echo(self, pair: MatchedPair, echoes: set[tuple[int, int]]) -> MatchedPair:
        one, other = self.items[pair.first].calendar, self.items[pair.second].calendar
        if pair.kind in CONTAINING or not ({(one, other), (other, one)} & echoes):
            return pair
        text = "the feed brings back what stands in the other calendar"
        return pair._replace(kind=Alike.ECHO, reasons=(text, *pair.reasons))


def _covered(items: Sequence[Item[Hashable]], pairs: Iterable[tuple[int, int]]) -> Callable[[int, int], float]:
    """Which part of the smaller of two calendars is in the other, by title and time or by UID.

    Counted in entries and in titles, and the lesser of the two counts: two people who both have lunch every day share
    many entries, but one title.
    """
    sizes = Counter(item.calendar for item in items)
    titles = Counter(calendar for calendar, _ in {(item.calendar, words(item.title)) for item in items})
    entries: defaultdict[tuple[int, int], set[int]] = defaultdict(set)
    shared: defaultdict[tuple[int, int], set[Words]] = defaultdict(set)
    for a, b in pairs:
        one, other = items[a], items[b]
        if one.calendar != other.calendar and compare(words(one.title), words(other.title)) != "other":
            for n, own, its in ((a, one, other), (b, other, one)):
                entries[own.calendar, its.calendar].add(n)
                shared[own.calendar, its.calendar].add(words(own.title))

    def part(one: int, other: int) -> float:
        pair = one, other
        return min(len(entries.get(pair, ())) / sizes[one], len(shared.get(pair, ())) / titles[one])

    def covered(one: int, other: int) -> float:
        return part(one, other) if sizes[one] <= sizes[other] else part(other, one)

    return covered
