"""Series cut into pieces, and changed occurrences without their series: what belongs to what.

Pieces follow each other, on one clock, with one title and length and at one hour, and say the same. An orphan belongs
to the series of its title that happens at the time it stands for.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Sequence
from typing import Generic, NamedTuple, TypeVar

from datebridge.core.index.facts import Mark
from datebridge.core.matching.titles import Words, words
from datebridge.core.occurrences.expanding import Timed, slot_of
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.recurrence.starts import DAY

Key = TypeVar("Key", bound=Hashable)
Key_co = TypeVar("Key_co", bound=Hashable, covariant=True)
#: The next piece begins this soon after the one before at the latest, and no more than so long before its end.
_AFTER, _OVER = 62 * DAY, 2 * DAY
#: How many series of one title are looked at for an orphan.
_MOST = 200


class SeriesShape(NamedTuple, Generic[Key_co]):
    """An entry as far as it is asked here; `timed` as the engine of occurrences takes it."""

    key: Key_co
    title: str
    place: str
    component: str
    timed: Timed

    @property
    def is_master(self) -> bool:
        """Whether it is a series."""
        return bool(self.timed.marks & Mark.SERIES) and not self.timed.recurrence_id


def pieces(entries: Sequence[SeriesShape[Key]]) -> list[list[Key]]:
    """Masters that are pieces of one series, each list in the order of time; whether they say the same is not asked."""
    alike: defaultdict[tuple[object, ...], list[SeriesShape[Key]]] = defaultdict(list)
    for entry in entries:
        if entry.is_master:
            alike[_shape(entry)].append(entry)
    runs = []
    for some in alike.values():
        if len(some) < 2:
            continue
        run: list[SeriesShape[Key]] = []
        for entry in sorted(some, key=lambda e: e.timed.start_wall):
            if run and not _follows(run[-1], entry):
                runs += [[shape.key for shape in run]] if len(run) > 1 else []
                run = []
            run.append(entry)
        runs += [[shape.key for shape in run]] if len(run) > 1 else []
    return runs


def _shape(entry: SeriesShape[Key]) -> tuple[object, ...]:
    timed = entry.timed
    return (
        timed.calendar,
        entry.component,
        words(entry.title),
        entry.place,
        timed.tzid,
        timed.marks & Mark.ALL_DAY,
        timed.start_wall % DAY,
        timed.end_wall - timed.start_wall,
        _frequencies(timed),
    )


def _frequencies(timed: Timed) -> tuple[tuple[str, int, tuple[tuple[int, str], ...]], ...]:
    return tuple((rule.freq, rule.interval, rule.byday) for rule in pattern(timed.recurrence).rules)


def _follows(one: SeriesShape[Key], other: SeriesShape[Key]) -> bool:
    """Whether a series goes on where the one before it ends."""
    until = one.timed.until_wall
    if until is None or one.timed.uid == other.timed.uid:
        return False
    return until - _OVER <= other.timed.start_wall <= until + _AFTER


class Attachment(NamedTuple, Generic[Key_co]):
    """An orphan and the series it belongs to, with the slot it stands for; `sure`: by UID or UID's beginning."""

    orphan: Key_co
    series: Key_co
    slot: int
    sure: bool


def attachments(entries: Sequence[SeriesShape[Key]], orphans: Sequence[SeriesShape[Key]]) -> list[Attachment[Key]]:
    """The series that changed occurrences without their own belong to; those that have none there are left out."""
    by_title: defaultdict[Words, list[SeriesShape[Key]]] = defaultdict(list)
    for entry in entries:
        if entry.is_master:
            by_title[words(entry.title)].append(entry)
    attached = []
    for orphan in orphans:
        best: Attachment[Key] | None = None
        for series in by_title.get(words(orphan.title), [])[:_MOST]:
            slot = slot_of(orphan.timed.recurrence_id, series.timed.zone or None)
            if slot is None or series.component != orphan.component:
                continue
            if len(orphan.timed.recurrence_id) == 8 and not series.timed.marks & Mark.ALL_DAY:
                slot += series.timed.start_wall % DAY
            if not pattern(series.timed.recurrence).has(series.timed.start_wall, slot):
                continue
            sure = _is_named_after(orphan.timed.uid, series.timed.uid)
            if best is None or (sure and not best.sure):
                best = Attachment(orphan.key, series.key, slot, sure)
        if best is not None:
            attached.append(best)
    return attached


def _is_named_after(uid: str, other: str) -> bool:
    return bool(other) and len(other) >= 8 and uid.startswith(other.partition("@")[0])
