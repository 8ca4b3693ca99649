"""Steps about clocks: another zone for the same hour or instant, times that were misread, days that became hours.

>>> member = SubjectMember(1, "BEGIN:VEVENT\\nDTSTART;TZID=Europe/Oslo:20261124T090000\\nDURATION:PT1H\\nEND:VEVENT")
>>> on_clock(Subject([member]), OnClock("Atlantic/Reykjavik", "instant"))
>>> member.text.split("\\n")[1]
'DTSTART;TZID=Atlantic/Reykjavik:20261124T080000'

A series is moved with its rule, extra and exception dates and changed occurrences (`editing.series`), and only if every
one of its starts is then where it belongs; where no rule says that, the step says so, and what else can be done.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta

from datebridge.core.bulk.steps import DaysAgain, Misread, OnClock
from datebridge.core.bulk.subject import CannotChange, Subject, SubjectMember
from datebridge.core.bulk.timing import each, edit_all, placed, rewritten_so
from datebridge.core.editing.fields import Fields, clock_named, end_wall_of, shown_text, start_of
from datebridge.core.editing.groups import fields_at
from datebridge.core.editing.series import Clocked
from datebridge.core.moments import Clock, Moment, from_wall_seconds, instant_at, wall_at
from datebridge.core.recurrence.starts import DAY
from datebridge.core.text.component import Component, parsed
from datebridge.core.text.lines import DATED, rewritten_line
from datebridge.core.tzids import resolve
from datebridge.core.zones.evidence import understand
from datebridge.core.zones.meaning import BY_DEFINITION, Zones, differs

#: For so long a zone has to go by the same clock, to be called otherwise: series without end go on.
_FIRST_YEAR, _LAST_YEAR = 1970, 2050
_NOT_OF = "It is not in that zone."


def on_clock(subject: Subject, step: OnClock) -> None:
    """Have times go by another clock.

    Raises:
        CannotChange: where a zone is none, an entry has none to begin with, or no rule says a series so.
    """
    target = _clock(subject, step.zone) if step.zone else None
    if step.keep == "instant" and target is None:
        raise CannotChange("Without a zone the moment cannot be kept. Keep the clock time instead.")

    def make(fields: Fields, own: Clock | None) -> tuple[Clocked, Clocked]:
        if step.keep == "clock":
            return _same, _same
        if own is None or target is None:
            raise CannotChange("It is floating, so it has no moment to keep.")
        return _from_to(own, target), _from_to(target, own)

    _do(subject, step.of, step.zone, make, step.otherwise)


def misread(subject: Subject, step: Misread) -> None:
    """Shift by the difference between two zones at each date; the zone that is written stays.

    Raises:
        CannotChange: where a zone is none, an entry has none, or no rule says a series so.
    """
    was, meant = _clock(subject, step.was), _clock(subject, step.zone)

    def make(fields: Fields, own: Clock | None) -> tuple[Clocked, Clocked]:
        clock = own or was  # floating times are those of the clock they were read on
        return (
            lambda wall: wall_at(instant_at(wall_at(instant_at(wall, clock), was), meant), clock),
            lambda wall: wall_at(instant_at(wall_at(instant_at(wall, clock), meant), was), clock),
        )

    _do(subject, step.of, None, make, step.otherwise)


def days_again(subject: Subject, step: DaysAgain) -> None:
    """Make whole days of times that are the days of a zone, from midnight to midnight.

    Raises:
        CannotChange: where they do not begin or end at midnight there.
    """
    clock = _clock(subject, step.zone)

    def make(fields: Fields) -> Fields:
        if fields.whole:
            raise CannotChange("It is all-day already.")
        if step.of is not None and fields.zone != step.of:
            raise CannotChange(_NOT_OF)
        own = clock_named(fields.zone, subject.zones, start_of(fields, subject.zones).wall.year) or None
        there = _from_to(own, clock) if own is not None else _same
        start = there(start_of(fields, subject.zones).wall_seconds)
        end = there(Moment(end_wall_of(fields)).wall_seconds)
        if start % DAY or (end % DAY and end % DAY != DAY - 60):
            raise CannotChange(f"It does not go from midnight to midnight in {step.zone}.")
        last = from_wall_seconds(max(start, end - 1))
        first = from_wall_seconds(start)
        return replace(fields, whole=True, zone="", start=first.date().isoformat(), end=last.date().isoformat())

    def single(member: SubjectMember) -> None:
        member.text = rewritten_so(member.text or "", make(placed(member.text or "", subject)), subject)
        subject.significant.add(member.key)

    def whole(master: SubjectMember) -> None:
        text = master.text or ""
        begin = start_of(placed(text, subject), subject.zones).wall_seconds
        edit_all(subject, master, begin, make(fields_at(text, begin, subject.zones)))
        for member in subject.living:
            if member is not master and not placed(member.text or "", subject).whole:
                single(member)

    each(subject, whole, single)


def zone_names(text: str, zones: Zones) -> str:
    """An entry whose zones are called as in the zone database, where its times stay the same by that."""
    lines = text.split("\n")
    start = Component(text).first("DTSTART") or Component(text).first("DUE")
    first = int(start.value[:4]) if start is not None and start.value[:4].isdigit() else _FIRST_YEAR
    for at, raw in enumerate(lines):
        line = parsed(raw)
        tzid = line.param("TZID") if line is not None and line.name in DATED else None
        if line is not None and tzid and (zone := _zone_meant(tzid, zones, first)) and zone != tzid:
            lines[at] = rewritten_line(raw, line.value, {"TZID": zone})
    return "\n".join(lines)


def _zone_meant(tzid: str, zones: Zones, first: int) -> str:
    """The zone of the database whose clock a TZID goes by, from a year on; "" for none."""
    meaning = zones.of(tzid, first, _LAST_YEAR)
    if meaning.zone and meaning.contradiction is None:
        return meaning.zone
    own = zones.clock(tzid)
    if own is None or not meaning.defined:
        return ""
    zone = understand(tzid, own, first, _LAST_YEAR, ruled=BY_DEFINITION).zone
    return zone if zone and differs(own, zone, first, _LAST_YEAR) is None else ""


def _same(wall: int) -> int:
    return wall


def _from_to(one: Clock, other: Clock) -> Clocked:
    return lambda wall: wall_at(instant_at(wall, one), other)


def _clock(subject: Subject, zone: str) -> Clock:
    clock = clock_named(zone, subject.zones, 2026) if zone in subject.zones else resolve(zone).zone
    if not clock:
        raise CannotChange(f"“{zone[:60]}” is not a time zone.")
    return clock


def _do(
    subject: Subject,
    of: str | None,
    zone: str | None,
    make: Callable[[Fields, Clock | None], tuple[Clocked, Clocked]],
    otherwise: str,
) -> None:
    """Put each chosen entry on a clock, a series as a whole; `zone`: the TZID from now on, None for the one it has."""

    def moved(fields: Fields) -> tuple[Fields, tuple[Clocked, Clocked]]:
        if fields.whole:
            raise CannotChange("It is all-day, and all-day events have no zone.")
        if of is not None and fields.zone != of:
            raise CannotChange(_NOT_OF)
        start = start_of(fields, subject.zones)
        clocks = make(fields, start.zone or None)
        there = clocks[0]
        first = from_wall_seconds(there(start.wall_seconds))
        last = from_wall_seconds(there(Moment(end_wall_of(fields)).wall_seconds))
        after = replace(
            fields,
            zone=fields.zone if zone is None else zone,
            start=shown_text(first, False),
            end=shown_text(max(first, last), False),
        )
        return after, clocks

    def single(member: SubjectMember) -> None:
        after, _ = moved(placed(member.text or "", subject))
        member.text = rewritten_so(member.text or "", after, subject)
        subject.significant.add(member.key)

    def whole(master: SubjectMember) -> None:
        text = master.text or ""
        begin = start_of(placed(text, subject), subject.zones).wall_seconds
        others = [member for member in subject.living if member is not master]
        after, clocks = moved(fields_at(text, begin, subject.zones))
        try:
            edit_all(subject, master, begin, after, otherwise == "dates", clocks)
        except CannotChange as error:
            if otherwise == "clock":
                edit_all(subject, master, begin, after)
                subject.note(master, "Some of its times move: it keeps its hour on the new clock.")
            else:
                raise CannotChange(_no_rule(begin, clocks[0])) from error
        for member in others:
            if member.text is not None:
                try:
                    single(member)
                except CannotChange as error:
                    subject.note(member, str(error))

    each(subject, whole, single)


def _no_rule(begin: int, there: Clocked) -> str:
    """Why a series cannot be put on another clock: the hours at which it would have to happen there."""
    hours = sorted({there(begin + days * DAY) % DAY for days in range(0, 366, 7)})
    text = " and ".join(f"{timedelta(seconds=hour)!s:0>8}"[:5] for hour in hours[:3])
    return (
        f"No rule says this: on the other clock it would be at {text}, by the time of year."
        " Leave it, write it date by date, or keep its hour there."
    )
