"""Three states of one object put together: a series with its changed occurrences, or a single entry.

>>> series = "BEGIN:VEVENT\\nUID:1\\nDTSTART:20261201T090000Z\\nRRULE:FREQ=DAILY;COUNT={}\\nEND:VEVENT".format
>>> moved = "BEGIN:VEVENT\\nUID:1\\nRECURRENCE-ID:20261203T090000Z\\nDTSTART:20261203T110000Z\\nEND:VEVENT"
>>> base = ObjectState([series(5)])
>>> merged = merge_objects(base, ObjectState([series(9)]), ObjectState([series(5), moved]))
>>> merged.texts == (series(9), moved), merged.conflicts
(True, ())

The series and each changed occurrence are merged field by field (`core.merge`), exception and extra dates one by one.
What one side says of an occurrence that the other side took away, or whose series does not happen then any more, is a
conflict of that occurrence. A series that one side moved while the other changed one of its occurrences, or its dates,
is a conflict of its times, since nobody can say which of the new occurrences is meant.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from datebridge.core.editing.groups import AsSeries
from datebridge.core.editing.series import standing_alone
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts
from datebridge.core.merge import BOOKKEEPING, TIMES, Merged, differing, merge_sides
from datebridge.core.merging.dates import DATES, dates_of, united
from datebridge.core.moments import Clock
from datebridge.core.occurrences.expanding import slot_of
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.recurrence.starts import DAY
from datebridge.core.text.component import Component, ComponentEditor, with_property
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: Which entry of an object: its kind, and the occurrence it stands for, "" for the series itself.
Place = tuple[str, str]
Change = Literal["same", "left", "right", "both"]
#: What an entry has that is a series, or one of its occurrences; and one whose revisions are counted.
_REPEATS = re.compile(r"^(?:RRULE|RDATE|EXDATE|EXRULE|RECURRENCE-ID)[:;]", re.IGNORECASE | re.MULTILINE)
_TIME_NAMES = tuple(sorted(TIMES))
_OCCURRENCE = re.compile(r"^RECURRENCE-ID[:;]", re.IGNORECASE | re.MULTILINE)
_SEQUENCE = re.compile(r"^SEQUENCE(?:;[^:\n]*)?:([0-9]{1,9})$", re.IGNORECASE | re.MULTILINE)
_RECURRENCE = ("RRULE", "RDATE", "EXDATE", "EXRULE")
#: When a series begins, and so where each of its occurrences is.
_ANCHOR = frozenset({"DTSTART", "DUE"})


@dataclass(frozen=True, slots=True)
class ObjectState:
    """The entries of one UID as one side has them, with the zones its calendar defines; none where they are gone."""

    texts: Sequence[str] = ()
    zones: Zones = NO_ZONES


class FieldConflict(NamedTuple):
    """A field of an entry that both sides changed, and not alike.

    Attributes:
        name: of the property or nested component; "" for the whole entry.
        base, left, right: its lines; none where there are none.
    """

    place: Place
    name: str
    base: tuple[str, ...]
    left: tuple[str, ...]
    right: tuple[str, ...]


class MergedObject(NamedTuple):
    """What comes of both sides; what is in conflict keeps its base.

    Attributes:
        changes: who changed each entry that anybody has.
    """

    texts: tuple[str, ...]
    conflicts: tuple[FieldConflict, ...]
    changes: dict[Place, Change]


def merge_objects(base: ObjectState, left: ObjectState, right: ObjectState) -> MergedObject:
    """Put together what two sides made of one object."""
    if right.texts == base.texts or left.texts == right.texts:
        return _as_one_has_it(base, left, "both" if left.texts == right.texts else "left")
    if left.texts == base.texts:
        return _as_one_has_it(base, right, "right")
    if all(len(state.texts) == 1 and not _REPEATS.search(state.texts[0]) for state in (base, left, right)):
        return _single(base.texts[0], left.texts[0], right.texts[0])
    return _Merging(_Side(base), _Side(left), _Side(right)).run()


def _single(was: str, mine: str, theirs: str) -> MergedObject:
    """The same for an entry that happens once: most do, and nothing has to be known of when."""
    place = was.partition("\n")[0].partition(":")[2].strip().upper(), ""
    merged = _merged(was, mine, theirs)
    sides = {side for name, side in merged.sides.items() if name not in BOOKKEEPING}
    by_left, by_right = bool(sides - {"right"}), bool(sides - {"left"})
    change: Change = "both" if by_left and by_right else "left" if by_left else "right" if by_right else "same"
    conflicts = tuple(FieldConflict(place, one.name, one.base, one.left, one.right) for one in merged.conflicts)
    return MergedObject((merged.text or was,), conflicts, {place: change})


def _as_one_has_it(base: ObjectState, side: ObjectState, whose: Change) -> MergedObject:
    """What comes of an object that one side has left alone, or that both have made the same."""
    was, now = _Side(base), _Side(side)
    changes: dict[Place, Change] = {
        place: whose if _differ(was.entries.get(place), now.entries.get(place)) else "same"
        for place in {**now.entries, **was.entries}
    }
    return MergedObject(tuple(side.texts), (), changes)


class _Side:
    """One state, taken apart."""

    def __init__(self, state: ObjectState) -> None:
        self.zones = state.zones
        self.entries: dict[Place, str] = {}
        self.plain: dict[str, AsSeries] = {}
        self._series: dict[str, _Series | None] = {}
        times: Counter[Place] = Counter()
        for text in state.texts:
            kind = Component(text).kind
            # Most are no occurrence, and then nothing has to be known of when they are.
            occurrence = derive(kind, text, state.zones).recurrence_id if _OCCURRENCE.search(text) else ""
            times[kind, occurrence] += 1  # the same occurrence may be there twice, against RFC 5545 §3.8.4.4
            number = times[kind, occurrence]
            self.entries[kind, occurrence if number == 1 else f"{occurrence} {number}"] = text

    def series(self, kind: str) -> _Series | None:
        """The series of a kind; None where there is none, or it has no time."""
        if kind not in self._series:
            text = self.entries.get((kind, ""))
            facts = derive(kind, text, self.zones) if text is not None else None
            timed = facts is not None and facts.start_wall is not None
            self._series[kind] = _Series(facts, self.zones) if facts is not None and timed else None
        return self._series[kind]


class _Series:
    """When a series happens, and which of its occurrences are left out."""

    def __init__(self, facts: Facts, zones: Zones) -> None:
        self.start = facts.start_wall or 0
        self.pattern = pattern(facts.recurrence)
        self.clock: Clock | None = facts.zone or zones.clock(facts.tzid) or None

    def slot(self, occurrence: str) -> int | None:
        return slot_of(occurrence, self.clock)

    def leaves_out(self, occurrence: str) -> bool:
        slot = self.slot(occurrence)
        return slot is not None and (slot in self.pattern.gone or slot // DAY * DAY in self.pattern.gone_days)

    def happens(self, occurrence: str) -> bool:
        """Whether an occurrence is one of its own, be it left out or not."""
        slot = self.slot(occurrence)
        return slot is not None and (self.pattern.has(self.start, slot) or self.leaves_out(occurrence))


@dataclass(slots=True)
class _Merging:
    base: _Side
    left: _Side
    right: _Side
    texts: dict[Place, str] = field(default_factory=dict)
    conflicts: list[FieldConflict] = field(default_factory=list)
    changes: dict[Place, Change] = field(default_factory=dict)
    settled: set[Place] = field(default_factory=set)
    series: dict[str, list[_Series]] = field(default_factory=dict)

    def run(self) -> MergedObject:
        places = list(dict.fromkeys([*self.left.entries, *self.right.entries, *self.base.entries]))
        for place in places:
            self.changes[place] = self._change(place)
        if self._is_gone():
            return MergedObject(tuple(self.texts.values()), tuple(self.conflicts), self.changes)
        held: list[Place] = []  # occurrences in conflict, which are left out on one side
        for place in [*(one for one in places if not one[1]), *(one for one in places if one[1])]:
            self._master(place) if not place[1] else self._occurrence(place, held)
        for kind in dict.fromkeys(place[0] for place in held):
            self._bring_back(kind, {place[1] for place in held if place[0] == kind})
        return MergedObject(tuple(self.texts.values()), tuple(self.conflicts), self.changes)

    def _change(self, place: Place) -> Change:
        was, mine, theirs = (side.entries.get(place) for side in (self.base, self.left, self.right))
        by_left, by_right = _differ(was, mine), _differ(was, theirs)
        return "both" if by_left and by_right else "left" if by_left else "right" if by_right else "same"

    def _is_gone(self) -> bool:
        """Whether one side has deleted the object; then it goes, unless the other has changed it."""
        gone = [side for side in (self.left, self.right) if not side.entries]
        if not gone or not self.base.entries:
            return not self.left.entries and not self.right.entries
        other = self.right if gone[0] is self.left else self.left
        changed = [place for place in {**self.base.entries, **other.entries} if self._edited(place, other)]
        if changed and other.entries:
            self.texts.update(self.base.entries)
            for place in changed:
                self._conflict(place)
        return True

    def _edited(self, place: Place, side: _Side) -> bool:
        return _differ(self.base.entries.get(place), side.entries.get(place))

    def _conflict(self, place: Place) -> None:
        states = (side.entries.get(place) for side in (self.base, self.left, self.right))
        self.conflicts.append(FieldConflict(place, "", *(tuple(one.split("\n")) if one else () for one in states)))

    # ---- the series itself ----------------------------------------------------------------------

    def _master(self, place: Place) -> None:
        was, mine, theirs = (side.entries.get(place) for side in (self.base, self.left, self.right))
        if was is None or mine is None or theirs is None:
            self._keep(place, _merged(was, mine, theirs))
            return
        sides = (was, mine, theirs)
        zones = self.base.zones, self.left.zones, self.right.zones
        by_left, by_right = (
            _times_changed(was, one, self.base.zones, own)
            for one, own in ((mine, self.left.zones), (theirs, self.right.zones))
        )
        if self._moved_apart(place, by_left, by_right):
            self._hold_times(place, sides)
            return
        if not set(DATES).intersection((*by_left, *by_right)):
            self._keep(place, _merged(*sides))
            return
        lines = {name: united(name, sides, zones) for name in DATES}
        plain = [_without(text, DATES) for text in sides]
        merged = _merged(*plain)
        if merged.text is not None:
            editor = ComponentEditor(merged.text)
            editor.add(*(line for name in DATES for line in lines[name]))
            merged = Merged(editor.text, merged.sides, merged.conflicts)
        self._keep(place, merged)

    def _moved_apart(self, place: Place, by_left: Collection[str], by_right: Collection[str]) -> bool:
        """Whether one side moved the series, and the other changed its dates or an occurrence."""
        for moved, other, side in ((by_left, by_right, self.right), (by_right, by_left, self.left)):
            if not _ANCHOR.intersection(moved):
                continue
            occurrences = any(
                self._edited(one, side)
                for one in {**self.base.entries, **side.entries}
                if one[1] and one[0] == place[0]
            )
            if (occurrences or set(DATES).intersection(other)) and not self._alike_moved(place):
                return True
        return False

    def _alike_moved(self, place: Place) -> bool:
        mine, theirs = self.left.entries[place], self.right.entries[place]
        return not any(one.name in TIMES for one in differing(mine, theirs))

    def _hold_times(self, place: Place, sides: Sequence[str]) -> None:
        """The times keep their base, with all occurrences that are made of them; the words travel."""
        was, mine, theirs = sides
        words = [_with_times_of(text, was) for text in sides]
        merged = _merged(*words)
        named = sorted({one.name for text in (mine, theirs) for one in differing(was, text) if one.name in TIMES})
        for name in named:
            lines = ("\n".join(_lines_of(text, name)) for text in sides)
            self.conflicts.append(FieldConflict(place, name, *(tuple(one.split("\n")) if one else () for one in lines)))
        self._keep(place, merged)
        # Which of the moved occurrences are which cannot be told: those of the base stay, as a whole.
        for other in {**self.base.entries, **self.left.entries, **self.right.entries}:
            if not other[1] or other[0] != place[0]:
                continue
            if self.changes[other] != "same":
                self._conflict(other)
            if other in self.base.entries:
                self.texts[other] = self.base.entries[other]
            self.settled.add(other)

    # ---- changed occurrences ---------------------------------------------------------------------

    def _occurrence(self, place: Place, held: list[Place]) -> None:
        if place in self.settled:
            return
        was, mine, theirs = (side.entries.get(place) for side in (self.base, self.left, self.right))
        for side, own, other in ((self.left, mine, theirs), (self.right, theirs, mine)):
            if own is None and other is not None and _differ(was, other) and self._takes_away(place, side):
                self._conflict(place)
                held.append(place)
                if was is not None:
                    self.texts[place] = was
                return
        merged = _merged(*self._as_made(place, was, mine, theirs))
        if merged.text is not None and merged.text != was and not self._belongs(place, mine, theirs):
            self._conflict(place)
            if was is not None and mine is not None and theirs is not None:
                self.texts[place] = was
            return
        self._keep(place, merged)

    def _as_made(
        self, place: Place, was: str | None, mine: str | None, theirs: str | None
    ) -> tuple[str | None, str | None, str | None]:
        """The states of an occurrence that was made since.

        It began as its series had it, and still is so on a side that has only changed the series.
        """
        made = mine if mine is not None else theirs
        if was is not None or made is None:
            return was, mine, theirs
        alone = [self._alone(side, place, made) for side in (self.base, self.left, self.right)]
        states = alone[0], mine if mine is not None else alone[1], theirs if theirs is not None else alone[2]
        untouched = (mine is None and alone[1] == alone[0]) or (theirs is None and alone[2] == alone[0])
        return (was, mine, theirs) if untouched or None in states else states

    def _alone(self, side: _Side, place: Place, made: str) -> str | None:
        """An occurrence as a side's series has it; None where that does not happen then."""
        kind, occurrence = place
        series, text = side.series(kind), side.entries.get((kind, ""))
        if kind != "VEVENT" or series is None or text is None or not series.happens(occurrence):
            return None
        if kind not in side.plain:  # read once, or many occurrences would cost many times all dates of the series
            side.plain[kind] = AsSeries(_without(text, _RECURRENCE), side.zones)
        editor = standing_alone(side.plain[kind], series.slot(occurrence) or 0)
        editor.add(*_lines_of(made, "RECURRENCE-ID"))
        return editor.text

    def _takes_away(self, place: Place, side: _Side) -> bool:
        """Whether a side has left out an occurrence, or its series, which the base has."""
        own, before = side.series(place[0]), self.base.series(place[0])
        if own is None:
            return before is not None
        return own.leaves_out(place[1]) and not (before is not None and before.leaves_out(place[1]))

    def _belongs(self, place: Place, mine: str | None, theirs: str | None) -> bool:
        """Whether the merged series happens when an occurrence does that was one of its side's own series."""
        kind, occurrence = place
        text = self.texts.get((kind, ""))
        own = [side.series(kind) for side, one in ((self.left, mine), (self.right, theirs)) if one is not None]
        if text is None or not any(series is not None and series.happens(occurrence) for series in own):
            return True  # there is no series, or it was outside of its own before
        return any(series.happens(occurrence) for series in self._series_of(kind, text))

    def _series_of(self, kind: str, text: str) -> list[_Series]:
        """The merged series, as the zones of either side have it. It is merged before its occurrences."""
        if kind not in self.series:
            both = ((derive(kind, text, side.zones), side.zones) for side in (self.left, self.right))
            self.series[kind] = [_Series(facts, zones) for facts, zones in both if facts.start_wall is not None]
        return self.series[kind]

    def _bring_back(self, kind: str, occurrences: Collection[str]) -> None:
        """Occurrences that wait for a decision are not left out meanwhile."""
        text, base = self.texts.get((kind, "")), self.base.entries.get((kind, ""))
        if text is None or base is None:
            return
        before = dates_of("EXDATE", base, self.base.zones)
        dates = dates_of("EXDATE", text, self.left.zones).items()
        editor = ComponentEditor(_without(text, ("EXDATE",)))
        editor.add(*(line for key, line in dates if key not in occurrences or key in before))
        self.texts[kind, ""] = editor.text

    def _keep(self, place: Place, merged: Merged) -> None:
        if merged.text is not None:
            self.texts[place] = merged.text
        self.conflicts += [FieldConflict(place, one.name, one.base, one.left, one.right) for one in merged.conflicts]


