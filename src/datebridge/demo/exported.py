"""A calendar as it came out of the old server in a file: its zones lost, some entries an hour late, some missing."""

from __future__ import annotations

import io
from dataclasses import replace
from datetime import date, datetime, timedelta

from datebridge.core.editing.fields import read_fields, wall_of
from datebridge.core.editing.writing import rewritten
from datebridge.core.index.derive import derive
from datebridge.core.moments import wall_seconds_of
from datebridge.core.text.reader import Reader
from datebridge.demo.writing import calendar, event


def exported(content: bytes, name: str, today: date) -> bytes:
    """What an export of a calendar has of its entries around a day; every eleventh is missing, every seventh late."""
    low, high = wall_seconds_of(today - timedelta(days=40)), wall_seconds_of(today + timedelta(days=80))
    texts: list[str] = []
    for number, component in enumerate(Reader(io.BytesIO(content))):
        facts = derive(component.name, component.text)
        start, end = facts.start_wall, facts.end_wall
        if component.name != "VEVENT" or start is None or end is None or not (low <= start < high):
            continue
        if number % 11 == 0:
            continue
        fields = replace(read_fields(component.text), zone="UTC")
        if number % 7 == 0:
            fields.start, fields.end = (
                f"{wall_of(moment) + timedelta(hours=1):%Y-%m-%dT%H:%M}" for moment in (fields.start, fields.end)
            )
        texts.append(rewritten(component.text, fields, f"{today:%Y%m%d}T060000Z", touch=False))
    party = datetime.combine(today + timedelta(days=3), datetime.min.time()) + timedelta(hours=15)
    texts.append(event("export-farewell", "Farewell to the old server", party, timedelta(hours=2), utc=True))
    return calendar(name, texts, {}, (today.year, today.year))
