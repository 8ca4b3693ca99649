"""What is right by the standard, and yet seldom wanted in the next system: each a filter line, and what one does then.

>>> [one.code for one in CLEANUP_FILTERS if one.filter(Standards())][:3]
['no-title', 'no-length', 'too-long']

Unlike what the checks find, it is not wrong, so nothing waits because of it; and it depends on the day, on who owns an
account, and on what somebody has said (`Standards`), so it is asked and not kept.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from datebridge.core.bulk.steps import Alarms, DropPeople, EndSeries, Step, Strip
from datebridge.core.language.filters import quote
from datebridge.core.problems import Severity

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
class CleanupFilter:
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
    words = [value.strip().lstrip("@") for value in values]
    return f"{name}:{','.join(quote(value) for value in words if value)}" if any(words) else ""


CLEANUP_FILTERS: tuple[CleanupFilter, ...] = (
    CleanupFilter(
        "no-title",
        "untidy",
        "No title",
        "Its purpose is unclear, and some systems omit it from lists.",
        lambda by: "-has:title",
    ),
    CleanupFilter(
        "no-length",
        "untidy",
        "Zero duration",
        "It ends when it starts; some systems show half an hour.",
        lambda by: "lasts:nothing kind:event",
    ),
    CleanupFilter(
        "too-long",
        "untidy",
        "Very long",
        "Often a typing error in the year of the end.",
        lambda by: f"lasts:{by.days}" if by.days else "",
    ),
    CleanupFilter(
        "old",
        "untidy",
        "Over long ago",
        "Rarely worth migrating: archive it first.",
        lambda by: f"before:{by.older}" if by.older else "",
        "archive",
    ),
    CleanupFilter(
        "ended-series",
        "untidy",
        "Series that have ended",
        "They have no future occurrences.",
        lambda by: "repeats:yes before:today",
        "archive",
    ),
    CleanupFilter(
        "cancelled",
        "untidy",
        "Cancelled",
        "Cancelled, but some systems still show it.",
        lambda by: "status:cancelled",
        "delete",
    ),
    CleanupFilter(
        "declined",
        "untidy",
        "Declined by the calendar's owner",
        "The owner does not attend, but the time is blocked.",
        lambda by: "owner:declined",
        "delete",
    ),
    CleanupFilter(
        "tentative-past",
        "untidy",
        "Tentative, and over",
        "It was never confirmed.",
        lambda by: "status:tentative before:today",
    ),
    CleanupFilter(
        "alarm-past",
        "untidy",
        "Alarms of past events",
        "Some systems ring them all at once after an import.",
        lambda by: "has:alarm repeats:no before:today",
        "change",
        lambda by: [Alarms("strip")],
    ),
    CleanupFilter(
        "private-shared",
        "alters",
        "Private, in a shared calendar",
        "How much others see depends on the system; the next one may show more.",
        lambda by: "private:yes shared:yes",
    ),
    CleanupFilter(
        "departed",
        "alters",
        "With people of a former domain",
        "Invitations to them bounce or get lost.",
        lambda by: _any("person", by.departed),
        "change",
        lambda by: [DropPeople([f"@{one.strip().lstrip('@')}" for one in by.departed])],
    ),
    CleanupFilter(
        "old-links",
        "alters",
        "Links to the old system",
        "They stop working when it is switched off.",
        lambda by: _any("links", by.hosts),
    ),
    CleanupFilter(
        "unknown",
        "untidy",
        "Non-standard properties",
        "Other systems mostly drop them.",
        lambda by: "has:unknown",
        "change",
        lambda by: [Strip("unknown")],
    ),
    CleanupFilter(
        "endless",
        "untidy",
        "Series that never end",
        "They continue forever, long after their owner has left.",
        lambda by: "repeats:endless",
        "change",
        lambda by: [EndSeries(by.last)] if by.last else [],
    ),
    CleanupFilter(
        "too-large",
        "breaks",
        "Very large",
        "Servers limit the size of an entry and refuse larger ones.",
        lambda by: f"larger:{by.kilobytes}" if by.kilobytes else "",
    ),
)
