"""Fields written into a text: only the lines of what differs are changed."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

from datebridge.core.editing.fields import (
    Alarm,
    CannotEdit,
    Fields,
    Person,
    left_out,
    moment_of,
    person_of,
    read_fields,
    start_of,
    wall_of,
)
from datebridge.core.editing.times import length_text, value_of, write_times
from datebridge.core.moments import Moment, basic
from datebridge.core.recurrence.rules import NotARule, parse_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.text.component import ComponentEditor, parsed, written
from datebridge.core.text.lines import escape_text, one_line
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: Fields that a plain property holds, as TEXT.
_TEXTS = {"title": "SUMMARY", "place": "LOCATION", "notes": "DESCRIPTION"}
_WORDS = {"privacy": "CLASS", "status": "STATUS", "link": "URL"}
_STATUS = {
    "VEVENT": ("", "TENTATIVE", "CONFIRMED", "CANCELLED"),
    "VTODO": ("", "NEEDS-ACTION", "COMPLETED", "IN-PROCESS", "CANCELLED"),
}
#: The notes over again, with formatting; stale once the notes are edited.
FORMATTED = ("X-ALT-DESC", "STYLED-DESCRIPTION")


def new_event(uid: str, fields: Fields, stamp: str) -> str:
    """The text of a new event. `stamp` is now, in UTC as iCalendar writes it.

    Raises:
        CannotEdit: where the fields make no event.
    """
    empty = f"BEGIN:VEVENT\nUID:{uid}\nDTSTAMP:{stamp}\nEND:VEVENT"
    if not fields.title.strip():
        raise CannotEdit("Enter a title.")
    return rewritten(empty, fields, stamp, touch=False)


def rewritten(
    text: str, after: Fields, stamp: str, touch: bool = True, zones: Zones = NO_ZONES, exact: int | None = None
) -> str:
    """The text with other fields; lines of fields that stay the same keep their bytes.

    Args:
        zones: what its calendar defines.
        exact: its length in seconds, where times change and their wall times do not tell it.

    Raises:
        CannotEdit: where the fields make no entry.
    """
    before, lines = read_fields(text, zones), ComponentEditor(text)
    _write_words(lines, before, after)
    timing = (after.start, after.end, after.whole, after.zone) != (before.start, before.end, before.whole, before.zone)
    if timing:
        write_times(lines, before, after, zones, exact)
    if after.rule != before.rule:
        lines.set("RRULE", written_rule(after.rule, start_of(after, zones)) if after.rule.strip() else "")
    if after.left_out != before.left_out:
        _write_left_out(lines, before, after, zones)
    _write_besides(lines, before, after)
    if touch and lines.text != text:
        touched(lines, stamp, timing or after.rule != before.rule or after.status != before.status)
    return lines.text


def _write_words(lines: ComponentEditor, before: Fields, after: Fields) -> None:
    """What it is about: texts, and words of the standard."""
    kind = lines.lines[0].partition(":")[2].strip().upper()
    for name, prop in _TEXTS.items():
        if getattr(after, name) != getattr(before, name):
            lines.set(prop, escape_text(getattr(after, name).strip()))
    if after.notes != before.notes:
        for prop in FORMATTED:
            lines.drop(prop)
    for name, prop in _WORDS.items():
        if getattr(after, name) != getattr(before, name):
            value = _one_line(getattr(after, name))
            if name == "status" and value.upper() not in _STATUS.get(kind, ("",)):
                raise CannotEdit(f"“{value}” is not a status of such an entry.")
            lines.set(prop, value if name == "link" else value.upper())
    if after.conference != before.conference:
        lines.set("CONFERENCE", _one_line(after.conference), {"VALUE": "URI"})
    if after.categories != before.categories:
        lines.drop("CATEGORIES")
        lines.set("CATEGORIES", ",".join(escape_text(c.strip()) for c in after.categories if c.strip()))
    if after.busy != before.busy and kind == "VEVENT":
        lines.set("TRANSP", "OPAQUE" if after.busy else "TRANSPARENT")


def _write_besides(lines: ComponentEditor, before: Fields, after: Fields) -> None:
    """What goes along with it: alarms, people, travel, attachments."""
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


def touched(lines: ComponentEditor, stamp: str, significant: bool) -> None:
    """Note that an entry was changed; a significant change raises its SEQUENCE (RFC 5546 §2.1.4)."""
    lines.set("DTSTAMP", stamp)
    lines.set("LAST-MODIFIED", stamp)
    if significant:
        number = lines.value("SEQUENCE").strip()
        lines.set("SEQUENCE", str(int(number) + 1 if number.isascii() and number.isdigit() else 1))


def stamped(text: str, stamp: str, significant: bool) -> str:
    """The same for a text; quick where the lines stand, plain, before what is nested, or nowhere: as nearly always."""
    made, upper = text, text.upper()
    for name in ("DTSTAMP", "LAST-MODIFIED", *(("SEQUENCE",) if significant else ())):
        nested = made.find("\nBEGIN:")
        at = made.find(f"\n{name}:", 0, nested if nested >= 0 else len(made)) + 1
        number = "1" if name == "SEQUENCE" else stamp
        there = upper.count(f"\n{name}")
        if not there:  # a new line, before what is nested
            place = (nested if nested >= 0 else made.rindex("\n")) + 1
            made = f"{made[:place]}{name}:{number}\n{made[place:]}"
            continue
        begin, stop = at + len(name) + 1, made.find("\n", at)
        if name == "SEQUENCE" and at:
            words = made[begin:stop].strip()
            number = str(int(words) + 1) if words.isascii() and words.isdigit() and len(words) < 10 else ""
        if there > 1 or not at or not number:
            lines = ComponentEditor(text)
            touched(lines, stamp, significant)
            return lines.text
        made = made[:begin] + number + made[stop:]
    return made


def _one_line(value: str) -> str:
    return one_line(" ".join(value.split()))


# ---- times ------------------------------------------------------------------------------------------


def written_rule(text: str, start: Moment) -> str:
    """A rule as RFC 5545 §3.3.10 wants it beside its start (`until_value`).

    Raises:
        CannotEdit: if it is no rule.
    """
    text = text.strip().rstrip(";")
    try:
        rule = parse_rule(text)
    except NotARule as error:
        raise CannotEdit(f"The rule cannot be read: {error}.") from error
    if rule.until is None:
        return one_line(text)
    return one_line(str(RuleText.of(text).with_until(rule.until, start)))


def _write_left_out(lines: ComponentEditor, before: Fields, after: Fields, zones: Zones) -> None:
    gone = set(before.left_out) - set(after.left_out)
    dropped = set()
    for index, line in lines.own("EXDATE") if gone else ():
        start = start_of(before, zones)
        items = line.value.split(",")
        stay = [item for item in items if left_out(line, item, start, zones) not in gone]
        if not stay:
            dropped.add(index)
        elif len(stay) < len(items):
            lines.change(index, ",".join(stay))
    lines.lines = [raw for index, raw in enumerate(lines.lines) if index not in dropped]
    for text in sorted(set(after.left_out) - set(before.left_out)):
        whole = after.whole or len(text) == 10
        value, params = value_of(moment_of(text, replace(after, whole=whole), "left-out date", zones))
        lines.add(written("EXDATE", value, params))


# ---- alarms, people, the rest -------------------------------------------------------------------------


def trigger_of(alarm: Alarm) -> str:
    """An alarm's TRIGGER line (RFC 5545 §3.8.6.3)."""
    if not alarm.related:
        return f"TRIGGER;VALUE=DATE-TIME:{basic(wall_of(alarm.at, 'time of the alarm'))}Z"
    before = alarm.minutes * 60 + alarm.seconds
    length = length_text(*divmod(abs(before), 86400)) if before else "PT0M"
    related = ";RELATED=END" if alarm.related == "end" else ""
    return f"TRIGGER{related}:{'-' if before > 0 else ''}{length}"


