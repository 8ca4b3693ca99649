"""Fields written into a text: only the lines of what differs are changed."""

from __future__ import annotations

from dataclasses import replace

from datebridge.core.editing.fields import (
    Alarm,
    CannotEdit,
    Fields,
    Person,
    end_wall_of,
    left_out,
    moment_of,
    read_fields,
    start_of,
    wall_of,
)
from datebridge.core.editing.lines import Lines, parsed, written
from datebridge.core.ics.lines import ContentLine, escape_text
from datebridge.core.moments import Moment, from_wall_seconds
from datebridge.core.recurrence.rules import NotARule, parse_rule
from datebridge.core.zones.names import resolve

#: Fields that a plain property holds, as TEXT.
_TEXTS = {"title": "SUMMARY", "place": "LOCATION", "notes": "DESCRIPTION"}
_WORDS = {"privacy": "CLASS", "status": "STATUS", "link": "URL"}
_STATUS = {"VEVENT": ("", "TENTATIVE", "CONFIRMED", "CANCELLED"),
           "VTODO": ("", "NEEDS-ACTION", "COMPLETED", "IN-PROCESS", "CANCELLED")}  # fmt: skip


def new_event(uid: str, fields: Fields, stamp: str) -> str:
    """The text of a new event. `stamp` is now, in UTC as iCalendar writes it.

    Raises:
        CannotEdit: where the fields make no event.
    """
    empty = f"BEGIN:VEVENT\nUID:{uid}\nDTSTAMP:{stamp}\nEND:VEVENT"
    if not fields.title.strip():
        raise CannotEdit("Give it a title.")
    return rewritten(empty, fields, stamp, touch=False)


def rewritten(text: str, after: Fields, stamp: str, touch: bool = True) -> str:
    """The text with other fields; lines of fields that stay the same keep their bytes.

    Raises:
        CannotEdit: where the fields make no entry.
    """
    before, lines = read_fields(text), Lines(text)
    kind = lines.lines[0].partition(":")[2].strip().upper()
    for name, prop in _TEXTS.items():
        if getattr(after, name) != getattr(before, name):
            lines.set(prop, escape_text(getattr(after, name).strip()))
    for name, prop in _WORDS.items():
        if getattr(after, name) != getattr(before, name):
            value = _one_line(getattr(after, name))
            if name == "status" and value.upper() not in _STATUS.get(kind, ("",)):
                raise CannotEdit(f"“{value}” is no status of such an entry.")
            lines.set(prop, value if name == "link" else value.upper())
    if after.conference != before.conference:
        lines.set("CONFERENCE", _one_line(after.conference), {"VALUE": "URI"})
    if after.categories != before.categories:
        lines.drop("CATEGORIES")
        lines.set("CATEGORIES", ",".join(escape_text(c.strip()) for c in after.categories if c.strip()))
    if after.busy != before.busy and kind == "VEVENT":
        lines.set("TRANSP", "OPAQUE" if after.busy else "TRANSPARENT")
    timing = (after.start, after.end, after.whole, after.zone) != (before.start, before.end, before.whole, before.zone)
    if timing:
        _write_times(lines, before, after, kind)
    if after.rule != before.rule or (timing and after.rule):
        lines.set("RRULE", written_rule(after.rule, start_of(after)) if after.rule.strip() else "")
    if after.left_out != before.left_out:
        _write_left_out(lines, before, after)
    if after.alarms != before.alarms:
        _write_alarms(lines, before, after)
    if after.organizer != before.organizer:
        _write_people(lines, "ORGANIZER", [after.organizer] if after.organizer else [])
    if after.attendees != before.attendees:
        _write_people(lines, "ATTENDEE", after.attendees)
    if after.travel != before.travel:
        _write_travel(lines, after.travel)
    if after.attachments != before.attachments:
        _drop_attachments(lines, before, after)
    if touch and lines.text != text:
        touched(lines, stamp, timing or after.rule != before.rule or after.status != before.status)
    return lines.text


