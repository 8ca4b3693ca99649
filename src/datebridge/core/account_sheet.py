"""Accounts given by a sheet: one a row, read from CSV; what cannot be read is named by its row and column.

>>> sheet = read_sheet("name;address;user;password\\nIda;https://lantern.example;ida;tern-4\\nBo;;bo;gull-9\\n")
>>> [(row.name, row.user) for row in sheet.rows], [str(one) for one in sheet.unreadable]
([('Ida', 'ida')], ['Row 3, address: Enter an address.'])
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from datebridge.core.tabular import NoSheet, UnreadableRow, read_table

#: The columns by what they may be called.
_COLUMNS: Mapping[str, tuple[str, ...]] = {
    "name": ("name", "account", "title"),
    "address": ("address", "url", "server"),
    "user": ("user", "user name", "username", "login"),
    "password": ("password",),
    "token": ("token", "access token"),
}
#: How many accounts one sheet may hold, and how much a cell.
MOST, _LONGEST = 2_000, 2_000
__all__ = ["MOST", "NoSheet", "Sheet", "SheetRow", "UnreadableRow", "read_sheet"]


@dataclass(frozen=True, slots=True)
class SheetRow:
    """An account as a sheet names it; a token instead of a password has no user name beside it."""

    number: int
    name: str
    address: str
    user: str = ""
    password: str = field(default="", repr=False)


@dataclass(frozen=True, slots=True)
class Sheet:
    """What a sheet holds."""

    rows: list[SheetRow]
    unreadable: list[UnreadableRow]


def read_sheet(text: str) -> Sheet:
    """Read a sheet: a row of headings, then an account a row; commas, semicolons or tabs between cells.

    Raises:
        NoSheet: if there is no column of addresses, or there are too many rows.
    """
    table = read_table(text, _COLUMNS)
    if "address" not in table.columns:
        raise NoSheet(
            "The first row names the columns: name, address, user, and password or token. There is no column of"
            " addresses."
        )
    if table.length > MOST:
        raise NoSheet(f"The sheet has {table.length:,} rows; {MOST:,} are the most.")
    rows: list[SheetRow] = []
    unreadable: list[UnreadableRow] = []
    for number, values in table.rows:
        wrong = _wrong(values)
        if wrong is not None:
            unreadable.append(UnreadableRow(number, *wrong))
        else:
            token = values.get("token", "")
            user, secret = ("", token) if token else (values.get("user", ""), values.get("password", ""))
            rows.append(SheetRow(number, values.get("name", ""), values["address"], user, secret))
    return Sheet(rows, unreadable)


def _wrong(values: Mapping[str, str]) -> tuple[str, str] | None:
    """The first column that cannot be used, and why."""
    for name, value in values.items():
        if len(value) > _LONGEST:
            return name, f"More than {_LONGEST:,} characters."
    if not values["address"]:
        return "address", "Enter an address."
    if values.get("token") and values.get("password"):
        return "token", "There is a password beside it. Keep one of the two."
    if values.get("user") and not values.get("password") and not values.get("token"):
        return "password", "There is a user name without a password."
    return None
