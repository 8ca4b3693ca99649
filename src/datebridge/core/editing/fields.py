"""An entry as the fields of a drawer, read from its text.

>>> text = "BEGIN:VEVENT\\nSUMMARY:Tide\\nDTSTART;TZID=Atlantic/Reykjavik:20261124T090000\\nDURATION:PT1H\\nEND:VEVENT"
>>> found = read_fields(text)
>>> found.start, found.end, found.zone
('2026-11-24T09:00', '2026-11-24T10:00', 'Atlantic/Reykjavik')
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime, timedelta

from datebridge.core.errors import CannotDo
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.moments import Clock, Moment, NotAMoment, from_wall_seconds, parse_duration, parse_moment
from datebridge.core.text.component import Component, ComponentEditor, parsed
from datebridge.core.text.lines import ContentLine, split_text_list, unescape_text
from datebridge.core.zones.meaning import NO_ZONES, Zones


class CannotEdit(CannotDo):
    """The fields do not make an entry; the message says which, and what to do.

    `dates`: how many dates the edit could be written as, where a rule cannot say it; 0 where it cannot be.
    """

    code, title, status = "cannot-edit", "This makes no entry", 422

    def __init__(self, message: str, dates: int = 0) -> None:
        super().__init__(message)
        self.dates = dates


@dataclass(slots=True)
class Person:
    """An organiser or attendee; `answer` is a PARTSTAT, `role` a ROLE, both as written."""

    name: str = ""
    address: str = ""
    answer: str = ""
    role: str = ""


@dataclass(slots=True)
class Alarm:
    """When to be reminded.

    Attributes:
        related: ``start`` or ``end``; "" for a fixed time.
        minutes: before it; below zero for after it.
        at: a fixed time in UTC, as ISO 8601.
        place: which alarm of the entry it is, so that its other lines stay; -1 for a new one.
        seconds: so many more than the minutes; below zero as they are.
    """

    related: str = "start"
    minutes: int = 0
    at: str = ""
    place: int = -1
    seconds: int = 0

    @classmethod
    def before(cls, related: str, days: int, seconds: int, place: int = -1) -> Alarm:
        """One by the duration of its trigger; see `parse_duration`."""
        whole = -(days * 86400 + seconds)
        minutes = abs(whole) // 60 * (1 if whole > 0 else -1)
        return cls(related, minutes, "", place, whole - minutes * 60)


@dataclass(slots=True)
class Fields:
    """What can be edited. Times are wall time on the clock of `zone`: ``2026-11-24T09:00``; days ``2026-11-24``.

    Attributes:
        whole: whole days; `end` is then the last day itself, not the one after.
        zone: the TZID as written, "UTC", or "" for floating times and whole days.
        rule: the first RRULE as written; others stay as they are.
        left_out: the starts left out of the series.
        attachments: what each is called; those taken out of the list are removed.
        travel: minutes to get there.
    """

    title: str = ""
    whole: bool = False
    start: str = ""
    end: str = ""
    zone: str = ""
    rule: str = ""
    left_out: list[str] = field(default_factory=list)
    alarms: list[Alarm] = field(default_factory=list)
    place: str = ""
    notes: str = ""
    link: str = ""
    conference: str = ""
    categories: list[str] = field(default_factory=list)
    busy: bool = True
    privacy: str = ""
    status: str = ""
    organizer: Person | None = None
    attendees: list[Person] = field(default_factory=list)
    travel: int = 0
    attachments: list[str] = field(default_factory=list)


def read_fields(text: str, zones: Zones = NO_ZONES) -> Fields:
    """The fields of an event or to-do. What they do not cover stays in the text alone.

    Args:
        zones: what its calendar defines.
    """
    lines = ComponentEditor(text)
    component = Component(text)
    facts = derive(component.kind, text, zones)

    def text_of(name: str) -> str:
        return unescape_text(lines.value(name))

    organizer = component.first("ORGANIZER")
    conference = component.first("CONFERENCE")
    fields = Fields(
        title=text_of("SUMMARY"),
        place=text_of("LOCATION"),
        notes=text_of("DESCRIPTION"),
        link=lines.value("URL"),
        conference=conference.value if conference else "",
        categories=[c for _, line in lines.own("CATEGORIES") for c in split_text_list(line.value)],
        busy=facts.busy != "TRANSPARENT",
        privacy=facts.privacy,
        status=facts.status,
        rule=lines.value("RRULE"),
        organizer=person_of(organizer) if organizer else None,
        attendees=[person_of(line) for _, line in lines.own("ATTENDEE")],
        travel=facts.travel // 60,
        attachments=[attachment_name(line) for _, line in lines.own("ATTACH")],
        alarms=_alarms(lines),
    )
    if facts.start_wall is not None and facts.end_wall is not None:
        fields.whole = bool(facts.marks & Mark.ALL_DAY)
        fields.zone = "" if fields.whole else facts.tzid
        set_times(fields, facts.start_wall, facts.end_wall)
        start = start_of(fields, zones)
        dates = [(line, item) for _, line in lines.own("EXDATE") for item in line.value.split(",")]
        fields.left_out = sorted(filter(None, (left_out(line, item, start, zones) for line, item in dates)))
    return fields


def set_times(fields: Fields, start: int, end: int) -> None:
    """Set start and end from wall seconds on the entry's own clock."""
    if fields.whole:
        end = max(end - 86400, start)
    fields.start, fields.end = _shown(start, fields.whole), _shown(end, fields.whole)