def touched(lines: Lines, stamp: str, significant: bool) -> None:
    """Note that an entry was changed; a significant change raises its SEQUENCE (RFC 5546 §2.1.4)."""
    lines.set("DTSTAMP", stamp)
    lines.set("LAST-MODIFIED", stamp)
    if significant:
        number = lines.value("SEQUENCE").strip()
        lines.set("SEQUENCE", str(int(number) + 1 if number.isascii() and number.isdigit() else 1))


def _one_line(value: str) -> str:
    return " ".join(value.split())


# ---- times ------------------------------------------------------------------------------------------


def value_of(moment: Moment) -> tuple[str, dict[str, str | None]]:
    """A moment as a property's value with its parameters."""
    if moment.is_date:
        return f"{moment.wall:%Y%m%d}", {"VALUE": "DATE", "TZID": None}
    utc = moment.tzid == "UTC" and moment.zone == "UTC"
    return f"{moment.wall:%Y%m%dT%H%M%S}" + ("Z" if utc else ""), {
        "VALUE": None, "TZID": None if utc or not moment.tzid else moment.tzid
    }  # fmt: skip


def _write_times(lines: Lines, before: Fields, after: Fields, kind: str) -> None:
    if not after.whole and after.zone and after.zone != before.zone and resolve(after.zone).method == "unresolved":
        raise CannotEdit(f"“{after.zone}” is not a time zone.")
    start = start_of(after)
    end = Moment(end_wall_of(after))
    if end.wall < start.wall:
        raise CannotEdit("The end lies before the start.")
    length = end.wall - start.wall
    kept = before.start and end_wall_of(before) - start_of(before).wall == length and before.whole == after.whole
    lines.set("DTSTART", *value_of(start))
    if kind == "VTODO":
        lines.drop("DURATION")
        lines.set("DUE", *value_of(start._replace(wall=end.wall)))
    elif not (kept and lines.value("DURATION")):
        lines.drop("DURATION")
        lines.set("DTEND", *value_of(start._replace(wall=end.wall)))


def written_rule(text: str, start: Moment) -> str:
    """A rule as RFC 5545 §3.3.10 wants it beside its start: UNTIL a date beside a date, else in UTC if it is zoned.

    Raises:
        CannotEdit: if it is no rule.
    """
    text = text.strip().rstrip(";")
    try:
        rule = parse_rule(text)
    except NotARule as error:
        raise CannotEdit(f"The rule cannot be read: {error}.") from error
    if rule.until is None:
        return text
    until = rule.until
    if start.is_date:
        value = f"{until.on_clock_of(start):%Y%m%d}"
    else:
        if until.is_date:
            until = until._replace(wall=until.wall.replace(hour=23, minute=59, second=59), is_date=False)
        instant = until._replace(zone=until.zone or start.zone).instant() if start.zone else None
        shown = until.wall if instant is None else from_wall_seconds(instant)
        value = f"{shown:%Y%m%dT%H%M%S}" + ("" if instant is None else "Z")
    parts = [part for part in text.split(";") if not part.upper().startswith("UNTIL=")]
    return ";".join([*parts, f"UNTIL={value}"])


def _write_left_out(lines: Lines, before: Fields, after: Fields) -> None:
    gone = set(before.left_out) - set(after.left_out)
    for index, line in list(lines.own("EXDATE")):
        items = line.value.split(",")
        stay = [item for item in items if left_out(line, item, before) not in gone]
        if len(stay) < len(items):
            lines.lines[index] = written(line, ",".join(stay)) if stay else ""
    lines.lines = [raw for raw in lines.lines if raw]
    for text in sorted(set(after.left_out) - set(before.left_out)):
        value, params = value_of(moment_of(text, after, "left-out date"))
        lines.add(written(ContentLine("EXDATE", (), ""), value, params))


# ---- alarms, people, the rest -------------------------------------------------------------------------


def trigger_of(alarm: Alarm) -> str:
    """An alarm's TRIGGER line (RFC 5545 §3.8.6.3)."""
    if not alarm.related:
        return f"TRIGGER;VALUE=DATE-TIME:{wall_of(alarm.at, 'time of the alarm'):%Y%m%dT%H%M%SZ}"
    minutes = abs(alarm.minutes)
    days, rest = divmod(minutes, 1440)
    hours, rest = divmod(rest, 60)
    length = "P" + (f"{days}D" if days else "")
    if hours or rest or not days:
        length += "T" + (f"{hours}H" if hours else "") + (f"{rest}M" if rest or not hours else "")
    related = ";RELATED=END" if alarm.related == "end" else ""
    return f"TRIGGER{related}:{'-' if alarm.minutes > 0 else ''}{length}"


