"""Small helpers with which the sample files are written."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime, timedelta

from datebridge.core.text.lines import escape_text, fold, format_line
from datebridge.core.zones.definition import define

STAMP = "20260105T080000Z"


def local(moment: datetime) -> str:
    return f"{moment:%Y%m%dT%H%M%S}"


def event(
    uid: str,
    summary: str,
    start: datetime | date,
    length: timedelta,
    tzid: str = "",
    utc: bool = False,
    extra: Iterable[str] = (),
    component: str = "VEVENT",
) -> str:
    """An entry's text, unfolded. A date makes it a whole day; without `tzid` or `utc` it is floating."""
    lines = [f"BEGIN:{component}", f"UID:{uid}@skerrow.example", f"DTSTAMP:{STAMP}"]
    end_name = "DUE" if component == "VTODO" else "DTEND"
    if isinstance(start, datetime):
        params = {"TZID": tzid} if tzid else None
        mark = "Z" if utc else ""
        lines.append(format_line("DTSTART", local(start) + mark, params))
        lines.append(format_line(end_name, local(start + length) + mark, params))
    else:
        lines.append(f"DTSTART;VALUE=DATE:{start:%Y%m%d}")
        lines.append(f"{end_name};VALUE=DATE:{start + length:%Y%m%d}")
    lines.append(f"SUMMARY:{escape_text(summary)}")
    return "\n".join([*lines, *extra, f"END:{component}"])


def alarm(minutes: int) -> list[str]:
    return ["BEGIN:VALARM", "ACTION:DISPLAY", f"TRIGGER:-PT{minutes}M", "DESCRIPTION:Reminder", "END:VALARM"]


def attendee(name: str, status: str = "ACCEPTED", domain: str = "skerrow.example") -> str:
    mail = name.lower().replace(" ", ".").replace("ó", "o").replace("ú", "u")
    return format_line("ATTENDEE", f"mailto:{mail}@{domain}", {"CN": name, "PARTSTAT": status})


def organizer(name: str) -> str:
    mail = name.lower().replace(" ", "-")
    return format_line("ORGANIZER", f"mailto:{mail}@skerrow.example", {"CN": name})


def calendar(
    name: str, texts: Iterable[str], zones: dict[str, str], years: tuple[int, int], extra: Iterable[str] = ()
) -> bytes:
    """A whole file; `zones` are TZIDs to define with the IANA zones they mean."""
    lines = [
        "BEGIN:VCALENDAR",
        "VERSION:2.0",
        "PRODID:-//Tidewrack//Calendar 3.1//EN",
        f"X-WR-CALNAME:{escape_text(name)}",
        *extra,
    ]
    lines += [define(tzid, zone, *years) for tzid, zone in zones.items()]
    return fold("\n".join([*lines, *texts, "END:VCALENDAR", ""]))