def _write_alarms(lines: ComponentEditor, before: Fields, after: Fields) -> None:
    wanted = {alarm.place: alarm for alarm in after.alarms if alarm.place >= 0}
    alarms_by_place = {alarm.place: alarm for alarm in before.alarms}
    for place, (begin, end) in reversed(list(enumerate(lines.blocks("VALARM")))):
        if place not in alarms_by_place:
            continue  # one that could not be read stays
        if place not in wanted:
            del lines.lines[begin : end + 1]
        elif wanted[place] != alarms_by_place[place]:
            for index in range(begin, end):
                line = parsed(lines.lines[index])
                if line and line.name == "TRIGGER":
                    lines.lines[index] = trigger_of(wanted[place])
    for alarm in after.alarms:
        if alarm.place < 0:
            description = escape_text(after.title.strip() or "Alarm")
            lines.add_block(
                ["BEGIN:VALARM", "ACTION:DISPLAY", f"DESCRIPTION:{description}", trigger_of(alarm), "END:VALARM"]
            )


#: Whom an entry names: address, name, answer, role.
_Who = tuple[str, str, str, str]


def _who(person: Person) -> _Who:
    return _one_line(person.address).lower(), person.name, person.answer.upper(), person.role.upper()


def _write_people(lines: ComponentEditor, name: str, people: list[Person]) -> None:
    """People by their address: a line that stays is changed only in what differs, the others go or come."""
    people = [person for person in people if person.address.strip()]
    own = list(lines.own(name))
    alike: defaultdict[_Who, list[Person]] = defaultdict(list)
    for person in people:
        alike[_who(person)].append(person)
    # Where an address is there twice, each line is first whose it is.
    stays = {index: alike[who].pop() for index, line in own if alike.get(who := _who(person_of(line)))}
    wanted: defaultdict[str, list[Person]] = defaultdict(list)
    for person in reversed(people):
        if alike[_who(person)]:
            alike[_who(person)].pop()
            wanted[_who(person)[0]].append(person)
    for index, line in own:
        left = wanted.get(_who(person_of(line))[0])
        if index not in stays and left:
            stays[index] = left.pop()
    for index, line in reversed(own):
        if index not in stays:
            del lines.lines[index]
            continue
        person = stays[index]
        parameters = {"CN": person.name, "PARTSTAT": person.answer.upper(), "ROLE": person.role.upper()}
        present = {"CN": line.param("CN") or "", **{k: (line.param(k) or "").upper() for k in ("PARTSTAT", "ROLE")}}
        changes = {key: value or None for key, value in parameters.items() if value != present[key]}
        if changes:
            lines.change(index, line.value, changes)
    for address, person in reversed([(address, person) for address, left in wanted.items() for person in left]):
        if "@" not in address or " " in address:
            raise CannotEdit(f"“{person.address[:60]}” is not an email address.")
        params = {"CN": person.name, "PARTSTAT": person.answer.upper(), "ROLE": person.role.upper()}
        value = f"mailto:{_one_line(person.address)}"
        lines.add(written(name, value, {key: param or None for key, param in params.items()}))


