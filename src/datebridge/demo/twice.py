"""A file of the partners' office: much of what the station has already, come by another road and not quite the same.

`TWICE` says how many entries of it are the same meeting as one that is there, in which way.
"""

from __future__ import annotations

from datetime import date, datetime, timedelta

from datebridge.core.matching import Alike
from datebridge.demo.writing import calendar, event, organizer

HOUR, DAY = timedelta(hours=1), timedelta(days=1)
TWICE = {
    Alike.IDENTICAL: 12,
    Alike.SAME_UID: 6,
    Alike.SAME_TIME: 12,
    Alike.SHIFTED: 12,
    Alike.PARTS: 6,
    Alike.CUT: 2,
    Alike.CHANGED: 1,
    Alike.LOOSE: 1,
}


def partners_file(seminars: list[str], voyages: list[str], call: datetime, safety: datetime, today: date) -> bytes:
    """The file.

    Args:
        seminars: the texts of seminars, in order of time, one a partner in turn: Hobart, Reykjavík, Halifax.
        voyages: the texts of expeditions.
        call: when the station leaders' call began, every third week in Hobart; its third was moved by two hours.
        safety: when the eyewash test began, every fourteen days at the station.
    """
    same, renamed = seminars[:12], [_changed(text, "LOCATION", "Seminar room 2") for text in seminars[40:46]]
    forwarded = [_again(_changed(_without(text, "URL"), "SUMMARY", "FW: {}"), "fw") for text in seminars[20:32]]
    # Read on the clock of the office: the same hour, in another zone.
    misread = [
        _again(text.replace("TZID=Australia/Hobart", "TZID=Atlantic/Reykjavik"), "read")
        for text in seminars[60:84]
        if "TZID=Australia/Hobart" in text
    ]
    hours = [_as_hours(text, number) for number, text in enumerate(voyages[:4])]
    hobart = "Australia/Hobart"
    people = [organizer("Seminar Office")]
    calls = [
        event(f"call-{k}", "Station leaders' call", call + 21 * k * DAY, HOUR, hobart, extra=people)
        for k in (2, *range(3, 9))
    ]
    loose = event("x", "Station leaders' call", call + 21 * 9 * DAY + HOUR, HOUR, hobart, extra=people)
    loose = loose.replace("UID:x@skerrow.example", "UID:seminar-hobart@skerrow.example+9")
    pieces = [
        event(
            f"eyewash-{k}",
            "Eyewash test",
            safety + 14 * begin * DAY,
            HOUR / 4,
            "Atlantic/Reykjavik",
            extra=[f"RRULE:FREQ=DAILY;INTERVAL=14;COUNT={count}", "CATEGORIES:LAB,SAFETY"],
        )
        for k, (begin, count) in enumerate(((0, 10), (10, 12)))
    ]
    own = [
        event(
            f"partners-{k}",
            "Partners' planning",
            datetime.combine(today, datetime.min.time()) + k * DAY + 10 * HOUR,
            HOUR,
            "America/Halifax",
        )
        for k in range(5)
    ]
    texts = [*same, *renamed, *forwarded, *misread, *hours, *calls, loose, *pieces, *own]
    return calendar("Partner office", texts, {}, (today.year, today.year))


def _lines(text: str) -> list[str]:
    return text.split("\n")


def _changed(text: str, name: str, value: str) -> str:
    return "\n".join(
        f"{name}:{value.format(line.partition(':')[2])}" if line.startswith(f"{name}:") else line
        for line in _lines(text)
    )


def _without(text: str, name: str) -> str:
    return "\n".join(line for line in _lines(text) if not line.startswith(f"{name}:"))


def _again(text: str, how: str) -> str:
    return _changed(text, "UID", f"{how}-{{}}")


def _as_hours(text: str, number: int) -> str:
    """Whole days as the hours from midnight to midnight."""
    text = text.replace(";VALUE=DATE:", ";TZID=Atlantic/Reykjavik:")
    lines = [f"{line}T000000" if line.startswith(("DTSTART;", "DTEND;")) else line for line in _lines(text)]
    return _changed("\n".join(lines), "UID", f"voyage-{number}@skerrow.example")
