"""What a step works on: an entry, with the others of its UID where a step concerns them all."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

from datebridge.core.errors import CannotDo
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.moments import Clock
from datebridge.core.text.component import ComponentEditor
from datebridge.core.zones.meaning import NO_ZONES, Zones


class CannotChange(CannotDo):
    """A step does not apply to an entry; the message says why, for all such entries alike."""

    code, title = "cannot-change", "This entry cannot be changed this way"


class FetchedFile(NamedTuple):
    """What a link led to, and as what it was given (RFC 9110 §8.3)."""

    media: str
    data: bytes


@dataclass(slots=True)
class SubjectMember:
    """One entry.

    Attributes:
        key: what the caller knows it by.
        chosen: it is selected; others of its UID change only with their series.
        text: as it is so far; None once it goes.
    """

    key: int
    text: str | None
    chosen: bool = True


@dataclass(slots=True)
class Subject:
    """Entries of one UID in one calendar (or a single one), and what stands around them.

    Attributes:
        stamp: now, in UTC as iCalendar writes it.
        notes: what has to be said of a member, by key.
        files: what links lead to, by their address, or why that could not be fetched; None where nobody can fetch.
        left: those that do not come along.
        significant: the members of which people would have to be told again (RFC 5546 §2.1.4).
    """

    members: list[SubjectMember]
    zones: Zones = NO_ZONES
    stamp: str = ""
    notes: dict[int, list[str]] = field(default_factory=dict)
    significant: set[int] = field(default_factory=set)
    files: Mapping[str, FetchedFile | str] | None = None
    left: set[int] = field(default_factory=set)

    def note(self, member: SubjectMember, reason: str) -> None:
        """Say something of a member."""
        self.notes.setdefault(member.key, []).append(reason)

    @property
    def living(self) -> list[SubjectMember]:
        """Those that have not been deleted by a step before."""
        return [member for member in self.members if member.text is not None]

    @property
    def master(self) -> SubjectMember | None:
        """The entry all others belong to."""
        return next((m for m in self.living if not _is_override(m.text or "")), None)

    def clock_of(self, text: str) -> Clock | None:
        """What an entry's own times go by; None for whole days and floating times."""
        facts = derive(kind_of(text), text, self.zones)
        local = facts.marks & (Mark.ALL_DAY | Mark.FLOATING)
        return None if local else facts.zone or self.zones.clock(facts.tzid)


def _is_override(text: str) -> bool:
    return "RECURRENCE-ID" in text.upper() and next(ComponentEditor(text).own("RECURRENCE-ID"), None) is not None


def kind_of(text: str) -> str:
    """What component a text is, such as ``VEVENT``."""
    return text.partition("\n")[0].partition(":")[2].strip().upper()


#: What a component is called.
_CALLED = {"VEVENT": "An event", "VTODO": "A to-do", "VJOURNAL": "A journal entry", "VFREEBUSY": "A free-busy list"}


def called(text: str) -> str:
    """What an entry is called at the beginning of a sentence."""
    return _CALLED.get(kind_of(text), "Such a component")