def _shown(wall: int, whole: bool) -> str:
    return shown_text(from_wall_seconds(wall), whole)


def shown_text(moment: datetime, whole: bool) -> str:
    """A wall time as the fields spell it; seconds only where there are any."""
    if whole:
        return moment.date().isoformat()
    return moment.isoformat(timespec="seconds" if moment.second else "minutes")


def start_of(fields: Fields, zones: Zones = NO_ZONES) -> Moment:
    """The start as a moment.

    Raises:
        CannotEdit: if it is none.
    """
    return moment_of(fields.start, fields, "start", zones)


def wall_of(text: str, what: str = "time") -> datetime:
    """Read what was put into a field of a time, to the second and without a zone.

    Raises:
        CannotEdit: if it is none.
    """
    try:
        return datetime.fromisoformat(text).replace(tzinfo=None, microsecond=0)
    except ValueError:
        raise CannotEdit(
            f"The {what} “{text[:40]}” is not a date or time. Write it as 2026-11-24 or 2026-11-24T09:00."
        ) from None


def moment_of(text: str, fields: Fields, what: str = "time", zones: Zones = NO_ZONES) -> Moment:
    """A wall time of the fields as a moment on their clock."""
    wall = wall_of(text, what)
    if fields.whole:
        return Moment(wall.replace(hour=0, minute=0, second=0), True)
    if fields.zone == "UTC":
        return Moment(wall, False, "UTC", "UTC")
    return Moment(wall, False, fields.zone, clock_named(fields.zone, zones, wall.year))


def clock_named(tzid: str, zones: Zones, year: int) -> Clock:
    """What a TZID means in a year; "" where that is unknown, or where none is given."""
    return zones.of(tzid, year, year).clock if tzid else ""


def end_wall_of(fields: Fields) -> datetime:
    """The exclusive end on the entry's own clock.

    Raises:
        CannotEdit: if it is none, or lies past the last day there is.
    """
    end = wall_of(fields.end or fields.start, "end")
    try:
        return end.replace(hour=0, minute=0, second=0) + timedelta(days=1) if fields.whole else end
    except OverflowError:
        raise CannotEdit("The end is after the last supported day.") from None


def left_out(line: ContentLine, item: str, start: Moment, zones: Zones = NO_ZONES) -> str:
    """One value of an EXDATE as the fields spell it; "" where it cannot be read."""
    tzid = line.param("TZID") or ""
    try:
        moment = parse_moment(item.strip(), tzid, clock_named(tzid, zones, start.wall.year))
    except NotAMoment:
        return ""
    return shown_text(moment.on_clock_of(start), start.is_date or moment.is_date)


def person_of(line: ContentLine) -> Person:
    """Whom an ATTENDEE or ORGANIZER line names."""
    value = line.value.strip()
    address = value[7:] if value[:7].lower() == "mailto:" else value
    return Person(
        line.param("CN") or "", address, (line.param("PARTSTAT") or "").upper(), (line.param("ROLE") or "").upper()
    )


def attachment_name(line: ContentLine) -> str:
    """What an attachment is called: its file name, else its kind and size, else its address."""
    name = line.param("FILENAME")
    if name:
        return name
    if line.param("ENCODING"):
        return f"{line.param('FMTTYPE') or 'attached'}, {len(line.value) * 3 // 4:,} bytes inside"
    return line.value


def _alarms(lines: ComponentEditor) -> list[Alarm]:
    alarms = []
    for place, (begin, end) in enumerate(lines.blocks("VALARM")):
        trigger = next(
            (line for raw in lines.lines[begin:end] if (line := parsed(raw)) and line.name == "TRIGGER"), None
        )
        if trigger is None:
            continue
        try:
            if (trigger.param("VALUE") or "").upper() == "DATE-TIME":
                moment = parse_moment(trigger.value.strip())
                alarms.append(Alarm("", 0, shown_text(moment.wall, False), place))
            else:
                days, seconds = parse_duration(trigger.value)
                related = (trigger.param("RELATED") or "START").lower()
                alarms.append(Alarm.before(related, days, seconds, place))
        except NotAMoment:
            continue
    return alarms