def _differ(one: str | None, other: str | None) -> bool:
    if one == other:
        return False
    if one is None or other is None:
        return True
    return any(field.name not in BOOKKEEPING for field in differing(one, other))


def _merged(was: str | None, mine: str | None, theirs: str | None) -> Merged:
    """Field by field; the higher revision counts, and nobody decides that (RFC 5545 §3.8.7.4).

    What only one side has touched is as that side has it, to the byte.
    """
    if was is not None and mine is not None and theirs is not None:
        if theirs in (was, mine):
            return Merged(mine, {}, ())
        if mine == was:
            return Merged(theirs, {}, ())
    states = [was, mine, theirs]
    revisions = {_revision(one) for one in states if one is not None}
    if len(revisions) > 1:
        highest = str(max(revisions))
        states = [with_property(one, "SEQUENCE", highest) if one is not None else None for one in states]
    return merge_sides(*states)


def _revision(text: str) -> int:
    """The SEQUENCE of an entry; -1 where it has none that can be read."""
    match = _SEQUENCE.search(text)
    return int(match[1]) if match is not None else -1


def _times_changed(was: str, text: str, before: Zones, zones: Zones) -> set[str]:
    """Which of its times an entry says otherwise; dates by what they mean."""
    if _time_lines(was) == _time_lines(text):
        return set()
    names = {one.name for one in differing(was, text) if one.name in TIMES and one.name not in DATES}
    return names | {name for name in DATES if dates_of(name, was, before).keys() != dates_of(name, text, zones).keys()}


def _time_lines(text: str) -> list[str]:
    return [line for line in text.split("\n") if line.upper().startswith(_TIME_NAMES)]


def _without(text: str, names: Collection[str]) -> str:
    editor = ComponentEditor(text)
    for name in names:
        editor.drop(name)
    return editor.text


def _with_times_of(text: str, other: str) -> str:
    """An entry with the times of another state of it, where its own stand."""
    left = {name: _lines_of(other, name) for name in sorted(TIMES)}
    lines: list[str | None] = [*text.split("\n")]
    for at, line in Component(text).properties():
        if line.name in TIMES:
            own = left[line.name]
            lines[at] = own.pop(0) if own else None
    editor = ComponentEditor("\n".join(line for line in lines if line is not None))
    editor.add(*(line for own in left.values() for line in own))
    return editor.text


def _lines_of(text: str, name: str) -> list[str]:
    lines = text.split("\n")
    return [lines[at] for at, line in Component(text).properties() if line.name == name]
