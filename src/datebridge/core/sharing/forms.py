r"""The forms in which readers take what they are given: iCalendar, jCal, free-busy.

>>> text = "BEGIN:VEVENT\nUID:1\nDTSTART:20261124T090000Z\nDTEND:20261124T100000Z\nSUMMARY:Berth 2\nEND:VEVENT"
>>> given = gather([source_of("VEVENT", text, 1)], {}, Terms(Detail.TITLES), b"secret")
>>> b"".join(as_ics(given, Cover("Berths"))).count(b"SUMMARY:Berth 2")
1
>>> find_busy(given, 1795478400, 1795564800, "UTC")
[Period(start=1795510800, end=1795514400, tentative=False)]
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import timedelta
from typing import NamedTuple

from datebridge.core.moments import basic, from_wall_seconds, instant_at
from datebridge.core.occurrences.expanding import Bounds, occurrences
from datebridge.core.sharing.gathering import SharedContent, gather, source_of
from datebridge.core.sharing.terms import Detail, Terms
from datebridge.core.text.jcal import CannotSay, to_jcal
from datebridge.core.text.lines import escape_text, one_line
from datebridge.core.text.writer import PRODID, write_calendar

__all__ = ["Cover", "Detail", "Terms", "as_free_busy", "as_ics", "as_jcal", "find_busy", "gather", "source_of"]

#: By which the application recognises what it gave out itself.
OWN_MARK = "X-DATE-BRIDGE-SHARE"


@dataclass(frozen=True, slots=True)
class Cover:
    """What is said on top of what is given.

    Attributes:
        interval: after how many seconds readers may look again; 0 says nothing.
        mark: by which the share is recognised; it opens nothing.
    """

    title: str
    interval: int = 0
    mark: str = ""

    @property
    def lines(self) -> str:
        """The lines of the calendar itself (RFC 5545 §3.6, RFC 7986 §5).

        No zone is said: some readers would put floating times into it.
        """
        title = one_line(escape_text(self.title))
        lines = ["BEGIN:VCALENDAR", "VERSION:2.0", f"PRODID:{PRODID}", f"NAME:{title}", f"X-WR-CALNAME:{title}"]
        if self.interval:
            every = duration(self.interval)
            lines += [f"REFRESH-INTERVAL;VALUE=DURATION:{every}", f"X-PUBLISHED-TTL:{every}"]
        if self.mark:
            lines.append(f"{OWN_MARK}:{one_line(self.mark)}")
        return "\n".join([*lines, "END:VCALENDAR"])


def duration(seconds: int) -> str:
    """A DURATION in its shortest spelling (RFC 5545 §3.3.6).

    >>> duration(3600), duration(90_000), duration(86_400)
    ('PT1H', 'P1DT1H', 'P1D')
    """
    days, rest = divmod(seconds, 86_400)
    hours, rest = divmod(rest, 3600)
    minutes, rest = divmod(rest, 60)
    clock = "".join(f"{number}{unit}" for number, unit in ((hours, "H"), (minutes, "M"), (rest, "S")) if number)
    return "P" + (f"{days}D" if days else "") + (f"T{clock}" if clock or not days else "") if seconds else "PT0S"


def as_ics(given: SharedContent, cover: Cover) -> Iterator[bytes]:
    """One iCalendar file."""
    return write_calendar(cover.lines, given.zones, (entry.redacted.text for entry in given.entries))


def as_jcal(given: SharedContent, cover: Cover) -> bytes:
    """The same as jCal (RFC 7265); a line that jCal has no way to say is left out."""
    calendar = to_jcal(cover.lines)
    calendar[2] = [_as_jcal(text) for text in (*given.zones, *(entry.redacted.text for entry in given.entries))]
    return json.dumps(calendar, ensure_ascii=False, separators=(",", ":")).encode("utf-8", "replace")


def _as_jcal(text: str) -> object:
    try:
        return to_jcal(text)
    except CannotSay:
        return to_jcal("\n".join(line for line in text.split("\n") if _can_say(line)))


def _can_say(line: str) -> bool:
    if line[:6].upper() == "BEGIN:" or line[:4].upper() == "END:":
        return True
    try:
        to_jcal(f"BEGIN:VEVENT\n{line}\nEND:VEVENT")
    except CannotSay:
        return False
    return True


class Period(NamedTuple):
    """Busy from one instant to another."""

    start: int
    end: int
    tentative: bool


def find_busy(given: SharedContent, low: int, high: int, zone: str) -> list[Period]:
    """When those whose entries are given are busy, in order, what touches or overlaps as one.

    Args:
        low, high: wall seconds on the clock of a zone, on which whole days and floating times stand.
    """
    sure: list[tuple[int, int]] = []
    unsure: list[tuple[int, int]] = []
    blocking = {
        entry.timed.id: entry.redacted.status == "TENTATIVE"
        for entry in given.entries
        if entry.timed is not None
        and entry.source.kind == "VEVENT"
        and not entry.redacted.free
        and entry.redacted.status != "CANCELLED"
    }
    timed = [entry.timed for entry in given.entries if entry.timed is not None]
    begin, end = instant_at(low, zone), instant_at(high, zone)
    for occurrence in occurrences(timed, low, high, zone, given.clock, bounds=Bounds()):
        if occurrence.entry not in blocking or occurrence.shown_end <= occurrence.shown_start:
            continue
        span = instant_at(occurrence.shown_start, zone), instant_at(occurrence.shown_end, zone)
        if occurrence.start != occurrence.shown_start or occurrence.end != occurrence.shown_end:
            span = occurrence.start, occurrence.end
        (unsure if blocking[occurrence.entry] else sure).append((max(span[0], begin), min(span[1], end)))
    busy = _joined(sure)
    periods = [Period(*span, False) for span in busy]
    periods += [Period(*span, True) for span in _without(_joined(unsure), busy)]
    return sorted(periods)


def _joined(spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
    joined: list[tuple[int, int]] = []
    for start, end in sorted(spans):
        if joined and start <= joined[-1][1]:
            joined[-1] = joined[-1][0], max(end, joined[-1][1])
        elif end > start:
            joined.append((start, end))
    return joined


def _without(spans: list[tuple[int, int]], taken: list[tuple[int, int]]) -> Iterator[tuple[int, int]]:
    """Spans without what is taken of them; both are in order and do not touch among themselves."""
    at = 0
    for begin, end in spans:
        start = begin
        while at < len(taken) and taken[at][1] <= start:
            at += 1
        index = at
        while index < len(taken) and taken[index][0] < end:
            if taken[index][0] > start:
                yield start, taken[index][0]
            start = max(start, taken[index][1])
            index += 1
        if start < end:
            yield start, end


def as_free_busy(given: SharedContent, cover: Cover, low: int, high: int, zone: str, stamp: int) -> Iterator[bytes]:
    """When they are busy (VFREEBUSY, RFC 5545 §3.6.4).

    Args:
        stamp: the instant at which it is made.
    """
    begin, end = _utc(instant_at(low, zone)), _utc(instant_at(high, zone))
    lines = [
        "BEGIN:VFREEBUSY",
        f"UID:{one_line(cover.mark or 'busy')}",
        f"DTSTAMP:{_utc(stamp)}",
        f"DTSTART:{begin}",
        f"DTEND:{end}",
    ]
    for start, until, tentative in find_busy(given, low, high, zone):
        kind = "BUSY-TENTATIVE" if tentative else "BUSY"
        lines.append(f"FREEBUSY;FBTYPE={kind}:{_utc(start)}/{_utc(until)}")
    yield from write_calendar(cover.lines, [], ["\n".join([*lines, "END:VFREEBUSY"])])


def _utc(instant: int) -> str:
    return basic(from_wall_seconds(instant)) + "Z"


def bounds_of(terms: Terms, today: int) -> tuple[int | None, int | None]:
    """Between which midnights entries are given, in wall seconds.

    Args:
        today: midnight of this day, in wall seconds.
    """
    return (
        None if terms.back is None else today - terms.back * 86_400,
        None if terms.ahead is None else today + (terms.ahead + 1) * 86_400,
    )


def busy_bounds(terms: Terms, today: int) -> tuple[int, int]:
    """Over which time busy times are told: as far as entries are given, else a month back and a year ahead."""
    low, high = bounds_of(terms, today)
    month, year = timedelta(days=31).total_seconds(), timedelta(days=366).total_seconds()
    return (
        int(today - month) if low is None else low,
        int(today + year) if high is None else high,
    )
