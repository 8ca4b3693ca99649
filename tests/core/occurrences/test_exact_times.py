"""When things happen where clocks skip and repeat hours, rules are odd, and changes hold for all that follow."""

from __future__ import annotations

import io
from datetime import date

import pytest

from datebridge.core.checks import examine
from datebridge.core.index.facts import Mark
from datebridge.core.inspection import inspect
from datebridge.core.moments import wall_seconds_of
from datebridge.core.occurrences.expanding import timed
from datebridge.core.occurrences.series import Series
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
        "03-05T12:00 03-05T13:00",
        "03-06T12:00 03-07T12:00",
        "03-07T12:00 03-08T12:00",
        "03-08T12:00 03-09T12:00",
    ]


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
