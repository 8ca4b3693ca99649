"""When an entry begins and ends, as its text says it: kept as it is said, and changed no more than is asked.

>>> text = "BEGIN:VEVENT\\nDTSTART;TZID=Europe/Oslo:20261124T220000\\nDURATION:PT8H\\nEND:VEVENT"
>>> span = read_span(ComponentEditor(text))
>>> span.form, span.exact
('length', 28800)
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from datebridge.core.editing.fields import CannotEdit, Fields, clock_named, end_wall_of, start_of
from datebridge.core.moments import (
    Moment,
    NotAMoment,
    basic,
    basic_date,
    from_wall_seconds,
    instant_at,
    parse_duration,
    parse_moment,
    wall_at,
)
from datebridge.core.text.component import ComponentEditor, Params
from datebridge.core.text.lines import ContentLine
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: How an entry says when it ends: by a moment, by a length, not at all; a to-do can have nothing but its DUE.
Form = Literal["end", "length", "none", "due"]


@dataclass(slots=True)
class Span:
    """A start and end as written; `exact` is the length in seconds that all occurrences of a series have.

    `days`: whole days of the length, which are nominal; they are not in `exact`.
    """

    start: Moment | None
    form: Form
    end: Moment | None = None
    exact: int = 0
    days: int = 0


def moment_in(line: ContentLine, zones: Zones = NO_ZONES, year: int = 2000) -> Moment:
    """The moment a line of one value says.

    Raises:
        NotAMoment: if it says none.
    """
    tzid = line.param("TZID") or ""
    text = line.value.strip()
    if text[:4].isdigit():
        year = int(text[:4])
    return parse_moment(text, tzid, clock_named(tzid, zones, year))


def read_span(lines: ComponentEditor, zones: Zones = NO_ZONES) -> Span:
    """When an entry begins and ends, as its lines say it."""
    kind = lines.lines[0].partition(":")[2].strip().upper()
    end_name = "DUE" if kind == "VTODO" else "DTEND"
    start = _moment(lines, "DTSTART", zones)
    end = _moment(lines, end_name, zones)
    if start is None:
        return Span(end, "due", end) if end is not None and kind == "VTODO" else Span(None, "none")
    if end is not None:
        return Span(start, "end", end, max(0, _between(start, end)))
    try:
        days, seconds = parse_duration(lines.value("DURATION"))
    except NotAMoment:
        return Span(start, "none", None, 86400 if start.is_date and kind == "VEVENT" else 0)
    return Span(start, "length", None, max(0, seconds), max(0, days))


def _moment(lines: ComponentEditor, name: str, zones: Zones) -> Moment | None:
    line = next(lines.own(name), None)
    try:
        return moment_in(line[1], zones) if line else None
    except NotAMoment:
        return None


def _between(start: Moment, end: Moment) -> int:
    first, last = start.instant(), end.instant()
    if first is not None and last is not None:
        return last - first
    return Moment(end.on_clock_of(start)).wall_seconds - start.wall_seconds


def value_of(moment: Moment) -> tuple[str, Params]:
    """A moment as a property's value with its parameters."""
    if moment.is_date:
        return basic_date(moment.wall), {"VALUE": "DATE", "TZID": None}
    utc = moment.tzid == "UTC" and moment.zone == "UTC"
    tzid = None if utc or not moment.tzid else moment.tzid
    return basic(moment.wall) + ("Z" if utc else ""), {"VALUE": None, "TZID": tzid}


def length_text(days: int, seconds: int) -> str:
    """A DURATION value (RFC 5545 §3.3.6)."""
    hours, rest = divmod(seconds, 3600)
    minutes, rest = divmod(rest, 60)
    parts = [
        f"{hours}H" if hours else "",
        f"{minutes}M" if minutes or (hours and rest) else "",
        f"{rest}S" if rest else "",
    ]
    time = "".join(parts)
    return "P" + (f"{days}D" if days or not time else "") + (f"T{time}" if time else "")


