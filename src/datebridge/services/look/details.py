"""One entry in full, and the values a filter can ask for."""

from __future__ import annotations

from zoneinfo import available_timezones

from datebridge.core.checks import ALL
from datebridge.core.moments import NotAMoment, parse_moment
from datebridge.core.problems import CODES
from datebridge.core.text.component import Component
from datebridge.core.text.lines import ContentLine, split_text_list, unescape_text
from datebridge.core.zones.meaning import Zones
from datebridge.store.database import Store
from datebridge.store.entries.details import known_values_of

_LABELS = {
    "DTSTART": "Start", "DTEND": "End", "DUE": "Due", "DURATION": "Duration", "RRULE": "Rule", "RDATE": "Extra dates",
    "EXDATE": "Left-out dates", "RECURRENCE-ID": "Stands for", "DESCRIPTION": "Notes", "CATEGORIES": "Categories",
    "CLASS": "Privacy", "TRANSP": "Busy time", "ORGANIZER": "Organiser", "ATTENDEE": "Attendee", "URL": "Link",
    "CONFERENCE": "Conference", "ATTACH": "Attachment", "PRIORITY": "Priority", "GEO": "Position", "UID": "UID",
    "SEQUENCE": "Revision", "CREATED": "Created", "LAST-MODIFIED": "Last changed", "CONTACT": "Contact",
    "PERCENT-COMPLETE": "Done, per cent", "COMMENT": "Comment", "RESOURCES": "Resources", "TZID": "Zone name",
}  # fmt: skip
_MOMENTS = frozenset({"DTSTART", "DTEND", "DUE", "RECURRENCE-ID", "CREATED", "LAST-MODIFIED"})
_TEXTS = frozenset({"DESCRIPTION", "COMMENT", "CONTACT"})


def facts(component: str, text: str, zones: Zones) -> list[tuple[str, str]]:
    """What an entry says, label and value, in the order of its lines; alarms after the rest."""
    rows = [
        (_LABELS[line.name], _value(line, zones)) for _, line in Component(text).properties() if line.name in _LABELS
    ]
    depth, trigger = 0, ""
    for raw in text.split("\n"):
        upper = raw.upper()
        depth += upper.startswith("BEGIN:") - upper.startswith("END:")
        if depth == 2 and upper.startswith("TRIGGER"):
            trigger = raw.partition(":")[2]
            rows.append(("Alarm", _alarm(trigger)))
    return rows


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
            return f"{shown} {tzid} (as its calendar defines it)"
        zone = meaning.zone
        return f"{shown} {tzid}" + (f" = {zone}" if zone and zone != tzid else "" if zone else " (unknown)")
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


def _alarm(trigger: str) -> str:
    return f"{trigger[1:]} before" if trigger.startswith("-P") else trigger


def label(name: str) -> str:
    """What a property is called in the interface."""
    return _LABELS.get(
        name, {"SUMMARY": "Title", "LOCATION": "Place", "STATUS": "Status", "VALARM": "Alarms"}.get(name, name)
    )


def known_values(store: Store, field: str) -> list[str]:
    """Values of one field the filter line can offer, the most useful first."""
    if field == "problem":
        return sorted([*ALL, *CODES])
    days = ["today", "yesterday"] if field in ("before", "after", "on") else []
    with store.read() as connection:
        rows = known_values_of(connection, "on" if days else field)
    if field == "category":  # an entry's categories are kept together, the most frequent combinations first
        rows = list(dict.fromkeys(category for joined in rows for category in joined.split("\x1f")))
    return [*days, *rows]


def is_zone(name: str) -> bool:
    return name in available_timezones()


def zone_names() -> list[str]:
    """IANA zones people choose from: places, and UTC."""
    return [
        "UTC",
        *sorted(z for z in available_timezones() if "/" in z and not z.startswith(("Etc/", "posix", "right"))),
    ]
