"""A spreadsheet's file as rows of cells: CSV as spreadsheets write it, or a workbook (.xlsx); dates as they show them.

>>> sheet = read_table(b"uid,title,start\\r\\ntide@x.example,Tide,24.11.2026 9:00\\r\\n")
>>> sheet.rows[0].number, sheet.rows[0].cells["start"]
(2, '2026-11-24 09:00')
"""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time
from typing import Literal

from datebridge.core.errors import CannotDo
from datebridge.core.views.sheet import COLUMNS

#: Which comes first in a date such as 3/4/2025; "" where it is to be told from the table.
Order = Literal["", "day", "month"]
#: More rows than this are not brought back at once.
MOST_ROWS = 100_000
#: A workbook unpacks to so many bytes at most; so many columns are looked at.
_MOST_UNPACKED, _MOST_COLUMNS = 200 << 20, 100
#: Columns of which each cell is a date, or a date and a time.
DATED = ("start", "end", "modified")
_DATE = re.compile(
    r"\s*(\d{1,4})([./-])\s?(\d{1,2})\2\s?(\d{1,4})"
    r"(?:(?:,?\s+|T)(\d{1,2})[:.](\d{2})(?:[:.](\d{2})(?:\.0+)?)?\s*([AaPp]\.?[Mm]\.?)?)?\s*\Z",
    re.ASCII,
)


class NoSheet(CannotDo):
    """The file is no table that could be brought back; the message says why and what to do."""

    code, title, status = "no-sheet", "This table cannot be imported", 422


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
    """A table that was brought back.

    Attributes:
        ignored: unknown columns.
        unclear: a date of which the table does not tell whether the day or the month comes first; "" where none is.
        zone: the zone that most of its times are in; `alike`: whether all are, as where it was written in one zone.
    """

    rows: list[SheetRow] = field(default_factory=list)
    ignored: list[str] = field(default_factory=list)
    unclear: str = ""
    zone: str = ""
    alike: bool = True

    def ordered(self, order: Order) -> Sheet:
        """The same with its dates read in an order."""
        rows = [replace(row, cells=_dated(row.cells, order)) for row in self.rows]
        return replace(self, rows=rows, unclear="")


def read_table(data: bytes, order: Order = "") -> Sheet:
    """Read a table: a workbook, or a CSV of commas, semicolons or tabs in UTF-8, UTF-16 or Windows-1252.

    Dates become ``2026-11-24`` and times ``2026-11-24 09:00``, with seconds where there are any. Whether the day or
    the month comes first is told from all dates of the table, where not by `order`; where nothing tells it, they stay
    as they are.

    Raises:
        NoSheet: if it is no table with these columns.
    """
    sheet = _sheet(_workbook(data) if data[:4] == b"PK\x03\x04" else _lines(data))
    zones = Counter(zone for row in sheet.rows if (zone := row.cells.get("zone", "").strip()))
    sheet.zone, sheet.alike = next((zone for zone, _ in zones.most_common(1)), ""), len(zones) < 2
    told, sheet.unclear = (order, "") if order else _order(sheet.rows)
    return sheet if sheet.unclear else sheet.ordered(told)


def _sheet(lines: Iterator[tuple[int, list[str]]]) -> Sheet:
    _, first = next(lines, (1, []))
    names = [name.strip().lower() for name in first]
    if "title" not in names or not {"uid", "start"} & set(names):
        raise NoSheet("Its first row does not have the columns of an export: uid, title, start and others.")
    if len(set(names) & set(COLUMNS)) < len([name for name in names if name in COLUMNS]):
        raise NoSheet("One of its columns exists twice.")
    sheet = Sheet(ignored=[name for name in names if name and name not in COLUMNS])
    for number, values in lines:
        if not any(value.strip() for value in values):
            continue
        if len(sheet.rows) == MOST_ROWS:
            raise NoSheet(f"It has more than {MOST_ROWS:,} rows; import it in parts.")
        cells = {name: value for name, value in zip(names, values, strict=False) if name in COLUMNS}
        sheet.rows.append(SheetRow(number, cells))
    return sheet


