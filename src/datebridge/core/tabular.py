"""Tables that people keep as sheets: a row of headings, then a row each; whatever stands between the cells.

>>> table = read_table("Name;Address\\n\\nIda;here\\n", {"name": ("name",), "address": ("address", "url")})
>>> table.columns, table.rows
(['name', 'address'], [(3, {'name': 'Ida', 'address': 'here'})])
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from typing import NamedTuple

from datebridge.core.errors import CannotDo


class NoSheet(CannotDo):
    """A sheet cannot be read at all; the message says why."""

    code, title = "no-sheet", "This is not such a sheet"


class UnreadableRow(NamedTuple):
    """A row, or a cell of it, that cannot be used."""

    row: int
    column: str
    why: str

    def __str__(self) -> str:
        return f"Row {self.row}, {self.column}: {self.why}"


class TableOfText(NamedTuple):
    """What a sheet holds: the columns that are known, and each row that is not empty, with its number."""

    columns: list[str]
    rows: list[tuple[int, dict[str, str]]]
    length: int


def read_table(text: str, known: Mapping[str, tuple[str, ...]]) -> TableOfText:
    """Read a sheet; commas, semicolons or tabs between cells, as its first line has it.

    Args:
        known: what each column may be called, in small letters.

    Raises:
        NoSheet: if it is no table at all.
    """
    text = text.removeprefix("\ufeff")
    head = text.partition("\n")[0]
    separator = max(",;\t", key=head.count)
    try:
        lines = list(csv.reader(io.StringIO(text), delimiter=separator))
    except csv.Error as error:
        raise NoSheet(f"The sheet cannot be read: {error}.") from error
    headings = [cell.strip().lower() for cell in lines[0]] if lines else []
    columns = {name: at for name, names in known.items() for at, one in enumerate(headings) if one in names}
    rows = [
        (number, {name: cells[at].strip() if at < len(cells) else "" for name, at in columns.items()})
        for number, cells in enumerate(lines[1:], 2)
        if any(cell.strip() for cell in cells)
    ]
    return TableOfText(list(columns), rows, max(len(lines) - 1, 0))
