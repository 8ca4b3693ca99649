"""What is right by the standard, and yet seldom wanted in the next system: each a filter line, and what one does then.

>>> [one.code for one in SIFTS if one.filter(Standards())][:3]
['no-title', 'no-length', 'too-long']

Unlike what the checks find, it is not wrong, so nothing waits because of it; and it depends on the day, on who owns an
account, and on what somebody has said (`Standards`), so it is asked and not kept.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from datebridge.core.bulk.steps import Alarms, DropPeople, EndSeries, Step, Strip
from datebridge.core.problems import Severity
from datebridge.core.words.filters import quote

#: What one mostly does with what is found: nothing but look, change it, delete it, or put it away in an archive.
Remedy = Literal["look", "change", "delete", "archive"]


@dataclass(frozen=True, slots=True)
class Standards:
    """What the checks go by that somebody has to say.

    Attributes:
        days: what lasts longer is looked at.
        older: what is over before this day is old, as ``2024-01-01``; "" to leave that.
        departed: domains of which nobody is left: ``old.example``.
        hosts: where links lead to a system that is to be switched off: ``old.example``.
        kilobytes: entries that are larger may be refused.
        last: until when series without end are wanted, as ``2028-12-31``; "" for no such day.
    """

    days: int = 30
    older: str = ""
    departed: list[str] = field(default_factory=list)
    hosts: list[str] = field(default_factory=list)
    kilobytes: int = 100
    last: str = ""


@dataclass(frozen=True, slots=True)
class Sift:
    """Something that is seldom wanted.

    Attributes:
        code: by which it is known; it never changes, and is none of a check.
        filter: the filter line that finds it, by the standards; "" where they say nothing of it.
        steps: what would be changed.
    """

    code: str
    severity: Severity
    title: str
    why: str
    filter: Callable[[Standards], str]
    remedy: Remedy = "look"
    steps: Callable[[Standards], list[Step]] = lambda standards: []


def _any(name: str, values: list[str]) -> str:
    said = [value.strip().lstrip("@") for value in values]
    return f"{name}:{','.join(quote(value) for value in said if value)}" if any(said) else ""


SIFTS: tuple[Sift, ...] = (
    Sift(
        "no-title", "untidy", "No title", "Nobody can tell what it is, and some systems leave it out of lists.",
        lambda by: "-has:title",
    ),
    Sift(
        "no-length", "untidy", "Takes no time", "It ends where it begins; some systems show half an hour.",
        lambda by: "lasts:nothing kind:event",
    ),
    Sift(
        "too-long", "untidy", "Very long", "Often a slip in the year of the end.",
        lambda by: f"lasts:{by.days}" if by.days else "",
    ),
    Sift(
        "old", "untidy", "Over long ago", "Seldom worth carrying along: put it away in an archive first.",
        lambda by: f"before:{by.older}" if by.older else "", "archive",
    ),
    Sift(
        "ended-series", "untidy", "Series that have ended", "Nothing of them comes any more.",
        lambda by: "repeats:yes before:today", "archive",
    ),
    Sift(
        "cancelled", "untidy", "Cancelled", "It does not happen; some systems show it all the same.",
        lambda by: "status:cancelled", "delete",
    ),
    Sift(
        "declined", "untidy", "Declined by the calendar's owner", "They are not going, and it keeps their hours.",
        lambda by: "owner:declined", "delete",
    ),
    Sift(
        "tentative-past", "untidy", "Tentative, and over", "Whether it happened was never said.",
        lambda by: "status:tentative before:today",
    ),
    Sift(
        "alarm-past", "untidy", "Alarms of what is over", "Some systems ring them all at once when they arrive.",
        lambda by: "has:alarm repeats:no before:today", "change", lambda by: [Alarms("strip")],
    ),
    Sift(
        "private-shared", "alters", "Private, in a calendar others see",
        "How much of it others see depends on the system; the next one may show more.",
        lambda by: "private:yes shared:yes",
    ),
    Sift(
        "departed", "alters", "With people of a departed domain", "Invitations to them come back, or go astray.",
        lambda by: _any("person", by.departed), "change",
        lambda by: [DropPeople([f"@{one.strip().lstrip('@')}" for one in by.departed])],
    ),
    Sift(
        "old-links", "alters", "Links to the old system", "They are dead the day it is switched off.",
        lambda by: _any("links", by.hosts),
    ),
    Sift(
        "unknown", "untidy", "Properties no standard knows", "Other systems mostly drop them.",
        lambda by: "has:unknown", "change", lambda by: [Strip("unknown")],
    ),
    Sift(
        "endless", "untidy", "Series that never end", "They go on for ever, long after whoever began them has left.",
        lambda by: "repeats:endless", "change", lambda by: [EndSeries(by.last)] if by.last else [],
    ),
    Sift(
        "too-large", "breaks", "Very large", "Servers say how large an entry may be, and refuse what is larger.",
        lambda by: f"larger:{by.kilobytes}" if by.kilobytes else "",
    ),
)  # fmt: skip
