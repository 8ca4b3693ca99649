"""One entry in full, and the values a filter can ask for."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple
from zoneinfo import available_timezones

from datebridge.core.checks import ALL
from datebridge.core.index.facts import ANSWERS
from datebridge.core.language.filters import FilterContext
from datebridge.core.language.spans import length
from datebridge.core.merge import BOOKKEEPING
from datebridge.core.moments import NotAMoment, parse_duration, parse_moment
from datebridge.core.problems import CODES
from datebridge.core.recurrence.rules import NotARule, parse_rule
from datebridge.core.recurrence.words import describe
from datebridge.core.text.component import Component
from datebridge.core.text.lines import ContentLine, split_text_list, unescape_text
from datebridge.core.text.nesting import differing_fields, fields_of
from datebridge.core.zones.meaning import NO_ZONES, Zones
from datebridge.store.calendars import calendars_for_filters
from datebridge.store.database import Store
from datebridge.store.entries.details import known_values_of

_LABELS = {
    "DTSTART": "Start",
    "DTEND": "End",
    "DUE": "Due",
    "DURATION": "Duration",
    "RRULE": "Rule",
    "RDATE": "Extra dates",
    "EXDATE": "Left-out dates",
    "RECURRENCE-ID": "Stands for",
    "DESCRIPTION": "Notes",
    "CATEGORIES": "Categories",
    "CLASS": "Privacy",
    "TRANSP": "Busy time",
    "ORGANIZER": "Organiser",
    "ATTENDEE": "Attendee",
    "URL": "Link",
    "CONFERENCE": "Conference",
    "ATTACH": "Attachment",
    "PRIORITY": "Priority",
    "GEO": "Position",
    "UID": "UID",
    "SEQUENCE": "Revision",
    "CREATED": "Created",
    "LAST-MODIFIED": "Last changed",
    "CONTACT": "Contact",
    "PERCENT-COMPLETE": "Done, per cent",
    "COMMENT": "Comment",
    "RESOURCES": "Resources",
    "TZID": "Zone name",
}
_MOMENTS = frozenset({"DTSTART", "DTEND", "DUE", "RECURRENCE-ID", "CREATED", "LAST-MODIFIED"})
#: What values mean (RFC 5545 §3.8.2.7, §3.8.1.3).
_WORDS = {
    "TRANSP": {"TRANSPARENT": "free", "OPAQUE": "busy"},
    "CLASS": {"PUBLIC": "public", "PRIVATE": "private", "CONFIDENTIAL": "confidential"},
}
_WRITTEN = "Zone, as written"
_TEXTS = frozenset({"DESCRIPTION", "COMMENT", "CONTACT"})


def facts(component: str, text: str, zones: Zones) -> list[tuple[str, str]]:
    """What an entry says, label and value, in the order of its lines; alarms after the rest."""
    rows: list[tuple[str, str]] = []
    entry = Component(text)
    for _, line in entry.properties():
        if line.name in _LABELS:
            rows.append((_LABELS[line.name], _rule(entry, line) if line.name == "RRULE" else _value(line, zones)))
            written = _as_written(line, zones)
            if written and (_WRITTEN, written) not in rows:
                rows.append((_WRITTEN, written))
    alarms = fields_of(text).get("VALARM", [])
    triggers = [Component("\n".join(alarm)).first("TRIGGER") for alarm in alarms]
    return rows + [("Alarm", _alarm(trigger.value)) for trigger in triggers if trigger is not None]


def _value(line: ContentLine, zones: Zones) -> str:
    if line.name in _MOMENTS:
        tzid = line.param("TZID") or ""
        try:
            moment = parse_moment(line.value.strip(), tzid)
        except NotAMoment:
            return f"{line.value} (not a date)"
        shown = f"{moment.wall.date().isoformat()} {moment.wall:%a}" + (
            "" if moment.is_date else f" {moment.wall:%H:%M}"
        )
        if not tzid:
            return shown + (" UTC" if moment.zone == "UTC" else "" if moment.is_date else " floating")
        meaning = zones.of(tzid, moment.wall.year, moment.wall.year)
        if meaning.defined:
            return f"{shown}, as its calendar defines the zone"
        return f"{shown} {meaning.zone}" if meaning.zone else f"{shown} in an unknown zone"
    if line.name in _WORDS:
        return _WORDS[line.name].get(line.value.strip().upper(), line.value)
    if line.name in _TEXTS:
        return unescape_text(line.value)
    if line.name == "CATEGORIES":
        return ", ".join(split_text_list(line.value))
    if line.name in ("ATTENDEE", "ORGANIZER"):
        parts = [line.param("CN") or "", line.value.removeprefix("mailto:"), (line.param("PARTSTAT") or "").lower()]
        return " · ".join(part for part in parts if part)
    if line.name == "ATTACH":
        name = line.param("FILENAME") or line.param("FMTTYPE") or ""
        return f"{name} {len(line.value):,} characters inline" if line.param("ENCODING") else line.value
    return line.value


def _as_written(line: ContentLine, zones: Zones) -> str:
    """The name of a zone as the entry writes it, where that is not what it means."""
    tzid = line.param("TZID") or "" if line.name in _MOMENTS else ""
    if not tzid:
        return ""
    try:
        year = parse_moment(line.value.strip(), tzid).wall.year
    except NotAMoment:
        return ""
    meaning = zones.of(tzid, year, year)
    return "" if meaning.zone == tzid and not meaning.defined else tzid


def _rule(entry: Component, line: ContentLine) -> str:
    """A rule in words, or as it is written where it, or the start it goes by, is none."""
    start = entry.first("DTSTART")
    try:
        moment = parse_moment(start.value.strip(), start.param("TZID") or "") if start else None
        return describe(parse_rule(line.value), moment.wall) if moment else line.value
    except (NotAMoment, NotARule):
        return line.value


def _alarm(trigger: str) -> str:
    """When an alarm sounds: ``15 min before``, ``1 h after the start``, or as it is written."""
    try:
        days, seconds = parse_duration(trigger)
    except NotAMoment:
        return trigger
    whole = days * 86400 + seconds
    if not whole:
        return "at the start"
    return f"{length(abs(whole))} {'before' if whole < 0 else 'after the start'}"


def label(name: str) -> str:
    """What a property is called in the interface."""
    return _LABELS.get(
        name, {"SUMMARY": "Title", "LOCATION": "Place", "STATUS": "Status", "VALARM": "Alarms"}.get(name, name)
    )


def answers(text: str) -> list[tuple[str, int]]:
    """How many of the people invited have answered what, the most frequent first."""
    counts = Counter(
        ANSWERS.get((line.param("PARTSTAT") or "").upper(), "not answered") for line in Component(text).all("ATTENDEE")
    )
    return counts.most_common()


def in_words(component: str, text: str, name: str) -> list[str]:
    """What a field of an entry says, as people read it; nothing where the entry has none."""
    if name in ("SUMMARY", "LOCATION"):
        return [unescape_text(line.value) for line in Component(text).all(name)]
    if name == "STATUS":
        return [line.value.strip().lower() for line in Component(text).all(name)]
    wanted = "Alarm" if name == "VALARM" else _LABELS.get(name)
    if wanted is None:
        return [line.value for line in Component(text).all(name)]
    return [value for words, value in facts(component, text, NO_ZONES) if words == wanted]


class Differing(NamedTuple):
    """A field of which two states of an entry say something else; only what they do not share."""

    label: str
    left: list[str]
    right: list[str]


def differing(component: str, left: str, right: str) -> list[Differing]:
    """In what two states of an entry differ, but for the bookkeeping."""
    fields = []
    for name, *sides in differing_fields(left, right, lambda _, parts: sorted(parts)):
        if name in BOOKKEEPING:
            continue
        before, after = (Counter(in_words(component, text, name)) for text in (left, right))
        if before == after:  # the same in other words: the lines themselves tell it
            before, after = (Counter(line for part in parts for line in part) for parts in sides)
        fields.append(Differing(label(name), list((before - after).elements()), list((after - before).elements())))
    return fields


def known_values(store: Store, field: str) -> list[FilterContext]:
    """Values of one field the filter line can offer, the most useful first."""
    if field == "problem":
        return [FilterContext(code) for code in sorted([*ALL, *CODES])]
    if field == "calendar":
        with store.read() as connection:
            return list(calendars_for_filters(connection).values())
    days = ["today", "yesterday"] if field in ("before", "after", "on") else []
    with store.read() as connection:
        rows = known_values_of(connection, "on" if days else field)
    if field == "category":  # an entry's categories are kept together, the most frequent combinations first
        rows = list(dict.fromkeys(category for joined in rows for category in joined.split("\x1f")))
    return [FilterContext(value) for value in (*days, *rows)]


def is_zone(name: str) -> bool:
    return name in available_timezones()


def zone_names() -> list[str]:
    """IANA zones people choose from: places, and UTC."""
    return [
        "UTC",
        *sorted(z for z in available_timezones() if "/" in z and not z.startswith(("Etc/", "posix", "right"))),
    ]
