"""From one file format to another, without a store: iCalendar, jCal (RFC 7265), CSV."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path, PurePath

from icalendar import Calendar

from datebridge.core.events import derive
from datebridge.core.headers import description_of
from datebridge.core.ics.reader import RawComponent
from datebridge.core.ics.source import open_bytes
from datebridge.core.ics.writer import missing_definitions, new_header, tzids_in, write_calendar
from datebridge.core.inspection import Inspection, inspect
from datebridge.core.sheet import write_sheet

FORMATS = (".ics", ".json", ".csv")


class CannotConvert(Exception):
    """The file cannot be converted; the message says why and what to do."""


def convert(source: Path, target: Path, zone: str = "") -> Inspection:
    """Convert a file by the endings of both names; returns what was read.

    Raises:
        CannotConvert: if an ending is unknown, or the input is not what its ending says.
    """
    for path in (source, target):
        if path.suffix.lower() not in FORMATS:
            raise CannotConvert(f"{path.name}: the ending must be one of {', '.join(FORMATS)}.")
    if source.suffix.lower() == ".csv":
        raise CannotConvert(f"{source.name}: a spreadsheet does not hold all of an entry, so it can only be written.")
    if source.suffix.lower() == ".json":
        found = inspect(open_bytes(_from_jcal(source)), keep=True)
    else:
        with source.open("rb") as opened:
            found = inspect(opened, keep=True)
    if not found.components:
        raise CannotConvert(f"{source.name}: there is no calendar data in it.")
    partial = target.with_name(target.name + ".part")
    try:
        with partial.open("wb") as out:
            for piece in _pieces(found, source, target.suffix.lower(), zone):
                out.write(piece)
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)
    return found


def _pieces(found: Inspection, source: Path, ending: str, zone: str) -> Iterator[bytes]:
    if ending == ".csv":
        names = {c.calendar: description_of(c.text).name for c in found.components if c.name == "VCALENDAR"}
        entries = (c for c in found.components if c.name not in ("VCALENDAR", "VTIMEZONE"))
        yield from write_sheet(((names.get(c.calendar) or source.stem, c.name, c.text) for c in entries), zone)
        return
    ics = b"".join(_calendars(found.components, source.stem))
    if ending == ".ics":
        yield ics
        return
    try:
        calendars = Calendar.from_ical(ics, multiple=True)
        jcal = [calendar.to_jcal() for calendar in calendars]
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        raise CannotConvert(f"{source.name}: it cannot be written as jCal ({error}). Mend it first.") from error
    yield json.dumps(jcal[0] if len(jcal) == 1 else jcal, ensure_ascii=False).encode()


def _calendars(components: list[RawComponent], name: str) -> Iterator[bytes]:
    """Each VCALENDAR again, with definitions for the zones that have none."""
    groups: dict[int, list[RawComponent]] = {}
    for component in components:
        groups.setdefault(component.calendar, []).append(component)
    for group in groups.values():
        header = next((c.text for c in group if c.name == "VCALENDAR"), new_header(name))
        zones = [c.text for c in group if c.name == "VTIMEZONE"]
        texts = [c.text for c in group if c.name not in ("VCALENDAR", "VTIMEZONE")]
        facts = [derive(c.name, c.text) for c in group]
        walls = [f.start_wall for f in facts if f.start_wall is not None] or [0]
        ends = [f.until_wall for f in facts if f.until_wall is not None] or walls
        used = {tzid for text in texts for tzid in tzids_in(text)}
        defined = {f.uid for f in facts if f.component == "VTIMEZONE"}
        made = missing_definitions(used - {"UTC"}, defined, min(walls), max(max(ends), max(walls)))
        yield from write_calendar(header, [*zones, *made], texts)


def _from_jcal(source: Path) -> bytes:
    try:
        data = json.loads(source.read_text("utf-8"))
        many = data if data and isinstance(data[0], list) else [data]
        return b"".join(Calendar.from_jcal(one).to_ical() for one in many)
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        raise CannotConvert(f"{PurePath(source).name}: it is not jCal ({error}).") from error