def _lines(data: bytes) -> Iterator[tuple[int, list[str]]]:
    """The lines of a CSV; a first line that only says what parts cells (``sep=;``) is none of the table."""
    text = _decoded(data)
    head, _, rest = text.partition("\n")
    words = head.strip().lower()
    delimiter = ""
    number = 1
    if (words.startswith("sep=") and len(words) <= 5) or head.strip("\r") == "sep=\t":
        delimiter, text, number = head.strip("\r\n")[4:5], rest, 2
        head = text.split("\n", 1)[0]
    csv.field_size_limit(1 << 24)
    try:
        yield from enumerate(
            csv.reader(io.StringIO(text, newline=""), delimiter=delimiter or max(",;\t", key=head.count)), number
        )
    except csv.Error as error:
        raise NoSheet(f"This is not a table: {error}.") from error


def _decoded(data: bytes) -> str:
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace")
    if len(data) > 1 and 0 in data[:2]:  # UTF-16 without a mark: its first row is of letters that ASCII has
        return data.decode("utf-16-be" if not data[0] else "utf-16-le", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


def _workbook(data: bytes) -> Iterator[tuple[int, list[str]]]:
    """The rows of the first sheet of a workbook that begins as an export does, else of its first."""
    from openpyxl import load_workbook  # takes a while, and few bring a workbook

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if sum(info.file_size for info in packed.infolist()) > _MOST_UNPACKED:
                raise NoSheet("It is too large once unpacked; save it as .csv, or import it in parts.")
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True, keep_links=False)
        sheets = [worksheet for worksheet in book.worksheets if "title" in _first(worksheet)] or book.worksheets
        if not sheets:
            raise NoSheet("This workbook has no sheet with a table.")
        for number, row in enumerate(sheets[0].iter_rows(values_only=True, max_col=_MOST_COLUMNS), 1):
            if number > 10 * MOST_ROWS:
                raise NoSheet(f"It has more than {MOST_ROWS:,} rows; import it in parts.")
            yield number, [_cell(value) for value in row]
    except NoSheet:
        raise
    except Exception as error:  # whatever is wrong with a workbook, its reader raises it as it comes
        raise NoSheet("This workbook is damaged, locked or of another kind; save it again, or as .csv.") from error


def _first(sheet: object) -> list[str]:
    rows: Iterable[tuple[object, ...]] = sheet.iter_rows(values_only=True, max_row=1, max_col=_MOST_COLUMNS)  # type: ignore[attr-defined]
    return [_cell(value).strip().lower() for value in next(iter(rows), ())]


def _cell(value: object) -> str:
    """A cell of a workbook as a CSV would have it."""
    if value is None:
        return ""
    if isinstance(value, datetime):
        return value.isoformat(" ", "seconds")
    if isinstance(value, (date, time)):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)


# ---- dates ----------------------------------------------------------------------------------------------


def _order(rows: Iterable[SheetRow]) -> tuple[Order, str]:
    """Which comes first in the dates of a table, and a date that does not say it, where none of them does."""
    unclear = ""
    for row in rows:
        for name in DATED:
            match = _DATE.match(row.cells.get(name, ""))
            if match is None or len(match[1]) > 2:
                continue
            first, second = int(match[1]), int(match[3])
            if match[2] == "." or first > 12 >= second:
                return "day", ""
            if second > 12 >= first:
                return "month", ""
            if first != second:
                unclear = unclear or row.cells[name].strip()
    return "", unclear


def _dated(cells: dict[str, str], order: Order) -> dict[str, str]:
    """Cells with their dates as an export writes them; what is none stays as it is."""
    made = {name: _spelt(cells[name], order) for name in DATED if name in cells}
    if cells.get("all_day", "").strip().lower() == "yes":
        made |= {name: text.removesuffix(" 00:00") for name, text in made.items() if name != "modified"}
    return {**cells, **made}


def _spelt(cell: str, order: Order) -> str:
    match = _DATE.match(cell)
    if match is None:
        return cell
    one, other = int(match[3]), int(match[4])
    if len(match[1]) > 2:
        year, month, day = int(match[1]), one, other
    else:
        year = other + 2000 if len(match[4]) < 3 else other
        first = int(match[1])
        month, day = (first, one) if order == "month" else (one, first)
    hour, minute, second = (int(match[k] or 0) for k in (5, 6, 7))
    if match[8]:
        hour = hour % 12 + (12 if match[8][0] in "pP" else 0)
    try:
        moment = datetime(year, month, day, hour, minute, second)  # noqa: DTZ001
    except ValueError:
        return cell
    if match[5] is None:
        return moment.date().isoformat()
    return moment.isoformat(" ", "seconds" if second else "minutes")
