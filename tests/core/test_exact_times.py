"""When things happen where clocks skip and repeat hours, rules are odd, and changes hold for all that follow."""

from __future__ import annotations

import io
from datetime import date

import pytest

from datebridge.core.checks import examine
from datebridge.core.happening.occurrences import timed
from datebridge.core.happening.series import Series
from datebridge.core.index.facts import Mark
from datebridge.core.inspection import inspect
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.rules import read_rule
from datebridge.core.views.expansion import expand

HALIFAX = "TZID=America/Halifax"


def event(*lines: str) -> str:
    return "\n".join(["BEGIN:VEVENT", "UID:a", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT"])


def happens(*texts: str, first: date = date(2026, 1, 1), days: int = 400, zone: str = "") -> list[str]:
    data = "\n".join(["BEGIN:VCALENDAR", *texts, "END:VCALENDAR", ""]).encode()
    low = wall_seconds_of(first)
    found = expand(inspect(io.BytesIO(data), keep=True).components, low, low + days * 86400, zone)
    return [f"{one.start[5:16]} {one.end[5:16]}" for one in found.happening]


def begins(*texts: str, first: date = date(2026, 1, 1), days: int = 400) -> list[str]:
    return [one[:11] for one in happens(*texts, first=first, days=days)]


FUTURE = "RECURRENCE-ID;RANGE=THISANDFUTURE:20260120T090000Z"


def test_a_change_for_all_that_follow_hides_nothing_before_it() -> None:
    master = event("DTSTART:20260105T090000Z", "RRULE:FREQ=DAILY")
    later = event(FUTURE, "DTSTART:20260123T090000Z")
    assert begins(master, later, first=date(2026, 1, 5), days=3) == ["01-05T09:00", "01-06T09:00", "01-07T09:00"]
    assert begins(master, later, first=date(2026, 1, 18), days=6) == ["01-18T09:00", "01-19T09:00", "01-23T09:00"]


def test_a_change_for_all_that_follow_is_as_long_in_days() -> None:
    master = event(f"DTSTART;{HALIFAX}:20260305T120000", "DURATION:PT1H", "RRULE:FREQ=DAILY;COUNT=4")
    longer = event(
        f"RECURRENCE-ID;RANGE=THISANDFUTURE;{HALIFAX}:20260306T120000",
        f"DTSTART;{HALIFAX}:20260306T120000",
        "DURATION:P1D",
    )
    assert happens(master, longer) == [
        "03-05T12:00 03-05T13:00", "03-06T12:00 03-07T12:00", "03-07T12:00 03-08T12:00", "03-08T12:00 03-09T12:00",
    ]  # fmt: skip


def test_the_last_of_a_series_moved_on_is_known() -> None:
    texts = [event("DTSTART:20260105T090000Z", "RRULE:FREQ=DAILY;COUNT=20"), event(FUTURE, "DTSTART:20260220T090000Z")]
    series = Series([t for k, text in enumerate(texts) if (t := timed(examine("VEVENT", text), k))])
    last = series.last()
    assert last is not None
    assert last.start == wall_seconds_of(date(2026, 2, 24)) + 9 * 3600


@pytest.mark.parametrize(
    "left_out", [f"EXDATE;{HALIFAX}:20260308T023000", "EXDATE:20260308T063000Z"], ids=["as written", "in UTC"]
)
def test_a_time_the_clocks_skip_can_be_left_out(left_out: str) -> None:
    master = event(f"DTSTART;{HALIFAX}:20260307T023000", "RRULE:FREQ=DAILY;COUNT=3")
    assert begins(master) == ["03-07T02:30", "03-08T03:30", "03-09T02:30"]
    assert begins(master.replace("\nEND:", f"\n{left_out}\nEND:")) == ["03-07T02:30", "03-09T02:30"]
    override = event(f"RECURRENCE-ID;{HALIFAX}:20260308T023000", f"DTSTART;{HALIFAX}:20260308T120000")
    assert begins(master, override) == ["03-07T02:30", "03-08T12:00", "03-09T02:30"]


def test_what_is_skipped_and_what_stands_there_happen_once() -> None:
    master = event(f"DTSTART;{HALIFAX}:20260308T013000", "RRULE:FREQ=MINUTELY;INTERVAL=30;COUNT=6")
    assert begins(master) == ["03-08T01:30", "03-08T03:00", "03-08T03:30", "03-08T04:00"]


def test_an_hour_that_comes_twice_loses_nothing() -> None:
    # UNTIL is 01:15 in the second pass: the first pass of 01:45 lies before it.
    master = event(f"DTSTART;{HALIFAX}:20261031T014500", "RRULE:FREQ=DAILY;UNTIL=20261101T051500Z")
    assert begins(master) == ["10-31T01:45", "11-01T01:45"]
    # An EXDATE of the second pass leaves the first alone.
    master = event(f"DTSTART;{HALIFAX}:20261031T014500", "RRULE:FREQ=DAILY;COUNT=2", "EXDATE:20261101T054500Z")
    assert begins(master) == ["10-31T01:45", "11-01T01:45"]
    # An end in the second pass.
    assert happens(event(f"DTSTART;{HALIFAX}:20261101T003000", "DURATION:PT2H"), zone="UTC") == [
        "11-01T03:30 11-01T05:30"
    ]
    assert happens(event(f"DTSTART;{HALIFAX}:20261101T013000", "DTEND:20261101T054000Z"), zone="UTC") == [
        "11-01T04:30 11-01T05:40"
    ]


def test_days_of_a_period_are_nominal() -> None:
    master = event(
        f"DTSTART;{HALIFAX}:20260301T120000", "DURATION:PT1H", f"RDATE;VALUE=PERIOD;{HALIFAX}:20260307T120000/P1D"
    )
    assert happens(master)[1] == "03-07T12:00 03-08T12:00"


def test_an_extra_date_before_the_start_counts() -> None:
    text = event("DTSTART:20260301T090000Z", "RRULE:FREQ=DAILY;COUNT=2", "RDATE:20251201T090000Z")
    assert begins(text, first=date(2025, 11, 1)) == ["12-01T09:00", "03-01T09:00", "03-02T09:00"]
    facts = examine("VEVENT", text)
    entry = timed(facts)
    assert entry is not None
    series = Series([entry])
    first = series.first()
    assert first is not None
    assert (series.count(), first.start) == (3, wall_seconds_of(date(2025, 12, 1)) + 9 * 3600)
    assert facts.marks & Mark.EARLY


@pytest.mark.parametrize(
    ("rule", "count", "codes"),
    [("FREQ=DAILY;COUNT=-1;UNTIL=20260303T090000Z", 3, ["odd-rule"]), ("FREQ=DAILY;COUNT=2;UNTIL=20260305T090000Z", 2, ["count-and-until"]),
     ("FREQ=DAILY;INTERVAL=0;COUNT=3", 3, ["odd-rule"]), ("FREQ=WEEKLY;BYDAY=0MO,XX;COUNT=3", 3, ["odd-rule", "odd-rule"]),
     ("FREQ=DAILY;RSCALE=CHINESE;COUNT=3", 3, ["odd-rule"]), ("FREQ=MONTHLY;SKIP=FORWARD;COUNT=3", 3, ["odd-rule"]),
     ("FREQ=DAILY;UNTIL=20260303", 3, ["until-type"]), ("FREQ=DAILY; COUNT=3", 3, ["loose-value"])],
)  # fmt: skip
def test_of_an_odd_rule_what_makes_sense_counts_and_the_rest_is_named(rule: str, count: int, codes: list[str]) -> None:
    text = event("DTSTART:20260301T090000Z" if "0MO" not in rule else "DTSTART:20260302T090000Z", f"RRULE:{rule}")
    assert len(begins(text)) == count
    assert [p.code for p in examine("VEVENT", text).problems] == codes


def test_a_rule_keeps_what_it_is_understood_as() -> None:
    rule, odd = read_rule("freq=weekly;byday=mo,we;bycake=1;X-own=2")
    assert (rule.text, odd) == ("FREQ=WEEKLY;BYDAY=MO,WE;X-OWN=2", ["BYCAKE is not a part of a rule"])


@pytest.mark.parametrize(
    ("lines", "codes"),
    [(["DTSTART:20260301"], ["value-type"]), (["DTSTART;VALUE=DATE:20260301T090000"], ["value-type"]),
     (["DTSTART;VALUE=DATE:20260301", "DTEND:20260302T090000"], ["mixed-types"]),
     (["DTSTART;VALUE=DATE:20260301", "RRULE:FREQ=DAILY;UNTIL=20260305T090000Z"], ["until-type"]),
     (["DTSTART;TZID=Europe/Oslo:20260301T090000", "RRULE:FREQ=DAILY;UNTIL=20260305T090000"], ["until-type"]),
     (["DTSTART:20260301T090000Z", "DURATION:-PT1H"], ["negative-duration"]), (["DTSTART:2026 301T090000Z"], ["loose-value"]),
     (["DTSTART:20260301T+90000Z"], ["loose-value"]), (["DTSTART:20260301T090000Z", "SEQUENCE:+1"], ["loose-value"]),
     (["DTSTART:20260301T090000Z", "BEGIN:VALARM", "TRIGGER:soon", "END:VALARM"], ["bad-trigger"]),
     (["DTSTART:20260301T090000Z", "EXRULE:FREQ=DAILY"], ["exrule"])],
)  # fmt: skip
def test_inspect_names_it(lines: list[str], codes: list[str]) -> None:
    data = "\n".join(["BEGIN:VCALENDAR", event(*lines), "END:VCALENDAR", ""]).encode()
    found = [p for p in inspect(io.BytesIO(data)).problems if p.code != "no-zone-definition"]
    assert [p.code for p in found] == codes
    assert all(p.line > 2 and p.message and p.done for p in found)


def test_inspect_names_a_missing_stamp_and_says_lines_of_the_calendar() -> None:
    text = "BEGIN:VCALENDAR\nX-A:1\nBEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Oslo:20260301T090000\nEND:VEVENT\nstray\nEND:VCALENDAR\n"
    found = {p.code: p.line for p in inspect(io.BytesIO(text.encode())).problems}
    assert found == {"no-dtstamp": 3, "no-zone-definition": 5, "not-a-content-line": 7}


def test_many_problems_of_a_kind_are_told_once_and_counted() -> None:
    problems = examine(
        "VEVENT", event("DTSTART:20260301T090000Z", "RRULE:FREQ=DAILY", "EXDATE:" + ",".join(["x"] * 500))
    ).problems
    assert len(problems) == 20
    assert problems[-1].message.endswith("So it is with 480 more in this entry.")
