"""The entries of one UID as they are edited together: a series with its changed occurrences, and what is to change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import islice
from typing import NamedTuple

from datebridge.core.editing.dates import (
    MOST_LISTED,
)
from datebridge.core.editing.fields import CannotEdit, Fields, read_fields, set_times, start_of
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.moments import Clock, Moment, from_wall_seconds, instant_at, wall_at
from datebridge.core.occurrences.expanding import slot_of
from datebridge.core.recurrence.pattern import Pattern, pattern
from datebridge.core.recurrence.starts import DAY
from datebridge.core.text.component import ComponentEditor
from datebridge.core.zones.meaning import NO_ZONES, Zones


class SeriesMember(NamedTuple):
    """One entry of a UID: what it is stored as, and its text."""

    id: int
    text: str


class Edit(NamedTuple):
    """What becomes of an entry: `text` None if it goes, `id` None if it is new."""

    id: int | None
    text: str | None
    reason: str


@dataclass(slots=True)
class Plan:
    """The edits, and sentences that say what else they do."""

    edits: list[Edit] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


@dataclass
class Group:
    """A series (or a lone entry) with its overrides.

    Attributes:
        clock: what its master goes by.
        zones: what its calendar defines.
    """

    members: Sequence[SeriesMember]
    clock: Clock | None = None
    zones: Zones = NO_ZONES

    @cached_property
    def master(self) -> SeriesMember | None:
        """The entry that all others belong to; None where only changed occurrences are there."""
        return next((m for m in self.members if not next(ComponentEditor(m.text).own("RECURRENCE-ID"), None)), None)

    @cached_property
    def overrides(self) -> list[tuple[SeriesMember, int]]:
        """Overrides with the slots they stand for."""
        slots = []
        for member in self.members:
            key = derive("VEVENT", member.text, self.zones).recurrence_id
            slot = slot_of(key, self.clock) if key else None
            if slot is not None:
                slots.append((member, self._slot_at(slot)))
        return slots

    def _slot_at(self, slot: int) -> int:
        """The slot of the series that happens when a slot would: an hour that the clocks skip happens later."""
        clock, series = self.clock, self.series
        if clock is None or series is None or series.has(slot):
            return slot
        same = (
            one for one in (slot - 1800, slot - 3600, slot - 7200) if instant_at(one, clock) == instant_at(slot, clock)
        )
        return next((one for one in same if series.has(one)), slot)

    @cached_property
    def series(self) -> AsSeries | None:
        """The master as a series; None if it happens once."""
        series_of = AsSeries(self.master.text, self.zones) if self.master else None
        return (
            series_of
            if series_of and series_of.facts.marks & Mark.SERIES and series_of.facts.start_wall is not None
            else None
        )

    def member(self, wanted: int) -> SeriesMember:
        """One of its entries.

        Raises:
            CannotEdit: if it is not there.
        """
        for member in self.members:
            if member.id == wanted:
                return member
        raise CannotEdit("This entry no longer exists.")


class AsSeries:
    """A text read as a series."""

    def __init__(self, text: str, zones: Zones) -> None:
        self.text, self.zones = text, zones
        self.facts: Facts = derive("VEVENT", text, zones)
        self.fields: Fields = read_fields(text, zones)
        self.shape: Pattern = pattern(self.facts.recurrence)

    @property
    def begin(self) -> int:
        """Its start, in wall seconds."""
        return self.facts.start_wall or 0

    @cached_property
    def start(self) -> Moment:
        """Its start as a moment."""
        return start_of(self.fields, self.zones)

    def at(self, slot: int) -> Moment:
        """A slot as a moment of the series, as its DTSTART is written."""
        return self.start._replace(wall=from_wall_seconds(slot))

    def slots(self, most: int) -> list[int]:
        """Its slots in order, from extra dates before the start on; no more than so many."""
        return list(islice(self.shape.each(self.begin, first_slot(self), 1 << 40), most))

    @property
    def dates(self) -> int:
        """As how many dates it could be written; 0 where it has no end, or too many."""
        if self.facts.marks & Mark.ENDLESS:
            return 0
        number = len(self.slots(MOST_LISTED + 1))
        return number if number <= MOST_LISTED else 0

    def has(self, slot: int) -> bool:
        """Whether it happens in a slot."""
        return self.shape.has(self.begin, slot)

    def end_of(self, slot: int) -> int:
        """When what begins in a slot ends, on the clock of the series."""
        long = self.shape.extra.get(slot) or self.shape.nominal
        clock = self.start.zone
        if long is None:
            own = (self.facts.end_wall or 0) - self.begin
            if clock:
                own = instant_at(self.facts.end_wall or 0, clock) - instant_at(self.begin, clock)
            long = (0, own)
        if not clock:
            return slot + long[0] * DAY + long[1]
        return wall_at(
            (instant_at(slot + long[0] * DAY, clock) if long[0] else instant_at(slot, clock)) + long[1], clock
        )


def fields_at(text: str, slot: int | None, zones: Zones = NO_ZONES) -> Fields:
    """The fields of an entry; of a series, with the times of the occurrence in a slot."""
    if slot is None:
        return read_fields(text, zones)
    series = AsSeries(text, zones)
    if series.fields.start and series.facts.marks & Mark.SERIES:
        set_times(series.fields, slot, series.end_of(slot))
    return series.fields


def first_slot(series: AsSeries) -> int:
    """The first slot there is: the start, unless an extra date lies before it."""
    return min(series.begin, series.shape.first_extra or series.begin)
