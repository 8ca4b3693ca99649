"""A slow and obvious model of a series, to check the engine and its edits against.

It reads the lines of a series by itself, walks its rules with dateutil from the very first start, and keeps every
occurrence as the instants it begins and ends at. Nothing of the engine is used.
"""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from typing import NamedTuple
from zoneinfo import ZoneInfo

from dateutil.rrule import rruleset, rrulestr

HORIZON = datetime(2029, 1, 1)


class Happens(NamedTuple):
    """One occurrence; instants, or wall times for whole days and floating ones. `wall`: where its rules put it."""

    begin: datetime
    end: datetime
    title: str
    wall: datetime


def lines_of(text: str, name: str) -> list[tuple[dict[str, str], str]]:
    found = []
    depth = 0
    for line in text.split("\n"):
        depth += line.startswith("BEGIN:") - line.startswith("END:")
        match = re.match(rf"{name}((?:;[^:]*)?):(.*)", line)
        if match and depth == 1:
            params = dict(p.partition("=")[::2] for p in match[1].split(";") if p)
            found.append((params, match[2]))
    return found


def moment(text: str, params: dict[str, str]) -> datetime:
    if len(text) == 8:
        return datetime.fromisoformat(text)
    if text.endswith("Z"):
        return datetime.fromisoformat(text)
    wall = datetime.fromisoformat(text)
    return wall.replace(tzinfo=ZoneInfo(params["TZID"])) if "TZID" in params else wall


def length(text: str) -> tuple[timedelta, timedelta]:
    match = re.fullmatch(r"P(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)S)?)?", text)
    assert match, text
    w, d, h, m, s = (int(g or 0) for g in match.groups())
    return timedelta(days=7 * w + d), timedelta(hours=h, minutes=m, seconds=s)


def instant(one: datetime) -> datetime:
    return one.astimezone(UTC) if one.tzinfo else one


def wall_on(one: datetime, zone: ZoneInfo | None) -> datetime:
    return one.astimezone(zone).replace(tzinfo=None) if one.tzinfo and zone else one.replace(tzinfo=None)


def expand(texts: list[str], horizon: datetime = HORIZON) -> list[Happens]:
    """Everything that happens before the horizon, of all series in the texts, in order."""
    groups: dict[str, list[str]] = {}
    for text in texts:
        groups.setdefault(lines_of(text, "UID")[0][1], []).append(text)
    found: list[Happens] = []
    for group in groups.values():
        masters = [text for text in group if not lines_of(text, "RECURRENCE-ID")]
        overrides = [text for text in group if lines_of(text, "RECURRENCE-ID")]
        gone = set()
        for text in overrides:
            params, value = lines_of(text, "RECURRENCE-ID")[0]
            gone.add(instant(moment(value, params)))
            found += _series(text, set(), horizon)
        for text in masters:
            found += _series(text, gone, horizon)
    return sorted(found)


def _series(text: str, gone: set[datetime], horizon: datetime) -> list[Happens]:
    params, value = lines_of(text, "DTSTART")[0]
    start = moment(value, params)
    zone = start.tzinfo if isinstance(start.tzinfo, ZoneInfo) else ZoneInfo("UTC") if start.tzinfo else None
    first = start.replace(tzinfo=None)
    whole = len(value) == 8
    title = lines_of(text, "SUMMARY")[0][1]
    nominal, exact = _length(text, start, whole)
    walls: dict[datetime, tuple[timedelta, timedelta] | None] = {first: None}
    rules = rruleset()
    for _, rule in lines_of(text, "RRULE"):
        rules.rrule(rrulestr(_local(rule, zone, whole), dtstart=first))
    for wall in rules:
        if wall > horizon:
            break
        walls.setdefault(wall, None)
    for params, values in lines_of(text, "RDATE"):
        for item in values.split(","):
            begin, _, rest = item.partition("/")
            at = moment(begin, params)
            own = None
            if rest.startswith("P"):
                own = length(rest)
            elif rest:
                own = timedelta(), instant(moment(rest, params)) - instant(at)
            walls[wall_on(at, zone)] = own
    for params, values in lines_of(text, "EXDATE"):
        for item in values.split(","):
            said = moment(item, params)
            for wall in list(walls):
                begin = instant(wall.replace(tzinfo=zone)) if zone else wall
                day = len(item) == 8 and wall.date() == said.date()
                if day or wall == wall_on(said, zone) or (said.tzinfo and begin == instant(said)):
                    del walls[wall]
    found = {}
    for wall, own in walls.items():
        if wall >= horizon:
            continue
        begin = instant(wall.replace(tzinfo=zone)) if zone else wall
        if begin in gone:
            continue
        days, rest = own if own is not None else (nominal, exact)
        end = instant((wall + days).replace(tzinfo=zone)) + rest if zone else wall + days + rest
        found[begin] = Happens(begin, end, title, wall)
    return list(found.values())


def _length(text: str, start: datetime, whole: bool) -> tuple[timedelta, timedelta]:
    for params, value in lines_of(text, "DTEND"):
        return timedelta(), instant(moment(value, params)) - instant(start)
    for _, value in lines_of(text, "DURATION"):
        return length(value)
    return timedelta(days=whole), timedelta()


def _local(rule: str, zone: ZoneInfo | None, whole: bool) -> str:
    """The rule with UNTIL as wall time of the series."""
    match = re.search(r"UNTIL=(\w+)", rule)
    if not match:
        return rule
    until = moment(match[1], {})
    shown = wall_on(until, zone)
    if len(match[1]) == 8 and not whole:
        shown = shown.replace(hour=23, minute=59, second=59)
    return rule.replace(match[0], f"UNTIL={shown:%Y%m%dT%H%M%S}")
