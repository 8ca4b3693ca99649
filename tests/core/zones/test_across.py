"""One hour on several clocks."""

from __future__ import annotations

from datetime import date, time

from datebridge.core.zones.across import across, change_on

TODAY = date(2026, 11, 25)  # a Wednesday


def test_an_hour_across_clocks_before_and_after_each_change() -> None:
    rows = across(time(15), "Australia/Hobart", ["America/Halifax"], TODAY, date(2027, 11, 20))
    assert [(f"{row.first:%m-%d}", row.changed, row.times[0].shown) for row in rows] == [
        ("11-25", "", "00:00"),
        ("03-15", "America/Halifax", "01:00"),
        ("04-04", "Australia/Hobart", "02:00"),
        ("10-03", "Australia/Hobart", "01:00"),
        ("11-08", "America/Halifax", "00:00"),
    ]
    assert change_on(date(2027, 3, 14), "America/Halifax") == "clocks go forward 1 h at 02:00"
    assert change_on(date(2027, 4, 4), "Australia/Hobart") == "clocks go back 1 h at 03:00"
    assert change_on(TODAY, "UTC") == ""
