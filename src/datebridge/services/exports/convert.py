"""From one file format to another, without a store: iCalendar, jCal (RFC 7265), CSV."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

from datebridge.core.errors import CannotDo
from datebridge.core.index.derive import derive
from datebridge.core.inspection import Inspection, inspect
from datebridge.core.objects import missing_definitions, span_of
from datebridge.core.text.headers import description_of
from datebridge.core.text.jcal import CannotSay, NotJcal, from_jcal, to_jcal
from datebridge.core.text.lines import fold
from datebridge.core.text.reader import RawComponent
from datebridge.core.text.source import open_bytes
from datebridge.core.text.writer import complete_header, new_header, tzids_in, write_calendar
from datebridge.core.views.sheet import Row, write_sheet
from datebridge.core.zones.meaning import NO_ZONES

FORMATS = (".ics", ".json", ".csv")


class CannotConvert(CannotDo):
    """The file cannot be converted; the message says why and what to do."""

    code, title = "cannot-convert", "The file cannot be converted"


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
        inspection = inspect(open_bytes(_from_jcal(source)), keep=True)
    else:
        with source.open("rb") as opened:
            inspection = inspect(opened, keep=True)
    if not inspection.components:
        raise CannotConvert(f"{source.name}: there is no calendar data in it.")
    partial = target.with_name(target.name + ".part")
    try:
        with partial.open("wb") as out:
            for piece in _pieces(inspection, source, target.suffix.lower(), zone):
                out.write(piece)
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)
    return inspection


def _pieces(inspection: Inspection, source: Path, ending: str, zone: str) -> Iterator[bytes]:
    if ending == ".csv":
        names = {c.calendar: description_of(c.text).name for c in inspection.components if c.name == "VCALENDAR"}
        entries = (c for c in inspection.components if c.name not in ("VCALENDAR", "VTIMEZONE"))
        yield from write_sheet(
            (
                Row(names.get(c.calendar) or source.stem, c.name, c.text, inspection.zones.get(c.calendar, NO_ZONES))
                for c in entries
            ),
            zone,
        )
        return
    if ending == ".ics":
        yield from write_calendars(inspection, source.stem)
        return
    yield from _jcal(inspection, source)


def write_calendars(inspection: Inspection, name: str) -> Iterator[bytes]:
    """What was read of a file as iCalendar again, with definitions for the zones that have none.

    Args:
        name: what a calendar is called that does not say so itself.
    """
    for header, zones, texts in _calendars(inspection, name):
        yield from write_calendar(header, zones, texts)


def _jcal(inspection: Inspection, source: Path) -> Iterator[bytes]:
    lines = {id(c.text): c.line for c in inspection.components}
    many = []
    for header, zones, texts in _calendars(inspection, source.stem):
        where = source.name
        try:
            whole = to_jcal(complete_header(header))
            for text in (*zones, *texts):
                where = f"{source.name}, line {lines[id(text)]}" if id(text) in lines else source.name
                whole[2].append(to_jcal(text))
        except CannotSay as error:
            raise CannotConvert(f"{where}: {error}, which jCal cannot say. Mend it first.") from error
        many.append(whole)
    yield json.dumps(many[0] if len(many) == 1 else many, ensure_ascii=False).encode("utf-8", "replace")


def _calendars(inspection: Inspection, name: str) -> Iterator[tuple[str, list[str], list[str]]]:
    """Each VCALENDAR's header, zones and entries, with definitions for the zones that have none."""
    components = inspection.components
    groups: dict[int, list[RawComponent]] = {}
    for component in components:
        groups.setdefault(component.calendar, []).append(component)
    for group in groups.values():
        header = next((c.text for c in group if c.name == "VCALENDAR"), new_header(name))
        zones = [c.text for c in group if c.name == "VTIMEZONE"]
        texts = [c.text for c in group if c.name not in ("VCALENDAR", "VTIMEZONE")]
        meanings = inspection.zones.get(group[0].calendar, NO_ZONES)
        used = {tzid for text in texts for tzid in tzids_in(text)}
        facts = [derive(c.name, c.text, meanings) for c in group if used]
        made = missing_definitions(used - {"UTC"}, set(meanings), *span_of(facts))
        yield header, [*zones, *made], texts


def _from_jcal(source: Path) -> bytes:
    try:
        data = json.loads(source.read_text("utf-8"), parse_constant=_no_number)
        many = data if isinstance(data, list) and data and isinstance(data[0], list) else [data]
        return b"".join(fold(from_jcal(one) + "\n") for one in many)
    except UnicodeDecodeError as error:
        raise CannotConvert(f"{source.name}: it is not UTF-8, as JSON has to be.") from error
    except RecursionError as error:
        raise CannotConvert(f"{source.name}: it is not jCal (nested too deeply).") from error
    except ValueError as error:
        raise CannotConvert(f"{source.name}: it is not jCal ({error}).") from error


def _no_number(name: str) -> None:
    raise NotJcal(f"{name} is no number")
