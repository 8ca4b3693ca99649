"""What a TZID means beside the definition it carries, and the definitions that are made."""

from __future__ import annotations

import io
from datetime import date

import pytest

from datebridge.core.checks import examine
from datebridge.core.index.facts import Mark
from datebridge.core.inspection import inspect
from datebridge.core.moments import wall_seconds_of
from datebridge.core.text.writer import tzids_in
from datebridge.core.tzids import resolve
from datebridge.core.views.expansion import Expanded, expand
from datebridge.core.zones.defined import define
from datebridge.core.zones.meaning import Zones

HALIFAX = define("Station", "America/Halifax", 2020, 2040)
#: A definition that says something else than its name.
LISBON = "\n".join(
    [
        "BEGIN:VTIMEZONE",
        "TZID:{}",
        "BEGIN:STANDARD",
        "DTSTART:19701025T030000",
        "RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU",
        "TZOFFSETFROM:+0200",
        "TZOFFSETTO:+0100",
        "END:STANDARD",
        "BEGIN:DAYLIGHT",
        "DTSTART:19700329T020000",
        "RRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU",
        "TZOFFSETFROM:+0100",
        "TZOFFSETTO:+0200",
        "END:DAYLIGHT",
        "END:VTIMEZONE",
    ]
)


def event(*lines: str, uid: str = "a") -> str:
    return "\n".join(["BEGIN:VEVENT", f"UID:{uid}", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT"])


def calendar(*parts: str) -> bytes:
    return "\n".join(["BEGIN:VCALENDAR", "VERSION:2.0", *parts, "END:VCALENDAR", ""]).encode()


def happening(*parts: str, first: date = date(2026, 1, 1), days: int = 400) -> list[Expanded]:
    components = inspect(io.BytesIO(calendar(*parts)), keep=True).components
    low = wall_seconds_of(first)
    return expand(components, low, low + days * 86400, "UTC").happening


def starts(*parts: str) -> list[str]:
    return [one.start[5:16] for one in happening(*parts)]


SERIES = ["DTSTART;TZID=Station:20260301T210000", "RRULE:FREQ=DAILY;UNTIL=20260305T010000Z", "SUMMARY:x"]


@pytest.mark.parametrize("after", [False, True], ids=["defined before", "defined after"])
def test_times_in_utc_are_told_on_the_clock_a_file_defines(after: bool) -> None:
    entry = event(*SERIES, "EXDATE:20260303T010000Z", "RDATE:20260310T010000Z", "DTEND:20260302T020000Z")
    found = happening(*((entry, HALIFAX) if after else (HALIFAX, entry)))
    assert [(one.start[5:16], one.end[5:16]) for one in found] == [
        ("03-02T01:00", "03-02T02:00"),
        ("03-04T01:00", "03-04T02:00"),
        ("03-05T01:00", "03-05T02:00"),
        ("03-10T01:00", "03-10T02:00"),
    ]


def test_a_file_that_defines_its_zone_has_no_problem_with_it() -> None:
    entry = event("DTSTART;TZID=Station:20260307T230000", "DTEND:20260308T110000Z")
    found = inspect(io.BytesIO(calendar(entry, HALIFAX)))
    assert found.problems == []
    assert found.summary.as_dict()["zones"] == [{"tzid": "Station", "zone": "", "method": "defined", "events": 1}]


def test_eight_hours_over_a_change_of_defined_clocks_are_eight_hours() -> None:
    found = happening(
        HALIFAX, event("DTSTART;TZID=Station:20260307T220000", "DURATION:PT8H", "RRULE:FREQ=DAILY;COUNT=2")
    )
    assert [(one.start[11:16], one.end[11:16]) for one in found] == [("02:00", "10:00"), ("01:00", "09:00")]


@pytest.mark.parametrize(
    ("tzid", "hour", "zone", "own"),
    [
        ("Europe/Lisbon", "09:00", "Europe/Lisbon", False),
        ("Europe/lisbon", "08:00", "", True),
        ("/tidewrack.example/2009/Europe/Lisbon", "08:00", "", True),
    ],
)
def test_a_name_means_the_zone_only_if_it_stands_so_in_the_database(tzid: str, hour: str, zone: str, own: bool) -> None:
    entry = event(f"DTSTART;TZID={tzid}:20261201T090000")
    facts = examine("VEVENT", entry, Zones([(tzid, LISBON.format(tzid))]))
    assert (facts.zone, bool(facts.marks & Mark.DEFINED_ZONE)) == (zone, own)
    assert happening(LISBON.format(tzid), entry)[0].start[11:16] == hour
    (problem,) = facts.problems
    assert problem.code == "zone-contradiction"
    assert "says Lisbon, behaves like Berlin: +00:00 by its name, +01:00 by its definition" in problem.message


def test_a_definition_that_agrees_in_the_years_in_use_leaves_the_zone_its_name() -> None:
    old = define("x", "America/Halifax", 1990, 2000)  # knows nothing of the rules since 2007 but by its last pattern
    zones = Zones([("america/halifax", old)])
    early = examine("VEVENT", event("DTSTART;TZID=america/halifax:19950701T090000"), zones)
    late = examine("VEVENT", event("DTSTART;TZID=america/halifax:20260315T090000"), zones)
    assert (early.zone, early.problems) == ("America/Halifax", ())
    assert late.zone == "" or not late.problems


def test_without_a_definition_a_name_means_what_it_suggests() -> None:
    assert examine("VEVENT", event("DTSTART;TZID=europe/oslo:20261201T090000")).zone == "Europe/Oslo"
    assert resolve("/Europe/Oslo").zone == "Europe/Oslo"
    assert not resolve("/Europe/Oslo").exact


def test_a_zone_name_with_a_colon_is_read_as_it_was_meant() -> None:
    line = "DTSTART;TZID=(UTC+01:00) Somewhere, Else:20261201T090000"
    facts = examine("VEVENT", event(line))
    assert facts.tzid == "(UTC+01:00) Somewhere, Else"
    assert {p.code for p in facts.problems} == {"unquoted-zone", "unresolved-zone"}
    assert tzids_in(line) == {"(UTC+01:00) Somewhere, Else"}
    own = "\n".join(
        [
            "BEGIN:VTIMEZONE",
            "TZID:(UTC+01:00) Somewhere, Else",
            "BEGIN:STANDARD",
            "DTSTART:19700101T000000",
            "TZOFFSETFROM:+0100",
            "TZOFFSETTO:+0100",
            "END:STANDARD",
            "END:VTIMEZONE",
        ]
    )
    assert starts(own, event(line)) == ["12-01T08:00"]
