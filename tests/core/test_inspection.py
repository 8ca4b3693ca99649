"""What an inspection of a file counts and finds."""

from __future__ import annotations

from io import BytesIO

import pytest

from datebridge.core.checks import examine
from datebridge.core.inspection import inspect
from tests.conftest import calendar, event


def test_an_inspection_counts_and_finds_what_only_shows_together() -> None:
    text = calendar(
        event("twin"),
        event("twin", "other"),
        event("lost", "x", "20261124T080000Z", "RECURRENCE-ID:20261124T080000Z"),
        event("h", "x", "TZID=Australia/Hobart:20261124T080000", "RRULE:FREQ=DAILY;COUNT=3"),
    )
    found = inspect(BytesIO(text.encode()))
    out = found.as_dict("x.ics")
    assert (out["calendars"], out["events"], out["series"], out["overrides"]) == (1, 4, 1, 1)
    assert (out["first"], out["last"]) == ("2026-11-24", "2026-11-26")
    assert {"tzid": "Australia/Hobart", "zone": "Australia/Hobart", "method": "iana", "events": 1} in out["zones"]
    assert [(p["code"], p["line"]) for p in out["problems"] if p["code"] != "no-dtstamp"] == [
        ("two-masters", 3),
        ("two-masters", 8),
        ("override-without-master", 13),
        ("no-zone-definition", 21),
    ]


def stamped(*lines: str) -> str:
    return "\n".join(["BEGIN:VEVENT", "UID:a", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT"])


@pytest.mark.parametrize(
    ("lines", "codes"),
    [
        (["DTSTART:20260301"], ["value-type"]),
        (["DTSTART;VALUE=DATE:20260301T090000"], ["value-type"]),
        (["DTSTART;VALUE=DATE:20260301", "DTEND:20260302T090000"], ["mixed-types"]),
        (["DTSTART;VALUE=DATE:20260301", "DURATION:P1DT2H"], ["mixed-types"]),
        (["DTSTART: 20260301T090000Z"], ["loose-value"]),
        (["DTSTART:20260301T090000Z", "DTEND:20260301T100000"], ["mixed-types"]),
        (["DTSTART;TZID=Europe/Oslo:20260301T090000", "DTEND:20260301T100000Z"], []),
        (
            ["DTSTART:20260301T090000Z", "BEGIN:VALARM", "ACTION:AUDIO", "TRIGER:-PT5M", "END:VALARM"],
            ["incomplete-alarm"],
        ),
        (["DTSTART:20260301T090000Z", "RRULE:FREQ=WEEKLY;COUNT=2;BYMONTHDAY=1"], ["misfit-rule"]),
        (["DTSTART:20260301T090000Z", "RRULE:FREQ=MONTHLY;COUNT=2;BYWEEKNO=9"], ["misfit-rule"]),
        (["DTSTART:20260301T090000Z", "RRULE:FREQ=YEARLY;COUNT=2;BYDAY=1SU"], []),
        (["DTSTART;VALUE=DATE:20260301", "RRULE:FREQ=DAILY;UNTIL=20260305T090000Z"], ["until-type"]),
        (["DTSTART;TZID=Europe/Oslo:20260301T090000", "RRULE:FREQ=DAILY;UNTIL=20260305T090000"], ["until-type"]),
        (["DTSTART:20260301T090000Z", "DURATION:-PT1H"], ["negative-duration"]),
        (["DTSTART:2026 301T090000Z"], ["loose-value"]),
        (["DTSTART:20260301T+90000Z"], ["loose-value"]),
        (["DTSTART:20260301T090000Z", "SEQUENCE:+1"], ["loose-value"]),
        (["DTSTART:20260301T090000Z", "BEGIN:VALARM", "ACTION:AUDIO", "TRIGGER:soon", "END:VALARM"], ["bad-trigger"]),
        (["DTSTART:20260301T090000Z", "EXRULE:FREQ=DAILY"], ["exrule"]),
    ],
)
def test_inspect_names_it(lines: list[str], codes: list[str]) -> None:
    data = "\n".join(["BEGIN:VCALENDAR", stamped(*lines), "END:VCALENDAR", ""]).encode()
    found = [p for p in inspect(BytesIO(data)).problems if p.code != "no-zone-definition"]
    assert [p.code for p in found] == codes
    assert all(p.line > 2 and p.message and p.done for p in found)


def test_inspect_names_a_missing_stamp_and_says_lines_of_the_calendar() -> None:
    text = "BEGIN:VCALENDAR\nX-A:1\nBEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Oslo:20260301T090000\nEND:VEVENT\nstray\nEND:VCALENDAR\n"
    found = {p.code: p.line for p in inspect(BytesIO(text.encode())).problems}
    assert found == {"no-dtstamp": 3, "no-zone-definition": 5, "not-a-content-line": 7}


def test_many_problems_of_a_kind_are_told_once_and_counted() -> None:
    problems = examine(
        "VEVENT", stamped("DTSTART:20260301T090000Z", "RRULE:FREQ=DAILY", "EXDATE:" + ",".join(["x"] * 500))
    ).problems
    assert len(problems) == 20
    assert problems[-1].message.endswith("So it is with 480 more in this entry.")
