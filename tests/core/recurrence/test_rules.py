"""Odd rules: what makes sense counts, the rest is named, and a rule keeps what it is understood as."""

from __future__ import annotations

import io
from datetime import date

import pytest

from datebridge.core.checks import examine
from datebridge.core.inspection import inspect
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.rules import read_rule
from datebridge.core.views.expansion import expand


def event(*lines: str) -> str:
    return "\n".join(["BEGIN:VEVENT", "UID:a", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT"])


def happens(*texts: str, first: date = date(2026, 1, 1), days: int = 400, zone: str = "") -> list[str]:
    data = "\n".join(["BEGIN:VCALENDAR", *texts, "END:VCALENDAR", ""]).encode()
    low = wall_seconds_of(first)
    found = expand(inspect(io.BytesIO(data), keep=True).components, low, low + days * 86400, zone)
    return [f"{one.start[5:16]} {one.end[5:16]}" for one in found.happening]


def begins(*texts: str, first: date = date(2026, 1, 1), days: int = 400) -> list[str]:
    return [one[:11] for one in happens(*texts, first=first, days=days)]


@pytest.mark.parametrize(
    ("rule", "count", "codes"),
    [
        ("FREQ=DAILY;COUNT=-1;UNTIL=20260303T090000Z", 3, ["invalid-rule-part"]),
        ("FREQ=DAILY;COUNT=2;UNTIL=20260305T090000Z", 2, ["count-and-until"]),
        ("FREQ=DAILY;INTERVAL=0;COUNT=3", 3, ["invalid-rule-part"]),
        ("FREQ=WEEKLY;BYDAY=0MO,XX;COUNT=3", 3, ["invalid-rule-part", "invalid-rule-part"]),
        ("FREQ=DAILY;RSCALE=CHINESE;COUNT=3", 3, ["invalid-rule-part"]),
        ("FREQ=MONTHLY;SKIP=FORWARD;COUNT=3", 3, ["invalid-rule-part"]),
        ("FREQ=DAILY;UNTIL=20260303", 3, ["until-type"]),
        ("FREQ=DAILY; COUNT=3", 3, ["loose-value"]),
    ],
)
def test_of_an_odd_rule_what_makes_sense_counts_and_the_rest_is_named(rule: str, count: int, codes: list[str]) -> None:
    text = event("DTSTART:20260301T090000Z" if "0MO" not in rule else "DTSTART:20260302T090000Z", f"RRULE:{rule}")
    assert len(begins(text)) == count
    assert [p.code for p in examine("VEVENT", text).problems] == codes


def test_a_rule_keeps_what_it_is_understood_as() -> None:
    rule, odd = read_rule("freq=weekly;byday=mo,we;bycake=1;X-own=2")
    assert (rule.text, odd) == ("FREQ=WEEKLY;BYDAY=MO,WE;X-OWN=2", ["BYCAKE is not a part of a rule"])