def _write_alarms(lines: Lines, before: Fields, after: Fields) -> None:
    wanted = {alarm.place: alarm for alarm in after.alarms if alarm.place >= 0}
    known = {alarm.place: alarm for alarm in before.alarms}
    for place, (begin, end) in reversed(list(enumerate(lines.blocks("VALARM")))):
        if place not in known:
            continue  # one that could not be read stays
        if place not in wanted:
            del lines.lines[begin : end + 1]
        elif wanted[place] != known[place]:
            for index in range(begin, end):
                line = parsed(lines.lines[index])
                if line and line.name == "TRIGGER":
                    lines.lines[index] = trigger_of(wanted[place])
    for alarm in after.alarms:
        if alarm.place < 0:
            said = escape_text(after.title.strip() or "Alarm")
            lines.add_block(["BEGIN:VALARM", "ACTION:DISPLAY", f"DESCRIPTION:{said}", trigger_of(alarm), "END:VALARM"])


def _write_people(lines: Lines, name: str, people: list[Person]) -> None:
    """People by their address: a line that stays is changed only in what differs, the others go or come."""
    wanted = {person.address.strip().lower(): person for person in people if person.address.strip()}
    for index, line in reversed(list(lines.own(name))):
        address = line.value.strip().lower().removeprefix("mailto:")
        person = wanted.pop(address, None)
        if person is None:
            del lines.lines[index]
            continue
        said = {"CN": person.name, "PARTSTAT": person.answer.upper(), "ROLE": person.role.upper()}
        changes = {k: v or None for k, v in said.items() if v != ((line.param(k) or "") if k == "CN" else (line.param(k) or "").upper())}  # fmt: skip  # noqa: E501
        if changes:
            lines.lines[index] = written(line, line.value, changes)
    for address, person in wanted.items():
        if "@" not in address:
            raise CannotEdit(f"“{person.address}” is no e-mail address.")
        params = {"CN": person.name or None, "PARTSTAT": person.answer.upper() or None, "ROLE": person.role.upper() or None}  # fmt: skip  # noqa: E501
        lines.add(written(ContentLine(name, (), ""), f"mailto:{person.address.strip()}", params))


def _write_travel(lines: Lines, minutes: int) -> None:
    own = next(
        (name for name in _names(lines) if name.endswith(("TRAVEL-DURATION", "TRAVEL-TIME"))), "X-TRAVEL-DURATION"
    )
    lines.set(own, f"PT{minutes}M" if minutes > 0 else "", {"VALUE": "DURATION"})


def _names(lines: Lines) -> list[str]:
    return [line.name for raw in lines.lines if (line := parsed(raw))]


def _drop_attachments(lines: Lines, before: Fields, after: Fields) -> None:
    stay = list(after.attachments)
    gone = []
    for name in before.attachments:
        gone.append(name not in stay)
        if name in stay:
            stay.remove(name)
    for (index, _), drop in reversed(list(zip(lines.own("ATTACH"), gone, strict=True))):
        if drop:
            del lines.lines[index]


def as_event(text: str, fields: Fields, stamp: str) -> str:
    """A to-do made an event at the times of the fields. What only a to-do can say goes into a COMMENT.

    Raises:
        CannotEdit: where the fields make no event.
    """
    lines = Lines(text)
    said = []
    for name in ("DUE", "COMPLETED", "PERCENT-COMPLETE", "STATUS"):
        said += [f"{name.lower()} {line.value}" for _, line in lines.own(name)]
        lines.drop(name)
    lines.drop("DTSTART")
    lines.drop("DURATION")
    lines.lines[0], lines.lines[-1] = "BEGIN:VEVENT", "END:VEVENT"
    if said:
        lines.add(f"COMMENT:{escape_text('Was a to-do: ' + ', '.join(said))}")
    return rewritten(lines.text, replace(fields, status=""), stamp)
