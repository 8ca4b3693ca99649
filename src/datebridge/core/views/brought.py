"""What of a spreadsheet that was exported, edited and brought back differs, and what cannot be read.

A cell counts as edited where it differs from what an export would write now: so a sheet of which nothing was edited
changes nothing, whatever a spreadsheet cannot show. What was not edited keeps its value, to the second and with all
that no cell shows; what was goes the way of the drawer's edits (`editing.writing`).
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from datebridge.core.editing.fields import Alarm, Fields, Person, read_fields, shown_text
from datebridge.core.editing.times import read_span
from datebridge.core.moments import (
    Clock,
    Moment,
    NotAMoment,
    from_wall_seconds,
    instant_at,
    parse_duration,
    parse_moment,
    wall_at,
)
from datebridge.core.text.component import ComponentEditor, parsed
from datebridge.core.tzids import resolve
from datebridge.core.views.sheet import COLUMNS, armed, defuse, parted
from datebridge.core.views.tables import SheetRow
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: What tells which entry a row is about, and what only follows from the others.
KEYS = ("calendar", "uid", "recurrence_id", "kind")
DERIVED = frozenset({"repeats", "modified", "problems"})
_TIMES = ("start", "end", "all_day", "zone")
_MOMENT = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})(?:[T ]+(\d{1,2}):(\d{2})(?::(\d{2}))?)?\Z", re.ASCII)
_STATUSES = ("", "tentative", "confirmed", "cancelled", "needs-action", "in-process", "completed")


class BadCell(Exception):
    """A cell cannot be read: in which column, and why."""

    def __init__(self, column: str, why: str) -> None:
        super().__init__(why)
        self.column, self.why = column, why


# ---- what was edited ------------------------------------------------------------------------------------


def edited(row: SheetRow, now: Mapping[str, str]) -> set[str]:
    """The columns of a row that differ from what an export would write now; line ends and spaces aside."""
    own = [(name, cell) for name, cell in row.cells.items() if name not in DERIVED and name not in KEYS]
    return {name for name, cell in own if _plain(cell) not in (_plain(now[name]), _plain(defuse(now[name])))}


def _plain(cell: str) -> str:
    return re.sub(r"\s+", " ", cell).strip()


def changed_since(row: SheetRow, now: Mapping[str, str]) -> bool:
    """Whether the entry was changed here since the sheet was written; not told where the sheet does not say when."""
    if "modified" not in row.cells:
        return False
    text = _plain(row.cells["modified"])
    return text[:16] != now["modified"][:16] if not text or _MOMENT.match(text) else False


@dataclass(frozen=True, slots=True)
class Here:
    """An entry as it is now.

    Attributes:
        now: the cells an export would write now, on the entry's own clock.
        shown: the same in the zone the row names.
        clock: what the entry's own times go by; None for whole days and floating times.
        begin, finish: the instants at which it begins and ends; None where it has no clock.
        triggers: of each alarm its trigger as a cell shows it, and which alarm it is.
    """

    fields: Fields
    now: Mapping[str, str]
    shown: Mapping[str, str]
    clock: Clock | None = None
    begin: int | None = None
    finish: int | None = None
    triggers: tuple[tuple[str, int], ...] = ()


def here(
    text: str, now: Mapping[str, str], shown: Mapping[str, str], clock: Clock | None, zones: Zones = NO_ZONES
) -> Here:
    """An entry by its text; see `Here`."""
    lines = ComponentEditor(text)
    span = read_span(lines, zones)
    begin = span.start.instant() if span.start is not None and clock is not None else None
    finish = span.end.instant() if span.end is not None and clock is not None else None
    if begin is not None and finish is None and clock is not None:
        later = instant_at(wall_at(begin, clock) + span.days * 86400, clock) if span.days else begin
        finish = later + span.exact
    triggers = tuple(
        (line.value, place)
        for place, (first, last) in enumerate(lines.blocks("VALARM"))
        for raw in lines.lines[first:last]
        if (line := parsed(raw)) is not None and line.name == "TRIGGER"
    )
    return Here(read_fields(text, zones), now, shown, clock, begin, finish, triggers)


@dataclass(frozen=True, slots=True)
class Wanted:
    """The fields a row wants; `exact` is the length in seconds where their wall times do not tell it."""

    fields: Fields
    exact: int | None = None


def wanted_of(row: SheetRow, own: Here) -> Wanted:
    """The fields of an entry as a row wants them.

    Raises:
        BadCell: where a cell cannot be read.
    """
    cells = {name: armed(cell).replace("\r\n", "\n") for name, cell in row.cells.items()}
    wanted = replace(own.fields)
    columns = edited(row, own.now)
    for name, attribute in (("title", "title"), ("location", "place"), ("description", "notes"), ("url", "link")):
        if name in columns:
            setattr(wanted, attribute, cells[name].strip() if name != "description" else cells[name])
    if "title" in columns and not wanted.title:
        raise BadCell("title", "An entry needs a title.")
    if "rule" in columns:
        wanted.rule = cells["rule"].strip()
    _words(wanted, cells, columns)
    _people(wanted, cells, columns)
    if "alarms" in columns:
        wanted.alarms = _alarms(parted(cells["alarms"]), own)
    exact = None
    if columns & set(_TIMES) and _moved(row, own.shown):
        exact = _times(wanted, cells, own)
    return Wanted(wanted, exact)


def _moved(row: SheetRow, shown: Mapping[str, str]) -> bool:
    """Whether the times differ from those shown in the zone the row names."""
    return any(_plain(row.cells.get(name, shown[name])) != _plain(shown[name]) for name in _TIMES)


def _words(wanted: Fields, cells: Mapping[str, str], columns: set[str]) -> None:
    if "categories" in columns:
        wanted.categories = parted(cells["categories"])
    if "status" in columns:
        wanted.status = _one_of("status", cells["status"], _STATUSES).upper()
    if "privacy" in columns:
        wanted.privacy = _one_of("privacy", cells["privacy"], ("", "public", "private", "confidential")).upper()
    if "busy" in columns:
        wanted.busy = _one_of("busy", cells["busy"], ("", "busy", "free")) != "free"


def _people(wanted: Fields, cells: Mapping[str, str], columns: set[str]) -> None:
    if "organizer" in columns:
        address = _address("organizer", cells["organizer"].strip())
        wanted.organizer = Person(address=address) if address else None
    if "attendees" in columns:
        people_by_address: defaultdict[str, list[Person]] = defaultdict(list)
        for person in reversed(wanted.attendees):
            people_by_address[person.address.lower()].append(person)
        wanted.attendees = []
        for one in parted(cells["attendees"]):
            # Whoever is there already is not looked at again.
            had = people_by_address.get(one.removeprefix("mailto:").lower())
            wanted.attendees.append(had.pop() if had else Person(address=_address("attendees", one)))


def _one_of(column: str, cell: str, allowed: tuple[str, ...]) -> str:
    text = cell.strip().lower()
    if text not in allowed:
        raise BadCell(column, f"“{cell.strip()[:40]}” is none of {', '.join(filter(None, allowed))}.")
    return text


def _address(column: str, text: str) -> str:
    text = text.removeprefix("mailto:")
    if text and ("@" not in text or " " in text):
        raise BadCell(column, f"“{text[:60]}” is not an email address.")
    return text


def _alarms(texts: Sequence[str], own: Here) -> list[Alarm]:
    """The alarms a cell lists: those that are there already stay what they are.

    The others take the place, in order, of those that are not listed any more; what is left over is new, or goes.
    """
    alarms = {alarm.place: alarm for alarm in own.fields.alarms}
    left: defaultdict[str, list[int]] = defaultdict(list)
    for trigger, place in reversed(own.triggers):
        left[trigger.strip().upper()].append(place)
    placed = [(text, places.pop() if (places := left.get(text.upper())) else None) for text in texts]
    spare = sorted(place for places in left.values() for place in places)
    if not alarms.keys() >= set(spare):
        raise BadCell("alarms", "One of its alarms cannot be read, and stays; remove it in the source.")
    instead = (alarms[place] for place in spare)
    return [
        alarms[place] if place is not None else _alarm(one, next(instead, None))
        for one, place in placed
        if place is None or place in alarms  # one that cannot be read stays
    ]


def _alarm(text: str, instead: Alarm | None) -> Alarm:
    place = instead.place if instead is not None else -1
    try:
        if text[:1].isdigit() and text[-1:] == "Z":
            return Alarm("", 0, parse_moment(text).wall.isoformat(), place)
        days, seconds = parse_duration(text)
    except NotAMoment:
        raise BadCell("alarms", f"“{text[:40]}” is no time before the start. Write -PT15M for 15 minutes.") from None
    related = instead.related if instead is not None and instead.related else "start"
    return Alarm.before(related, days, seconds, place)


def _times(wanted: Fields, cells: Mapping[str, str], own: Here) -> int | None:
    """Times as the row says them: on the entry's own clock, or, where it names another, as the same instants there.

    Returns the length in seconds where wall times do not tell it.
    """
    now, shown, clock = own.now, own.shown, own.clock
    whole = _one_of("all_day", cells.get("all_day", now["all_day"]), ("yes", "no")) == "yes"
    zone = cells.get("zone", now["zone"]).strip()
    if not whole and zone and zone != now["zone"] and resolve(zone).method == "unresolved":
        raise BadCell("zone", f"“{zone[:60]}” is no time zone.")
    if whole or now["all_day"] == "yes" or clock is None or own.begin is None or own.finish is None:
        _walls(wanted, cells, now, whole, zone)
        return None
    if zone != now["zone"] and (not zone or not _differ(cells, now)):
        wanted.zone = zone  # the hours stay
        if _differ(cells, now):
            _walls(wanted, cells, now, whole, zone)
        return None
    instants = {"start": own.begin, "end": own.finish}
    walls = {"start": own.fields.start, "end": own.fields.end}
    at = zone if zone != now["zone"] else clock
    for name in ("start", "end"):
        cell = cells.get(name, shown[name])
        if _plain(cell) == _plain(shown[name]):
            continue
        named_wall = Moment(_moment(name, cell or cells.get("start", ""), whole=False)).wall_seconds
        instants[name] = _near(named_wall, at, instants[name])
        wall = named_wall if at == clock else wall_at(instants[name], clock)
        walls[name] = shown_text(from_wall_seconds(wall), whole=False)
    if instants["end"] < instants["start"]:
        raise BadCell("end", "It lies before the start.")
    wanted.whole, wanted.start, wanted.end = False, walls["start"], walls["end"]
    told = [instant_at(Moment(datetime.fromisoformat(wall)).wall_seconds, clock) for wall in walls.values()]
    return None if told == list(instants.values()) else instants["end"] - instants["start"]


def _near(wall: int, clock: Clock, before: int) -> int:
    """The instant a clock shows a time; of an hour that comes twice, the one nearer to what it was before."""
    first = instant_at(wall, clock)
    later = (first + more for more in (1800, 3600, 7200) if wall_at(first + more, clock) == wall)
    return min((first, *later), key=lambda one: abs(one - before))


def _walls(wanted: Fields, cells: Mapping[str, str], now: Mapping[str, str], whole: bool, zone: str) -> None:
    """Times as they are in the cells: whole days, floating times, or those of an entry that had no clock."""
    kept = whole == (now["all_day"] == "yes")
    walls: dict[str, datetime] = {}
    for name in ("start", "end"):
        cell = cells.get(name, now[name]) or (cells.get("start", now["start"]) if name == "end" else "")
        walls[name] = _moment(name, cell, whole)
        if kept and not whole and _plain(cell) == _plain(now[name]) and getattr(wanted, name):
            walls[name] = datetime.fromisoformat(getattr(wanted, name))  # with its seconds
    start, end = walls["start"], walls["end"]
    wanted.whole, wanted.zone = whole, "" if whole else zone
    if whole:
        last = max(end.date() - timedelta(days=1), start.date())
        wanted.start, wanted.end = start.date().isoformat(), last.isoformat()
        return
    if end < start:
        raise BadCell("end", "It lies before the start.")
    wanted.start, wanted.end = shown_text(start, whole), shown_text(end, whole)


def _differ(cells: Mapping[str, str], now: Mapping[str, str]) -> bool:
    return any(_plain(cells.get(name, now[name])) != _plain(now[name]) for name in ("start", "end"))


def _moment(column: str, cell: str, whole: bool) -> datetime:
    match = _MOMENT.match(cell.strip())
    try:
        if match is None or (match[4] is None and not whole):
            raise ValueError(cell)
        day = date(int(match[1]), int(match[2]), int(match[3]))
        hour, minute, second = (int(match[k] or 0) if match[4] and not whole else 0 for k in (4, 5, 6))
        return datetime(day.year, day.month, day.day, hour, minute, second)  # noqa: DTZ001
    except ValueError:
        shape = "2026-11-24" if whole else "2026-11-24 09:00"
        raise BadCell(
            column, f"“{cell.strip()[:40]}” is not a {'date' if whole else 'date and time'}. Write {shape}."
        ) from None


def new_fields(row: SheetRow) -> Fields:
    """The fields of a new event that a row describes.

    Raises:
        BadCell: where a cell cannot be read, or one is missing.
    """
    empty = dict.fromkeys(COLUMNS, "")
    empty["all_day"] = "yes" if len(row.cells.get("start", "").strip()) <= 10 else "no"
    cells = {**row.cells, "all_day": row.cells.get("all_day", "").strip() or empty["all_day"]}
    if not cells.get("end", "").strip() and cells["all_day"] == "yes":
        cells["end"] = ""
    fields = wanted_of(SheetRow(row.number, cells), Here(Fields(), empty, {**empty, "start": "?"})).fields
    if not fields.title:
        raise BadCell("title", "A new event needs a title.")
    if not fields.start:
        raise BadCell("start", "A new event needs a start.")
    return fields
