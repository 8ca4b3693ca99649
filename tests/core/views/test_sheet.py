"""Spreadsheets of entries."""

from __future__ import annotations

import csv
import io

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.views.sheet import COLUMNS, Row, defuse, write_sheet
from tests.conftest import event
from tests.depth import tries


def sheet(text: str, zone: str = "") -> dict[str, str]:
    data = b"".join(write_sheet([Row("Tides", "VEVENT", text)], zone)).decode("utf-8-sig")
    return next(csv.DictReader(io.StringIO(data)))


def test_a_row_has_the_documented_columns_in_the_chosen_zone() -> None:
    row = sheet(
        event(
            "a", "Call", ";TZID=Australia/Hobart:20261124T150000"[1:], "DURATION:PT1H", "ATTENDEE:mailto:x@y.example"
        ),
        "America/Halifax",
    )
    assert tuple(row) == COLUMNS
    assert (row["start"], row["end"], row["zone"]) == ("2026-11-24 00:00", "2026-11-24 01:00", "America/Halifax")
    assert row["attendees"] == "x@y.example"


def test_whole_days_and_floating_times_are_in_no_zone() -> None:
    assert sheet(event("a", "x", "20261124"), "America/Halifax")["start"] == "2026-11-24"
    assert sheet(event("a", "x", "20261124T080000"), "America/Halifax")["start"] == "2026-11-24 08:00"


@tries(60, 2_000)
@given(st.text(min_size=1))
def test_no_cell_is_run_as_a_formula(cell: str) -> None:
    assert defuse(cell)[0] not in "=+-@\t\r"
