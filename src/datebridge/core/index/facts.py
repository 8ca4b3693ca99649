"""What is known of one entry: the index that is beside its text."""

from __future__ import annotations

from dataclasses import dataclass

from datebridge.core.problems import Problem


class Mark:
    """What an entry has or is, as bits of one stored number, so the values never change."""

    ALARM = 1
    ATTENDEES = 2
    ATTACHMENT = 4
    PRIVATE = 8
    UNKNOWN = 16
    SERIES = 32
    OVERRIDE = 64
    ALL_DAY = 128
    FLOATING = 256
    PROBLEM = 512
    UNPLACED = 1024
    UNRESOLVED_ZONE = 2048
    ENDLESS = 4096
    FUTURE = 8192  #: an override for all that follows, too (RANGE=THISANDFUTURE)
    DEFINED_ZONE = 16384  #: its times go by a zone that its calendar defines
    EARLY = 32768  #: an extra date lies before the start
    ACCEPTED = 65536  #: somebody has accepted (RFC 5545 §3.2.12), and so on
    DECLINED = 131072
    TENTATIVE = 262144
    UNANSWERED = 524288  #: somebody has not answered, or passed it on


#: An answer as people say it, by PARTSTAT; whatever else is there, or nothing, is no answer yet.
ANSWERS = {"ACCEPTED": "accepted", "DECLINED": "declined", "TENTATIVE": "tentative"}
ANSWER_MARKS = {
    "accepted": Mark.ACCEPTED,
    "declined": Mark.DECLINED,
    "tentative": Mark.TENTATIVE,
    "none": Mark.UNANSWERED,
}


@dataclass(slots=True)
class Facts:
    """The index of one entry. Times: see `moments` for wall seconds and instants.

    Attributes:
        recurrence_id: the occurrence an override stands for, as `Moment.key`; "" for a master.
        modified: LAST-MODIFIED, else DTSTAMP, as an instant; 0 where neither can be read.
        start: the instant of the start; wall seconds where it is floating or a date; None if unplaced.
        start_wall, end_wall: the (first) occurrence on the clock of its start; the end is exclusive.
        until_wall: when the last occurrence has ended; None for a series without end or an unplaced entry.
        tzid: of the start, as written; zone: the IANA zone it means, "" where its calendar's definition counts.
        recurrence: the rules, extra and exception dates; see `recurrence.pattern`.
        travel: seconds it takes to get there.
        weekdays: on which occurrences can begin, Monday as 1 to Sunday as 64.
        gap_days: within how many days the next one always begins while the series runs; 0 if not known.
        digest: of the text without DTSTAMP, which many programs set again at every export.
        problems: what is wrong with it, where that was asked for (`core.checks.examine`).
        words: what a free-text search looks through besides summary and location.
    """

    component: str
    digest: bytes
    uid: str = ""
    recurrence_id: str = ""
    sequence: int = 0
    modified: int = 0
    summary: str = ""
    location: str = ""
    start: int | None = None
    start_wall: int | None = None
    end_wall: int | None = None
    until_wall: int | None = None
    tzid: str = ""
    zone: str = ""
    recurrence: str = ""
    repeats: str = ""
    weekdays: int = 0
    gap_days: int = 0
    travel: int = 0
    marks: int = 0
    status: str = ""
    privacy: str = ""
    busy: str = ""
    categories: str = ""
    attendees: int = 0
    words: str = ""
    tzids: tuple[str, ...] = ()
    unknown: tuple[str, ...] = ()
    problems: tuple[Problem, ...] = ()

    @property
    def all_day(self) -> bool:
        """Whether it is a date, in no zone."""
        return bool(self.marks & Mark.ALL_DAY)
