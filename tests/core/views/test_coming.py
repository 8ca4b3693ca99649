"""What is coming, of entries that are only looked at."""

from __future__ import annotations

from datetime import date

import pytest

from datebridge.core.views.coming import coming
from tests.conftest import event


@pytest.mark.parametrize(
    ("start", "rule", "days"),
    [
        ("20261130T090000Z", [], ["2026-11-30"]),
        ("20200106T090000Z", ["RRULE:FREQ=WEEKLY"], ["2026-11-30", "2026-12-07"]),
        ("20200106T090000Z", ["RRULE:FREQ=WEEKLY;UNTIL=20210101T000000Z"], []),
        ("20270101T090000Z", [], []),
    ],
)
def test_what_is_coming(start: str, rule: list[str], days: list[str]) -> None:
    text = event("a", "Tide", start, *rule)
    assert [c.day.isoformat() for c in coming([("VEVENT", text)], date(2026, 11, 25), 14)] == days
