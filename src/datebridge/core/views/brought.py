"""A spreadsheet that was exported, edited and brought back: what of it differs, and what cannot be read.

>>> sheet = read_table(b"uid,title,start\\r\\ntide@x.example,Tide,2026-11-24 09:00\\r\\n")
>>> sheet.rows[0].number, sheet.rows[0].cells["title"]
(2, 'Tide')

A cell counts as edited where it differs from what an export would write now: so a sheet of which nothing was edited
changes nothing, whatever a spreadsheet cannot show.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta

from datebridge.core.editing.fields import Alarm, Fields, Person
from datebridge.core.errors import CannotDo
from datebridge.core.moments import (
    Clock,
    Moment,
    NotAMoment,
    from_wall_seconds,
    instant_at,
    parse_duration,
    wall_at,
)
from datebridge.core.tzids import resolve
from datebridge.core.views.sheet import COLUMNS, armed, defuse

#: What tells which entry a row is about, and what only follows from the others.
KEYS = ("calendar", "uid", "recurrence_id", "kind")
DERIVED = frozenset({"repeats", "modified", "problems"})
_TIMES = ("start", "end", "all_day", "zone")
_MOMENT = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})(?:[T ]+(\d{1,2}):(\d{2})(?::\d{2})?)?\Z", re.ASCII)
_STATUSES = ("", "tentative", "confirmed", "cancelled", "needs-action", "in-process", "completed")
#: More rows than this are not brought back at once.
MOST_ROWS = 100_000


class NoSheet(CannotDo):
    """The file is no table that could be brought back; the message says why and what to do."""

    code, title, status = "no-sheet", "This table cannot be brought back", 422


class BadCell(Exception):
    """A cell cannot be read: in which column, and why."""

    def __init__(self, column: str, why: str) -> None:
        super().__init__(why)
        self.column, self.why = column, why


@dataclass(frozen=True, slots=True)
class SheetRow:
    """A row by the number a spreadsheet shows, and its cells by column."""

    number: int
    cells: dict[str, str]

    def is_new(self) -> bool:
        """Whether it is about no entry there is."""
        return not self.cells.get("uid", "").strip()


@dataclass(slots=True)
class Sheet:
    """A table that was brought back; `ignored`: columns nobody knows."""

    rows: list[SheetRow] = field(default_factory=list)
    ignored: list[str] = field(default_factory=list)


def read_table(data: bytes) -> Sheet:
    """Read a CSV as spreadsheets write it: commas, semicolons or tabs; UTF-8, UTF-16 or Windows-1252.

    Raises:
        NoSheet: if it is no table with these columns.
    """
    text = _decoded(data)
    head = text.split("\n", 1)[0]
    delimiter = max(",;\t", key=head.count)
    csv.field_size_limit(1 << 24)
    try:
        lines = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
        names = [name.strip().lower() for name in next(lines, [])]
        if "title" not in names or not {"uid", "start"} & set(names):
            raise NoSheet("Its first row does not name the columns of an export: uid, title, start and others.")
        if len(set(names) & set(COLUMNS)) < len([name for name in names if name in COLUMNS]):
            raise NoSheet("One of its columns stands there twice.")
        sheet = Sheet(ignored=[name for name in names if name and name not in COLUMNS])
        for number, values in enumerate(lines, 2):
            if not any(value.strip() for value in values):
                continue
            if len(sheet.rows) == MOST_ROWS:
                raise NoSheet(f"It has more than {MOST_ROWS:,} rows; bring it back in parts.")
            cells = {name: value for name, value in zip(names, values, strict=False) if name in COLUMNS}
            sheet.rows.append(SheetRow(number, cells))
    except csv.Error as error:
        raise NoSheet(f"It is no table: {error}.") from error
    return sheet


def _decoded(data: bytes) -> str:
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


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
    said = _plain(row.cells["modified"])
    return said[:16] != now["modified"][:16] if not said or _MOMENT.match(said) else False


def edited_fields(
    row: SheetRow, now: Mapping[str, str], shown: Mapping[str, str], fields: Fields, clock: Clock | None,
) -> Fields:  # fmt: skip
    """The fields of an entry as a row wants them.

    Args:
        now: the cells an export would write now, on the entry's own clock.
        shown: the same in the zone the row names.
        clock: what the entry's own times go by; None for whole days and floating times.

    Raises:
        BadCell: where a cell cannot be read.
    """
    cells = {name: armed(cell).replace("\r\n", "\n") for name, cell in row.cells.items()}
    wanted = replace(fields)
    columns = edited(row, now)
    for name, attribute in (("title", "title"), ("location", "place"), ("description", "notes"), ("url", "link")):
        if name in columns:
            setattr(wanted, attribute, cells[name].strip() if name != "description" else cells[name])
    if "title" in columns and not wanted.title:
        raise BadCell("title", "An entry needs a title.")
    if "rule" in columns:
        wanted.rule = cells["rule"].strip()
    _words(wanted, cells, columns)
    _people(wanted, cells, columns)
    if columns & set(_TIMES) and _moved(row, shown):
        _times(wanted, cells, now, clock)
    return wanted


def _moved(row: SheetRow, shown: Mapping[str, str]) -> bool:
    """Whether the times differ from those shown in the zone the row names."""
    return any(_plain(row.cells.get(name, shown[name])) != _plain(shown[name]) for name in _TIMES)


def _words(wanted: Fields, cells: Mapping[str, str], columns: set[str]) -> None:
    if "categories" in columns:
        wanted.categories = _listed(cells["categories"])
    if "status" in columns:
        wanted.status = _one_of("status", cells["status"], _STATUSES).upper()
    if "privacy" in columns:
        wanted.privacy = _one_of("privacy", cells["privacy"], ("", "public", "private", "confidential")).upper()
    if "busy" in columns:
        wanted.busy = _one_of("busy", cells["busy"], ("", "busy", "free")) != "free"
    if "alarms" in columns:
        wanted.alarms = [_alarm(value) for value in _listed(cells["alarms"])]


def _people(wanted: Fields, cells: Mapping[str, str], columns: set[str]) -> None:
    if "organizer" in columns:
        address = _address("organizer", cells["organizer"].strip())
        wanted.organizer = Person(address=address) if address else None
    if "attendees" in columns:
        known = {person.address.lower(): person for person in wanted.attendees}
        addresses = [_address("attendees", one) for one in _listed(cells["attendees"])]
        wanted.attendees = [known.get(one.lower(), Person(address=one)) for one in addresses]


def _listed(cell: str) -> list[str]:
    return [one.strip() for one in cell.split(";") if one.strip()]


def _one_of(column: str, cell: str, allowed: tuple[str, ...]) -> str:
    said = cell.strip().lower()
    if said not in allowed:
        raise BadCell(column, f"“{cell.strip()[:40]}” is none of {', '.join(filter(None, allowed))}.")
    return said


def _address(column: str, said: str) -> str:
    said = said.removeprefix("mailto:")
    if said and ("@" not in said or " " in said):
        raise BadCell(column, f"“{said[:60]}” is no e-mail address.")
    return said


def _alarm(said: str) -> Alarm:
    try:
        days, seconds = parse_duration(said)
    except NotAMoment:
        raise BadCell("alarms", f"“{said[:40]}” is no time before the start. Write -PT15M for 15 minutes.") from None
    return Alarm("start", -(days * 1440 + seconds // 60))


def _times(wanted: Fields, cells: Mapping[str, str], now: Mapping[str, str], clock: Clock | None) -> None:
    """Times as the row says them: on the entry's own clock, or, where it names another, as the same instants there."""
    whole = _one_of("all_day", cells.get("all_day", now["all_day"]), ("yes", "no")) == "yes"
    start = _moment("start", cells.get("start", now["start"]), whole)
    end = _moment("end", cells.get("end", now["end"]) or cells.get("start", ""), whole)
    if whole:
        last = max(end.date() - timedelta(days=1), start.date())
        wanted.whole, wanted.zone = True, ""
        wanted.start, wanted.end = start.date().isoformat(), last.isoformat()
        return
    if end < start:
        raise BadCell("end", "It lies before the start.")
    zone = cells.get("zone", now["zone"]).strip()
    if zone and zone != now["zone"] and resolve(zone).method == "unresolved":
        raise BadCell("zone", f"“{zone[:60]}” is no time zone.")
    same = zone == now["zone"]
    walls = [start, end]
    if not same and zone and clock is not None and now["all_day"] == "no" and _times_differ(cells, now):
        walls = [from_wall_seconds(wall_at(instant_at(Moment(w).wall_seconds, zone), clock)) for w in walls]
    elif not same:
        wanted.zone = zone
    wanted.whole = False
    wanted.start, wanted.end = (wall.isoformat(timespec="minutes") for wall in walls)


def _times_differ(cells: Mapping[str, str], now: Mapping[str, str]) -> bool:
    return any(_plain(cells.get(name, now[name])) != _plain(now[name]) for name in ("start", "end"))


def _moment(column: str, cell: str, whole: bool) -> datetime:
    match = _MOMENT.match(cell.strip())
    try:
        if match is None or (match[4] is None and not whole):
            raise ValueError(cell)
        day = date(int(match[1]), int(match[2]), int(match[3]))
        hour, minute = (int(match[4]), int(match[5])) if match[4] and not whole else (0, 0)
        return datetime(day.year, day.month, day.day, hour, minute)  # noqa: DTZ001
    except ValueError:
        shape = "2026-11-24" if whole else "2026-11-24 09:00"
        raise BadCell(
            column, f"“{cell.strip()[:40]}” is no {'day' if whole else 'date and time'}. Write {shape}."
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
    fields = edited_fields(SheetRow(row.number, cells), empty, {**empty, "start": "?"}, Fields(), None)
    if not fields.title:
        raise BadCell("title", "A new event needs a title.")
    if not fields.start:
        raise BadCell("start", "A new event needs a start.")
    return fields