def set_exact_length(lines: ComponentEditor, start: Moment, end: Moment | None, exact: int, days: int = 0) -> None:
    """Give an entry a length in seconds, by the end it has, told in that end's own zone.

    Where no wall time tells the end, being in an hour that comes twice, a DURATION does.
    """
    end_name = "DUE" if lines.lines[0].upper() == "BEGIN:VTODO" else "DTEND"
    begin = start.instant()
    if end is None or days:
        lines.drop(end_name)
        lines.set("DURATION", length_text(days, exact))
        return
    if start.is_date or begin is None or not end.zone:
        wall = Moment(start.wall).wall_seconds + exact
        other = end._replace(wall=from_wall_seconds(wall), is_date=start.is_date)
        lines.set(end_name, *value_of(other if not start.is_date else Moment(other.wall, True)))
        return
    wall = wall_at(begin + exact, end.zone)
    if instant_at(wall, end.zone) != begin + exact:
        lines.drop(end_name)
        lines.set("DURATION", length_text(0, exact))
        return
    lines.set(end_name, *value_of(end._replace(wall=from_wall_seconds(wall), is_date=False)))


def write_times(
    lines: ComponentEditor, before: Fields, after: Fields, zones: Zones = NO_ZONES, exact: int | None = None
) -> None:
    """Write other times; what is not asked for is not touched, and nothing is said that was not said before.

    Args:
        exact: the length in seconds, where the wall times of the fields do not tell it.

    Raises:
        CannotEdit: where the fields make no times.
    """
    if (
        not after.whole
        and after.zone
        and after.zone != before.zone
        and after.zone not in zones
        and resolve(after.zone).method == "unresolved"
    ):
        raise CannotEdit(f"“{after.zone[:60]}” is not a time zone.")
    span = read_span(lines, zones)
    start = start_of(after, zones)
    end = start._replace(wall=end_wall_of(after))
    if end.wall < start.wall and _between(start, end) < 0:
        raise CannotEdit("The end is before the start.")
    same_clock = (after.zone, after.whole) == (before.zone, before.whole)
    moved = after.start != before.start or not same_clock
    if span.form == "due":
        _write_due(lines, before, after, zones)
        return
    if moved or span.start is None:
        lines.set("DTSTART", *value_of(start))
    had = end_wall_of(before) - start_of(before, zones).wall if before.start else None
    kept = had == end.wall - start.wall and before.whole == after.whole and exact is None
    if span.form == "end" and same_clock and after.end == before.end and exact is None:
        return  # the end stays where it is
    if span.form != "end" and kept:
        return  # as long as before, said as before
    _write_end(lines, span, start, end, same_clock, exact)


def _write_end(
    lines: ComponentEditor, span: Span, start: Moment, end: Moment, same_clock: bool, exact: int | None
) -> None:
    kind = lines.lines[0].partition(":")[2].strip().upper()
    end_name = "DUE" if kind == "VTODO" else "DTEND"
    long = _between(start, end) if exact is None else exact
    default = 86400 if start.is_date and kind == "VEVENT" else 0
    if span.form == "length":
        if start.is_date:
            lines.set("DURATION", length_text(long // 86400, 0))
        else:
            lines.set("DURATION", length_text(0, long) if long else "")
        return
    if long == default and (span.form == "none" or not long):
        lines.drop(end_name)  # an end must come after the start (RFC 5545 §3.8.2.2)
        return
    own = span.end
    other_zone = own is not None and span.start is not None and own.zone and own.tzid != span.start.tzid
    if other_zone and own is not None and not start.is_date and start.zone:
        set_exact_length(lines, start, own, long)  # told in the zone it was told in
    elif exact is not None:
        set_exact_length(lines, start, start, exact)
    else:
        lines.set(end_name, *value_of(end))


def _write_due(lines: ComponentEditor, before: Fields, after: Fields, zones: Zones) -> None:
    """A to-do that has nothing but its DUE: that is what is moved, and it gets no start."""
    text = after.end if after.end != before.end else after.start
    due = start_of(Fields(whole=after.whole, zone=after.zone, start=text), zones)
    lines.set("DUE", *value_of(due))
