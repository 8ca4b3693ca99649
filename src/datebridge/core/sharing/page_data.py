r"""What readers look at: days with what happens on them, a search, one entry with its details.

Everything here is read from what was given, never from the entries themselves.

>>> text = "BEGIN:VEVENT\nUID:1\nDTSTART:20261124T090000Z\nSUMMARY:Berth 2\nDESCRIPTION:Call Ida\nEND:VEVENT"
>>> given = gather([source_of("VEVENT", text, 1)], {}, Terms(Detail.TITLES), b"secret")
>>> page_data = PageData(given, b"secret", {1: "Berths"})
>>> window = page_data.window(1795478400, 1795564800, "UTC")
>>> [window.entries[one.entry].title for one in window.occurrences], page_data.matching("ida")
(['Berth 2'], set())
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from datebridge.core.index.facts import Mark
from datebridge.core.occurrences.expanding import Bounds, Occurrence, Timed, occurrences
from datebridge.core.occurrences.window import ShownEntry, Window
from datebridge.core.recurrence.starts import DAY
from datebridge.core.sharing.gathering import Entry, SharedContent, gather, named, source_of
from datebridge.core.sharing.terms import Detail, Terms
from datebridge.core.text.component import Component
from datebridge.core.text.lines import ContentLine, split_text_list, unescape_text

__all__ = ["Detail", "Details", "PageData", "Terms", "gather", "source_of"]

_SLOT = re.compile(r"-?\d{1,12}", re.ASCII)
_SPOKEN = ("SUMMARY", "LOCATION", "DESCRIPTION", "CATEGORIES")


@dataclass(frozen=True, slots=True)
class Details:
    """What a reader can know of an entry; each "" or empty where it was not given."""

    title: str
    place: str
    notes: str = ""
    status: str = ""
    organizer: str = ""
    people: tuple[str, ...] = ()
    categories: tuple[str, ...] = ()
    links: tuple[str, ...] = field(default=())


class PageData:
    """What was given, to be looked at.

    Args:
        names: the calendars' names, where readers may know them.
    """

    def __init__(self, given: SharedContent, secret: bytes, names: Mapping[int, str]) -> None:
        self.given, self.names, self._secret = given, names, secret
        timed = [entry.timed for entry in given.entries if entry.timed is not None]
        special = Mark.OVERRIDE | Mark.EARLY | Mark.FUTURE
        moved_on = {(one.calendar, one.uid) for one in timed if one.marks & Mark.FUTURE}
        self._anywhere = [one for one in timed if one.marks & special or (one.calendar, one.uid) in moved_on]
        ids_anywhere = {one.id for one in self._anywhere}
        self._placed = [(one.start_wall, one.until_wall, one) for one in timed if one.id not in ids_anywhere]

    def window(self, low: int, high: int, zone: str, only: Collection[int] | None = None) -> Window:
        """What happens in [low, high), in wall seconds on the clock of a zone, in order.

        Args:
            only: the places of the entries that are meant; all where it is None.
        """
        first, last = low - 2 * DAY, high + 2 * DAY
        near: list[Timed] = [
            entry for start, until, entry in self._placed if start < last and (until is None or until >= first)
        ]
        near += self._anywhere
        if only is not None:
            near = [entry for entry in near if entry.id in only]
        bounds = Bounds.drawn()
        happening = list(occurrences(near, low, high, zone, self.given.clock, bounds=bounds))
        happening.sort(key=lambda occurrence: (occurrence.shown_start, -occurrence.shown_end, occurrence.entry))
        cut = tuple(sorted(self.given.entries[number - 1].redacted.title for number in bounds.cut))
        return Window(
            happening, {number: self._shown(number) for number in {occurrence.entry for occurrence in happening}}, cut
        )

    def _shown(self, number: int) -> ShownEntry:
        one = self.given.entries[number - 1]
        marks = one.timed.marks if one.timed is not None else 0
        return ShownEntry(
            one.source.calendar,
            one.source.uid,
            one.source.recurrence_id,
            "",
            "",
            marks,
            one.redacted.title,
            one.redacted.place,
            one.source.kind,
            one.redacted.status,
            "TRANSPARENT" if one.redacted.free else "",
            0,
        )

    # ---- single entries --------------------------------------------------------------------------

    def key(self, occurrence: Occurrence) -> str:
        """What an occurrence goes by on the page; says nothing of what it is."""
        return f"{self.entry_key(self.given.entries[(occurrence.series or occurrence.entry) - 1])}.{occurrence.slot}"

    def entry_key(self, entry: Entry) -> str:
        """The same for an entry."""
        one = entry.source
        return named(self._secret, "key", one.calendar, one.kind, one.uid or one.text, one.recurrence_id)[:16]

    @cached_property
    def _by_key(self) -> dict[str, int]:
        return {self.entry_key(entry): number for number, entry in enumerate(self.given.entries, 1)}

    def find(self, key: str) -> Entry | None:
        """The entry a key stands for; None where it is not among what was given."""
        number = self._by_key.get(key.partition(".")[0])
        return self.given.entries[number - 1] if number is not None else None

    def series_of(self, entry: Entry) -> list[Entry]:
        """All that was given of the series an entry belongs to."""
        if not entry.source.uid:
            return [entry]
        same = (entry.source.calendar, entry.source.kind, entry.source.uid)
        return [
            entry
            for entry in self.given.entries
            if (entry.source.calendar, entry.source.kind, entry.source.uid) == same
        ]

    def occurrence(self, key: str, zone: str) -> Occurrence | None:
        """The occurrence a key of `key` stands for."""
        entry = self.find(key)
        slot = _SLOT.fullmatch(key.partition(".")[2])
        if entry is None or entry.timed is None or slot is None:
            return None
        own = [one.timed for one in self.series_of(entry) if one.timed is not None]
        # Overrides may have moved what stood in the slot to any other day.
        walls = [int(slot[0]), *(one.start_wall for one in own if one.recurrence_id)]
        low, high = min(walls) - 2 * DAY, max(walls) + 2 * DAY
        happening = occurrences(own, low, high, zone, self.given.clock, bounds=Bounds.drawn())
        return next((one for one in happening if self.key(one) == key), None)

    # ---- words -----------------------------------------------------------------------------------

    @cached_property
    def _words(self) -> list[str]:
        return [_spoken(entry.redacted.text) for entry in self.given.entries]

    def matching(self, words: str) -> set[int]:
        """The places of the entries whose title, place, notes or categories hold all of some words."""
        wanted = words.casefold().split()[:20]
        return {number for number, text in enumerate(self._words, 1) if all(word in text for word in wanted)}


def details(entry: Entry) -> Details:
    """What was given of an entry, to be read."""
    component = Component(entry.redacted.text)
    lines: dict[str, list[ContentLine]] = {}
    for _, line in component.properties():
        lines.setdefault(line.name, []).append(line)

    def text(name: str) -> str:
        return unescape_text(lines[name][0].value).strip() if name in lines else ""

    people = [_person(line) for line in lines.get("ATTENDEE", ())]
    organizer = _person(lines["ORGANIZER"][0]) if "ORGANIZER" in lines else ""
    links = [
        line.value.strip()
        for name in ("URL", "CONFERENCE", "ATTACH")
        for line in lines.get(name, ())
        if line.value.strip().lower().startswith(("https://", "http://"))
    ]
    categories = [value for line in lines.get("CATEGORIES", ()) for value in split_text_list(line.value)]
    return Details(
        entry.redacted.title,
        entry.redacted.place,
        text("DESCRIPTION"),
        entry.redacted.status,
        organizer,
        tuple(people[:200]),
        tuple(categories[:50]),
        tuple(links[:50]),
    )


def _person(line: ContentLine) -> str:
    return line.param("CN") or line.value.strip().removeprefix("mailto:").removeprefix("MAILTO:")


def _spoken(text: str) -> str:
    parts: Sequence[str] = [
        unescape_text(line.value) for _, line in Component(text).properties() if line.name in _SPOKEN
    ]
    return "\n".join(parts).casefold()
