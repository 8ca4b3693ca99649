"""A plan as a sheet: a lane a row, written and read back; what cannot be read is named by its row and column.

>>> text = write_plan([PlanRow("Tidewrack", "Berths", "", "Lantern", "Quays", True, {"since": "2026-01-01"})])
>>> print(text.splitlines()[1])
Tidewrack,Berths,,Lantern,Quays,yes,2026-01-01,,,,,
>>> read_plan(text).rows[0].options
{'since': '2026-01-01'}
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from datebridge.core.crossing.options import Options
from datebridge.core.errors import CannotDo
from datebridge.core.tabular import NoSheet, UnreadableRow, read_table
from datebridge.core.views.sheet import armed, defuse

_COLUMNS: Mapping[str, tuple[str, ...]] = {
    "source_account": ("source account", "from account"),
    "source": ("source calendar", "source", "from"),
    "filter": ("filter", "only"),
    "target_account": ("target account", "to account"),
    "target": ("target calendar", "target", "to"),
    "going": ("going", "carry"),
    "since": ("since",),
    "kinds": ("kinds",),
    "standing": ("standing", "where it stands already"),
    "private": ("private", "private entries"),
    "zones": ("zones", "zone names"),
    "past": ("past",),
}
#: The options that are a word or a day, each in a column of its name.
_PLAIN = ("since", "standing", "private", "zones", "past")
_HEADINGS = [names[0] for names in _COLUMNS.values()]
_SHORT = {"events": "VEVENT", "to-dos": "VTODO", "journal-entries": "VJOURNAL"}
_NO = ("no", "n", "0", "false")
_OPTIONS = [name for name in _COLUMNS if name in (*_PLAIN, "kinds")]
#: How many lanes a sheet may have.
MOST = 1_000
HERE = "here"


@dataclass(frozen=True, slots=True)
class PlanRow:
    """A lane as a sheet names it; an account of ``here`` means calendars that live nowhere else.

    Attributes:
        options: those in which it differs from its crossing (`Options`).
        number: the row it stands in.
    """

    source_account: str
    source: str
    filter: str
    target_account: str
    target: str
    going: bool = True
    options: dict[str, Any] = field(default_factory=dict)
    number: int = 0


@dataclass(frozen=True, slots=True)
class PlanSheet:
    """What a sheet of lanes holds."""

    rows: list[PlanRow]
    unreadable: list[UnreadableRow]


def write_plan(rows: Iterable[PlanRow]) -> str:
    """Lanes as CSV; nothing in it is run by a spreadsheet."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(_HEADINGS)
    names = {component: name for name, component in _SHORT.items()}
    for row in rows:
        kinds = " ".join(names.get(kind, kind) for kind in row.options.get("kinds", ()))
        cells = [
            row.source_account,
            row.source,
            row.filter,
            row.target_account,
            row.target,
            "yes" if row.going else "no",
            *(kinds if name == "kinds" else str(row.options.get(name, "")) for name in _OPTIONS),
        ]
        writer.writerow([defuse(cell) for cell in cells])
    return text.getvalue()


def read_plan(text: str) -> PlanSheet:
    """Read lanes from CSV.

    Raises:
        NoSheet: if there is no column of sources, or there are too many rows.
    """
    table = read_table(text, _COLUMNS)
    if "source" not in table.columns:
        raise NoSheet(f"The first row names the columns: {', '.join(_HEADINGS)}. There is no column of sources.")
    if table.length > MOST:
        raise NoSheet(f"The sheet has {table.length:,} rows; {MOST:,} are the most.")
    rows: list[PlanRow] = []
    unreadable: list[UnreadableRow] = []
    for number, cells in table.rows:
        values = {name: armed(cell) for name, cell in cells.items()}
        wrong = _wrong(values)
        if wrong is not None:
            unreadable.append(UnreadableRow(number, *wrong))
            continue
        rows.append(
            PlanRow(
                values.get("source_account", ""),
                values["source"],
                values.get("filter", ""),
                values.get("target_account", ""),
                values.get("target", ""),
                values.get("going", "").lower() not in _NO,
                _options(values),
                number,
            )
        )
    return PlanSheet(rows, unreadable)


def _options(values: Mapping[str, str]) -> dict[str, Any]:
    options: dict[str, Any] = {name: values[name] for name in _PLAIN if values.get(name)}
    if values.get("kinds"):
        options["kinds"] = [
            _SHORT.get(kind.replace("-", " "), _SHORT.get(kind, kind)) for kind in values["kinds"].split()
        ]
    return options


def _wrong(values: Mapping[str, str]) -> tuple[str, str] | None:
    """The first column that cannot be used, and why."""
    if not values["source"]:
        return "source calendar", "Name the calendar it comes from."
    if values.get("since"):
        try:
            date.fromisoformat(values["since"])
        except ValueError:
            return "since", f"“{values['since'][:40]}” is not a day, such as 2026-01-31."
    for name in ("kinds", *_PLAIN[1:]):
        try:
            Options.read({key: value for key, value in _options(values).items() if key == name})
        except CannotDo as error:
            return name, str(error)
    return None
