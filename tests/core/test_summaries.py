"""Zone names, spreadsheets, inspections: small things by value."""

from __future__ import annotations

import csv
import io
from io import BytesIO

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.inspection import inspect
from datebridge.core.tzids import resolve
from datebridge.core.views.sheet import COLUMNS, Row, defuse, write_sheet
from tests.conftest import calendar, event


@pytest.mark.parametrize(
    ("tzid", "zone", "method"),
    [
        ("Australia/Hobart", "Australia/Hobart", "iana"),
        ("australia/hobart", "Australia/Hobart", "iana"),
        ("Atlantic Standard Time", "America/Halifax", "cldr"),
        ("/vendor.example/2011_1/Atlantic/Reykjavik", "Atlantic/Reykjavik", "path"),
        ("/vendor.example/America/Argentina/Ushuaia", "America/Argentina/Ushuaia", "path"),
        ("Harbour clock", "", "unresolved"),
        ("/vendor.example/GMT", "", "unresolved"),
    ],
)
def test_what_a_zone_name_means(tzid: str, zone: str, method: str) -> None:
    found = resolve(tzid)
    assert (found.zone, found.method) == (zone, method)


def sheet(text: str, zone: str = "") -> dict[str, str]:
    data = b"".join(write_sheet([Row("Tides", "VEVENT", text)], zone)).decode("utf-8-sig")
    return next(csv.DictReader(io.StringIO(data)))


def test_a_row_has_the_documented_columns_in_the_chosen_zone() -> None:
    row = sheet(event("a", "Call", ";TZID=Australia/Hobart:20261124T150000"[1:], "DURATION:PT1H", "ATTENDEE:mailto:x@y.example"),
                "America/Halifax")  # fmt: skip
    assert tuple(row) == COLUMNS
    assert (row["start"], row["end"], row["zone"]) == ("2026-11-24 00:00", "2026-11-24 01:00", "America/Halifax")
    assert row["attendees"] == "x@y.example"


def test_whole_days_and_floating_times_are_in_no_zone() -> None:
    assert sheet(event("a", "x", "20261124"), "America/Halifax")["start"] == "2026-11-24"
    assert sheet(event("a", "x", "20261124T080000"), "America/Halifax")["start"] == "2026-11-24 08:00"


@given(st.text(min_size=1))
def test_no_cell_is_run_as_a_formula(cell: str) -> None:
    assert defuse(cell)[0] not in "=+-@\t\r"


def test_an_inspection_counts_and_finds_what_only_shows_together() -> None:
    text = calendar(
        event("twin"), event("twin", "other"), event("lost", "x", "20261124T080000Z", "RECURRENCE-ID:20261124T080000Z"),
        event("h", "x", "TZID=Australia/Hobart:20261124T080000", "RRULE:FREQ=DAILY;COUNT=3"),
    )  # fmt: skip
    found = inspect(BytesIO(text.encode()))
    out = found.as_dict("x.ics")
    assert (out["calendars"], out["events"], out["series"], out["overrides"]) == (1, 4, 1, 1)
    assert (out["first"], out["last"]) == ("2026-11-24", "2026-11-26")
    assert {"tzid": "Australia/Hobart", "zone": "Australia/Hobart", "method": "iana", "events": 1} in out["zones"]
    assert [(p["code"], p["line"]) for p in out["problems"] if p["code"] != "no-dtstamp"] == [
        ("two-masters", 3), ("two-masters", 8), ("override-without-master", 13), ("no-zone-definition", 21),
    ]  # fmt: skip
