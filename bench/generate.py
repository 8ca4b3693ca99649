"""A large made-up calendar for measuring: one entry in ten a series, three zones, alarms, attendees, folds."""

from __future__ import annotations

import random
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

from datebridge.core.text.lines import fold

ZONES = ("Australia/Hobart", "Atlantic/Reykjavik", "America/Halifax")
PLACES = ("Berth 1", "Berth 2", "Wet lab", "Dry lab", "Seminar room", "Winch deck")
THINGS = ("Crane check", "Water sampling", "Duty officer", "Mooring service", "Seminar", "CTD cast", "Safety round")
RULES = (
    "FREQ=WEEKLY;BYDAY=MO",
    "FREQ=DAILY;COUNT=20",
    "FREQ=MONTHLY;BYDAY=-1FR",
    "FREQ=WEEKLY;INTERVAL=2;UNTIL=20281231T000000Z",
)


def entries(count: int, seed: int = 7, years: int = 0) -> Iterator[str]:
    """Event texts, unfolded, about 600 bytes each; over ten years, or over `years` with series that end."""
    rng = random.Random(seed)
    day = datetime(2029 - years if years else 2018, 1, 1)  # noqa: DTZ001
    for number in range(count):
        zone = ZONES[number % 3]
        start = day + timedelta(days=rng.randrange(365 * (years or 10)), minutes=15 * rng.randrange(96))
        lines = [
            "BEGIN:VEVENT",
            f"UID:{seed}-{number:06d}@skerrow.example",
            "DTSTAMP:20261101T120000Z",
            f"DTSTART;TZID={zone}:{start:%Y%m%dT%H%M%S}",
            f"DTEND;TZID={zone}:{start + timedelta(minutes=90):%Y%m%dT%H%M%S}",
            f"SUMMARY:{rng.choice(THINGS)} {number}",
            f"LOCATION:{rng.choice(PLACES)}\\, Skerrow",
            "DESCRIPTION:" + " ".join(rng.choice(THINGS) for _ in range(9)) + "\\nÁætlun og athugasemdir.",
            "CATEGORIES:" + rng.choice(("LAB", "SHIP", "TEACHING")),
            f"SEQUENCE:{rng.randrange(4)}",
            "STATUS:CONFIRMED",
            "ORGANIZER;CN=Harbour office:mailto:harbour@skerrow.example",
        ]
        if number % 10 == 0:
            rule = RULES[number // 10 % len(RULES)]
            lines.append(
                "RRULE:" + (f"{rule.partition(';UNTIL')[0]};COUNT=20" if years and "COUNT" not in rule else rule)
            )
        if number % 4 == 0:
            lines += [f"ATTENDEE;CN=Person {k};PARTSTAT=ACCEPTED:mailto:p{k}@skerrow.example" for k in range(2)]
        if number % 3 == 0:
            lines += ["BEGIN:VALARM", "ACTION:DISPLAY", "TRIGGER:-PT15M", "DESCRIPTION:Soon", "END:VALARM"]
        lines += [f"X-SKERROW-REF:{number * 7}", "END:VEVENT"]
        yield "\n".join(lines)


def write(path: Path, count: int, seed: int = 7, years: int = 0) -> int:
    """Write a file of `count` events; returns its size in bytes."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("wb") as out:
        out.write(b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Skerrow//Bench//EN\r\n")
        for text in entries(count, seed, years):
            out.write(fold(text) + b"\r\n")
        out.write(b"END:VCALENDAR\r\n")
    return path.stat().st_size
