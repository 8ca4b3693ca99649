"""Verification: what arrived, compared with what was to arrive, field by field and occurrence by occurrence.

>>> from datebridge.core.crossing.fidelity import Fidelity
>>> entry = "BEGIN:VEVENT\\nUID:7\\nSUMMARY:{}\\nDTSTART:20261124T080000Z\\nDURATION:PT1H\\nEND:VEVENT".format
>>> unit = Unit([Expected(1, entry("Tide"), entry("Tide"))], [(5, entry("Tides"))])
>>> [difference] = verify(unit, Span(1795000000, 1796000000))
>>> difference.verdict, difference.fields, difference.key, difference.there
('changed', ('title',), 1, 5)

The entries of one UID are looked at together. What was to arrive is known beforehand: the plan's changes, then what
the target is foretold to make of them. Only what is otherwise is a difference; what the plan or the forecast has done
is told as well, with its reason (see `Expected.reasons`).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Generic, Literal, NamedTuple, TypeVar

from datebridge.core.attachments import as_handed_over, is_marked, to_send
from datebridge.core.comparing import item_of, reconcile
from datebridge.core.comparing.fields import differing
from datebridge.core.index.derive import derive, digest_of
from datebridge.core.keeping import same_times
from datebridge.core.matching import Item
from datebridge.core.moments import Clock
from datebridge.core.occurrences.expanding import Bounds, Timed
from datebridge.core.text.component import Component
from datebridge.core.zones.meaning import NO_ZONES, Zones

Key = TypeVar("Key", bound=Hashable)
#: How an entry, or some of its occurrences, differs from what was to arrive.
Verdict = Literal["missing", "extra", "changed"]
_LEFT, _RIGHT = 1, 2
#: In so many steps all occurrences of a unit are found; what is beyond is said.
_STEPS = 200_000
_DAY = 86_400
#: The years in which a definition is compared with the zone its name means.
_YEARS = (1970, 2050)
#: How lines begin that only say how an entry was kept.
_BOOKKEEPING = ("UID:", "DTSTAMP:", "CREATED:", "LAST-MODIFIED:", "SEQUENCE:")
#: By which people are not told (RFC 6638 §7.1).
_SILENT = ";SCHEDULE-AGENT=CLIENT"


@dataclass(frozen=True, slots=True)
class Expected(Generic[Key]):
    """One entry of a source, and what is to arrive of it.

    Attributes:
        before: its text at the source.
        text: what is to arrive; None where it is left behind.
        reasons: why that is not what stands at the source: steps of the plan, foretold losses, rulings.
    """

    key: Key
    before: str
    text: str | None
    reasons: tuple[str, ...] = ()


class Span(NamedTuple):
    """The time in which occurrences are compared, in UTC seconds; the end is exclusive."""

    low: int
    high: int


@dataclass(frozen=True, slots=True)
class Unit(Generic[Key]):
    """The entries of one UID at both ends.

    Attributes:
        there: the target's entries, by key, with their texts.
        zones, zones_there: what the calendars at both ends define.
    """

    expected: Sequence[Expected[Key]]
    there: Sequence[tuple[Key, str]]
    zones: Zones = NO_ZONES
    zones_there: Zones = NO_ZONES


class EntryDifference(NamedTuple, Generic[Key]):
    """What is otherwise than it was to be.

    Attributes:
        key, there: the entry at the source, and at the target; None where there is none.
        fields: which fields differ, in words; ``time`` where it happens otherwise, ``length`` where it lasts otherwise.
        occurrences: in how many occurrences of the span something differs, where they had to be looked at.
        moved_by: by how many seconds all of these moved, where that is one number; else 0.
        cut: not all occurrences were looked at.
    """

    verdict: Verdict
    key: Key | None
    there: Key | None
    fields: tuple[str, ...] = ()
    occurrences: int = 0
    moved_by: int = 0
    cut: bool = False


def is_same(expected: str, text: str) -> bool:
    """Whether two texts say the same, told at a glance: true only where they do, false where it has to be looked at.

    >>> entry = "BEGIN:VEVENT\\nUID:{}\\nSUMMARY:Tide\\nEND:VEVENT".format
    >>> is_same(entry(1), entry(2))
    True
    """
    if expected == text:
        return True
    mine, theirs = _said(expected), _said(text)
    if mine == theirs:
        return True
    nested = any(line.startswith("BEGIN:") for line in mine[1:])
    return not nested and len(mine) == len(theirs) and sorted(mine) == sorted(theirs)


def _said(text: str) -> list[str]:
    """The lines that say something of an entry."""
    return [line.replace(_SILENT, "") for line in text.split("\n") if not line.startswith(_BOOKKEEPING)]


def verify(unit: Unit[Key], span: Span) -> list[EntryDifference[Key]]:
    """What is otherwise; nothing where all is there as it was to be."""
    if is_marked([one.text for one in unit.expected if one.text is not None]):
        unit = _with_files_within(unit)
    here, others = _by_occurrence(unit)
    differences: list[EntryDifference[Key]] = []
    doubtful = False
    for place in dict.fromkeys([*here, *others]):
        wanted, present = here.get(place, []), others.get(place, [])
        for expected, (there, text) in zip(wanted, present, strict=False):
            fields = differing(expected.text or "", text)
            if fields:
                differences.append(EntryDifference("changed", expected.key, there, fields))
            doubtful = doubtful or _times_differ(expected.text or "", text, unit)
        differences += [EntryDifference("missing", one.key, None) for one in wanted[len(present) :]]
        differences += [EntryDifference("extra", None, there) for there, _ in present[len(wanted) :]]
    alone = any(one.verdict != "changed" for one in differences)
    if doubtful or (alone and here and others):
        return _with_times(differences, unit, span)
    return differences


def _with_files_within(unit: Unit[Key]) -> Unit[Key]:
    """The same as if the target kept within its entries what it keeps by itself."""
    promised = [one.text for one in unit.expected if one.text is not None]
    there = to_send(as_handed_over(promised, [text for _, text in unit.there]), manages=False)
    expected = [one if one.text is None else replace(one, text=to_send([one.text], False)[0]) for one in unit.expected]
    keys = [key for key, _ in unit.there]
    return replace(unit, expected=expected, there=list(zip(keys, there, strict=True)))


def _by_occurrence(
    unit: Unit[Key],
) -> tuple[dict[str, list[Expected[Key]]], dict[str, list[tuple[Key, str]]]]:
    """Both ends by what each entry stands for in its series; equal ones face each other where several do."""
    here: defaultdict[str, list[Expected[Key]]] = defaultdict(list)
    others: defaultdict[str, list[tuple[Key, str]]] = defaultdict(list)
    for one in unit.expected:
        if one.text is not None:
            here[_stands_for(one.text, unit.zones)].append(one)
    for key, text in unit.there:
        others[_stands_for(text, unit.zones_there)].append((key, text))
    for place, wanted in here.items():
        present = others.get(place, [])
        if len(present) > 1 or (len(wanted) > 1 and present):
            digests = [digest_of(one.text or "") for one in wanted]
            present.sort(key=lambda one: _rank(digest_of(one[1]), digests))
            known = [digest_of(text) for _, text in present]
            wanted.sort(key=lambda one: _rank(digest_of(one.text or ""), known))
    return here, others


def _rank(digest: bytes, order: Sequence[bytes]) -> int:
    return order.index(digest) if digest in order else len(order)


def _stands_for(text: str, zones: Zones) -> str:
    """The kind of an entry, and which occurrence it stands for, however that is written."""
    component = Component(text)
    if component.first("RECURRENCE-ID") is None:
        return component.kind
    return f"{component.kind} {derive(component.kind, text, zones).recurrence_id}"


def _times_differ(expected: str, text: str, unit: Unit[Key]) -> bool:
    """Whether the two are to be compared by their occurrences: they are written otherwise, or a definition counts."""
    return not same_times(expected, text) or bool(
        (unit.zones or unit.zones_there) and "TZID=" in text and _defined(text, unit)
    )


def _defined(text: str, unit: Unit[Key]) -> bool:
    """Whether a zone of an entry is defined at both ends, and not alike."""
    names = {
        value
        for _, line in Component(text).properties()
        for param, values in line.params
        if param == "TZID"
        for value in values
    }
    return any(means_otherwise(name, unit.zones, unit.zones_there) for name in names)


def means_otherwise(tzid: str, here: Zones, there: Zones) -> bool:
    """Whether a TZID may mean another clock at one end than at the other."""
    if here.text(tzid) == there.text(tzid):
        return False
    mine, theirs = here.of(tzid, *_YEARS), there.of(tzid, *_YEARS)
    return not mine.zone or mine.zone != theirs.zone


def _with_times(differences: Sequence[EntryDifference[Key]], unit: Unit[Key], span: Span) -> list[EntryDifference[Key]]:
    """The same with the occurrences that are not at their time; a series in other pieces is no difference."""
    texts: dict[int, str] = {}
    keys: dict[int, Key] = {}
    left: list[Item[int]] = []
    right: list[Item[int]] = []
    for one in unit.expected:
        if one.text is not None:
            left.append(_item(texts, keys, one.key, one.text, _LEFT, unit.zones))
    for key, text in unit.there:
        right.append(_item(texts, keys, key, text, _RIGHT, unit.zones_there))

    def clocks(calendar: int, tzid: str) -> Clock | None:
        return (unit.zones if calendar == _LEFT else unit.zones_there).clock(tzid)

    def read(numbers: Collection[int]) -> Mapping[int, str]:
        return {number: texts[number] for number in numbers}

    bounds = Bounds(left=_STEPS)
    pairs = reconcile(left, right, read, *span, clocks=clocks, bounds=bounds, match=False)
    by_ends: dict[tuple[Key | None, Key | None], _Otherwise] = {}
    for met in (difference for pair in pairs for difference in pair.differences):
        ends = (
            keys[met.left.entry] if met.left is not None else None,
            keys[met.right.entry] if met.right is not None else None,
        )
        otherwise = by_ends.setdefault(ends, _Otherwise())
        otherwise.fields.update(met.fields)
        otherwise.count += 1
        if met.left is None or met.right is None or met.moved_by:
            otherwise.by.add(met.moved_by)
            otherwise.fields.add("time")
    seen = {keys[item.timed.id] for item in (*left, *right) if item.timed is not None and _inside(item.timed, span)}
    return _joined(differences, by_ends, seen, bool(bounds.cut))


def _inside(entry: Timed, span: Span) -> bool:
    """Whether all that one entry says happens in the span, a day at its edges aside."""
    return entry.start_wall > span.low + _DAY and entry.end_wall < span.high - _DAY


@dataclass(slots=True)
class _Otherwise:
    """What is otherwise in the occurrences of one entry at either end."""

    count: int = 0
    by: set[int] = field(default_factory=set)
    fields: set[str] = field(default_factory=set)


def _joined(
    differences: Iterable[EntryDifference[Key]],
    by_ends: Mapping[tuple[Key | None, Key | None], _Otherwise],
    seen: Collection[Key],
    cut: bool,
) -> list[EntryDifference[Key]]:
    """Differences of texts and of occurrences, one a pair of entries.

    A series in other pieces is no difference: an entry that is alone, and whose occurrences all have their
    counterparts, is left out.
    """
    joined: dict[tuple[Key | None, Key | None], EntryDifference[Key]] = {}
    for one in differences:
        alone = one.there if one.key is None else one.key
        if one.verdict == "changed" or by_ends or cut or alone not in seen:
            joined[one.key, one.there] = one._replace(cut=cut)
    for ends, otherwise in by_ends.items():
        verdict: Verdict = "missing" if ends[1] is None else "extra" if ends[0] is None else "changed"
        one = joined.get(ends, EntryDifference(verdict, *ends, cut=cut))
        joined[ends] = one._replace(
            fields=tuple(sorted({*one.fields, *otherwise.fields})),
            occurrences=otherwise.count,
            moved_by=next(iter(otherwise.by)) if len(otherwise.by) == 1 else 0,
        )
    return list(joined.values())


def _item(texts: dict[int, str], keys: dict[int, Key], key: Key, text: str, side: int, zones: Zones) -> Item[int]:
    number = len(texts) + 1
    texts[number], keys[number] = text, key
    facts = derive(Component(text).kind, text, zones)
    # Both ends may know the meeting by a UID of their own.
    return item_of(number, side, facts, number)._replace(uid="1")