def _write_travel(lines: ComponentEditor, minutes: int) -> None:
    own = next(
        (name for name in _names(lines) if name.endswith(("TRAVEL-DURATION", "TRAVEL-TIME"))), "X-TRAVEL-DURATION"
    )
    lines.set(own, f"PT{minutes}M" if minutes > 0 else "", {"VALUE": "DURATION"})


def _names(lines: ComponentEditor) -> list[str]:
    return [line.name for raw in lines.lines if (line := parsed(raw))]


def _drop_attachments(lines: ComponentEditor, before: Fields, after: Fields) -> None:
    stay = list(after.attachments)
    gone = []
    for name in before.attachments:
        gone.append(name not in stay)
        if name in stay:
            stay.remove(name)
    for (index, _), drop in reversed(list(zip(lines.own("ATTACH"), gone, strict=True))):
        if drop:
            del lines.lines[index]


def as_event(text: str, fields: Fields, stamp: str, zones: Zones = NO_ZONES) -> str:
    """A to-do made an event at the times of the fields. What only a to-do can say goes into a COMMENT.

    Raises:
        CannotEdit: where the fields make no event.
    """
    lines = ComponentEditor(text)
    removed = []
    for name in ("DUE", "COMPLETED", "PERCENT-COMPLETE", "STATUS"):
        removed += [f"{name.lower()} {line.value}" for _, line in lines.own(name)]
        lines.drop(name)
    lines.drop("DTSTART")
    lines.drop("DURATION")
    lines.lines[0], lines.lines[-1] = "BEGIN:VEVENT", "END:VEVENT"
    if removed:
        lines.add(f"COMMENT:{escape_text('Was a to-do: ' + ', '.join(removed))}")
    return rewritten(lines.text, replace(fields, status=""), stamp, zones=zones)
