"""A window of time: what happens in it, in order, and what is to be known of the entries it comes of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from datebridge.core.index.facts import Mark
from datebridge.core.occurrences.expanding import Occurrence
from datebridge.core.recurrence.starts import DAY


class ShownEntry(NamedTuple):
    """What is shown of an entry beside its times; `uid` and zone as in `Timed`."""

    calendar: int
    uid: str
    recurrence_id: str
    tzid: str
    zone: str
    marks: int
    title: str
    place: str
    component: str
    status: str
    busy: str
    travel: int

    @property
    def cancelled(self) -> bool:
        """Whether it is called off, and so does not happen."""
        return self.status == "CANCELLED"

    @property
    def blocks(self) -> bool:
        """Whether it blocks time: an event that is not cancelled, and not transparent (RFC 5545 §3.8.2.7)."""
        return self.component == "VEVENT" and self.busy != "TRANSPARENT" and not self.cancelled


@dataclass(frozen=True, slots=True)
class Window:
    """The occurrences in order of shown time, and their entries by id."""

    occurrences: list[Occurrence]
    entries: dict[int, ShownEntry]
    #: Titles of series of which, for their number, not every time was found.
    cut: tuple[str, ...] = ()

    def key(self, occurrence: Occurrence) -> tuple[str, int]:
        """What an occurrence is the same by in another calendar: UID and slot (an override's by what it stands for)."""
        entry = self.entries[occurrence.entry]
        if not occurrence.series and entry.recurrence_id:
            return f"{entry.uid} {entry.recurrence_id}", 0
        return entry.uid, occurrence.start if occurrence.series else 0


def key_of(occurrence: Occurrence) -> str:
    """What an occurrence goes by on a page: its entry's rules, and its slot."""
    return f"{occurrence.series or occurrence.entry}.{occurrence.slot}"


def spans_days(occurrence: Occurrence, entry: ShownEntry) -> bool:
    """Whether it is drawn among the whole days: those, and what takes a day or longer."""
    return bool(entry.marks & Mark.ALL_DAY) or occurrence.shown_end - occurrence.shown_start >= DAY
