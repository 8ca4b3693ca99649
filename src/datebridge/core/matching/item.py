"""What matching knows of an entry: its index, and, of those that may belong together, what its text says."""

from __future__ import annotations

import re
from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from hashlib import blake2b
from typing import Generic, NamedTuple, TypeVar

from datebridge.core.index.facts import Facts, Mark
from datebridge.core.occurrences.expanding import Timed, timed
from datebridge.core.text.nesting import depths

Key = TypeVar("Key", bound=Hashable)
Key_co = TypeVar("Key_co", bound=Hashable, covariant=True)

_PLACED = Mark.ALL_DAY | Mark.FLOATING
#: Lines that say how an entry was kept, not what it is.
_BOOKKEEPING = ("UID", "DTSTAMP", "CREATED", "LAST-MODIFIED", "SEQUENCE")
_LINE = re.compile(r"([A-Za-z0-9-]+)((?:;[^:\"]*(?:\"[^\"]*\"[^:\"]*)*)?):(.*)")
#: With what the names of lines begin that are asked for.
_ASKED = "UuDdCcLlSsAaOo"
_NOTES = ("DESCRIPTION", "COMMENT")
_LINKS = ("URL", "CONFERENCE")


class Item(NamedTuple, Generic[Key_co]):
    """An entry with all of its changed occurrences: they go where their series goes.

    Attributes:
        key: whatever the caller knows it by.
        calendar: where it stands, as a number.
        start: the instant at which it begins; wall seconds where it is floating or a date; None if unplaced.
        timed: as the engine of occurrences takes it; None where it stands nowhere.
        overrides: its changed occurrences, as the engine takes them.
        others: their keys.
    """

    key: Key_co
    calendar: int
    component: str
    uid: str
    recurrence_id: str
    title: str
    place: str
    start: int | None
    marks: int
    digest: bytes
    timed: Timed | None = None
    overrides: tuple[Timed, ...] = ()
    others: tuple[Key_co, ...] = ()

    @property
    def is_series(self) -> bool:
        """Whether rules or extra dates make it happen more than once."""
        return bool(self.marks & Mark.SERIES)

    @property
    def all_day(self) -> bool:
        """Whether it is made of days."""
        return bool(self.marks & Mark.ALL_DAY)

    @property
    def no_clock(self) -> bool:
        """Whether it is a date or floating, and so in no zone."""
        return bool(self.marks & _PLACED)

    @property
    def wall(self) -> int:
        """When it begins on its own clock, in wall seconds; 0 where it stands nowhere."""
        return self.timed.start_wall if self.timed is not None else 0

    @property
    def zone(self) -> str:
        """The zone it is in; "" for none, and for one its calendar defines."""
        return self.timed.zone if self.timed is not None else ""

    @property
    def recurrence(self) -> str:
        """Its rules; see `recurrence.pattern`."""
        return self.timed.recurrence if self.timed is not None else ""

    @property
    def rules(self) -> str:
        """The same without what is left out."""
        text = self.recurrence
        return "\n".join(line for line in text.split("\n") if line[:1] not in "-!@") if "\n" in text else text

    @property
    def length(self) -> int:
        """In seconds on its clock."""
        return self.timed.end_wall - self.timed.start_wall if self.timed is not None else 0


def item_of(key: Key, calendar: int, facts: Facts, number: int = 0) -> Item[Key]:
    """An entry by its facts; see `together` for its changed occurrences."""
    return Item(
        key,
        calendar,
        facts.component,
        facts.uid,
        facts.recurrence_id,
        facts.summary,
        facts.location,
        facts.start,
        facts.marks,
        facts.digest,
        timed(facts, number, calendar),
    )


def joined_items(entries: Iterable[Item[Key]]) -> list[Item[Key]]:
    """Entries as items: changed occurrences become part of their series, where it is in the same calendar."""
    entries = list(entries)
    series = {(e.calendar, e.component, e.uid): n for n, e in enumerate(entries) if e.is_series and not e.recurrence_id}
    parts: dict[int, list[Item[Key]]] = {}
    alone = []
    for n, entry in enumerate(entries):
        home = series.get((entry.calendar, entry.component, entry.uid)) if entry.recurrence_id and entry.uid else None
        if home is None:
            alone.append(n)
        else:
            parts.setdefault(home, []).append(entry)
    items = []
    for n in alone:
        entry, own = entries[n], parts.get(n)
        if own:
            moved = tuple(item.timed for item in own if item.timed is not None)
            entry = entry._replace(overrides=moved, others=tuple(item.key for item in own))
        items.append(entry)
    return items


@dataclass(frozen=True, slots=True)
class Content:
    """What the text of an entry says besides its title, place and time.

    Attributes:
        body: a digest of all that is no bookkeeping, in whatever order the lines stand.
        people: the addresses of organiser and attendees, in small letters.
    """

    body: bytes = b""
    people: frozenset[str] = frozenset()
    organizer: str = ""
    notes: str = ""
    link: str = ""


NOTHING = Content()


def content_of(text: str) -> Content:
    """Read what matching asks of a text. Bounded by its size.

    >>> found = content_of("BEGIN:VEVENT\\nUID:1\\nATTENDEE;CN=Ida:MAILTO:Ida@Skerrow.example\\nEND:VEVENT")
    >>> sorted(found.people)
    ['ida@skerrow.example']
    """
    kept, people = [], set()
    organizer = notes = link = ""
    lines = text.split("\n")
    for line, depth in zip(lines, depths(lines), strict=True):
        match = _LINE.match(line) if depth == 1 and line[:1] in _ASKED else None
        if match is None:
            kept.append(line)
            continue
        name = match[1].upper()
        if name in _BOOKKEEPING:
            continue
        kept.append(line)
        if name in ("ATTENDEE", "ORGANIZER"):
            address = match[3].strip().lower().removeprefix("mailto:")
            people.add(address)
            organizer = organizer or (address if name == "ORGANIZER" else "")
        elif name in _NOTES:
            notes = notes or match[3].strip()
        elif name in _LINKS:
            link = link or match[3].strip()
    digest = blake2b("\n".join(sorted(kept)).encode(), digest_size=16).digest()
    return Content(digest, frozenset(people), organizer, notes, link)
