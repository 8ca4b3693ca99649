"""What zone names mean, with the evidence: by name, by definition, and where the two differ."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.index.derive import derive
from datebridge.core.tzids import listed, resolve
from datebridge.core.zones.defined import DefinedZone, define, defined
from datebridge.core.zones.evidence import understand
from datebridge.core.zones.fitting import fitted
from datebridge.core.zones.meaning import BY_DEFINITION, Zones, differs
from datebridge.core.zones.usage import Use, named
from tests.depth import tries


def own(zone: str, first: int = 2020, last: int = 2026, name: str = "x") -> DefinedZone:
    found = defined(define(name, zone, first, last))
    assert found is not None
    return found


#: What goes by the rules of New York before 2007 for ever.
OLD_RULES = "\n".join(
    [
        "BEGIN:VTIMEZONE",
        "TZID:Old",
        "BEGIN:DAYLIGHT",
        "DTSTART:19870405T020000",
        "TZOFFSETFROM:-0500",
        "TZOFFSETTO:-0400",
        "RRULE:FREQ=YEARLY;BYMONTH=4;BYDAY=1SU",
        "END:DAYLIGHT",
        "BEGIN:STANDARD",
        "DTSTART:19671029T020000",
        "TZOFFSETFROM:-0400",
        "TZOFFSETTO:-0500",
        "RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU",
        "END:STANDARD",
        "END:VTIMEZONE",
    ]
)


@tries(60, 2_000)
@given(st.sampled_from(sorted(listed())), st.integers(1990, 2026), st.integers(0, 12))
def test_a_definition_made_of_a_zone_fits_it_and_nothing_that_differs(zone: str, first: int, years: int) -> None:
    last = min(first + years, 2026)
    made = own(zone, first, last)
    fit = fitted(made, first, last)
    assert zone in fit.whole
    for other in fit.whole:
        assert differs(made, other, first, last) is None
        assert ZoneInfo(other).key == other


@tries(60, 2_000)
@given(st.sampled_from(sorted(listed())), st.sampled_from(sorted(listed())))
def test_a_name_and_a_definition_that_differ_are_told_and_those_that_agree_are_not(name: str, zone: str) -> None:
    made = own(zone, 2024, 2026)
    found = understand(name, made, 2024, 2026)
    apart = differs(made, name, 2024, 2026)
    assert bool(found.contradicts) == (apart is not None)
    assert found.zone == name
    assert found.parts == apart


def test_where_they_part_is_said() -> None:
    found = defined(OLD_RULES)
    assert found is not None
    fit = fitted(found, 2000, 2026)
    assert not fit.whole
    assert [(part.first, part.last) for part in fit.parts] == [(2000, 2006)]
    assert "America/New_York" in fit.parts[0].zones
    assert understand("America/New_York", found, 2000, 2026).contradicts == (
        "says New York, behaves like no known zone"
    )
    assert understand("Atlantic/Reykjavik", found, 2000, 2006).contradicts.startswith("says Reykjavik, behaves like ")


@pytest.mark.parametrize(
    ("tzid", "zone", "method"),
    [
        ("Australia/Hobart", "Australia/Hobart", "iana"),
        ("US/Eastern", "US/Eastern", "link"),
        ("Tasmania Standard Time", "Australia/Hobart", "cldr"),
        ("/x.example/1/Asia/Tokyo", "Asia/Tokyo", "path"),
        ("UTC+02:00", "Etc/GMT-2", "offset"),
        ("gmt-3", "Etc/GMT+3", "offset"),
        ("+0545", "Asia/Kathmandu", "offset"),
        ("(UTC+10:00) Hobart", "Australia/Hobart", "display"),
        ("(GMT-04:00) Georgetown, Halifax", "America/Guyana", ""),
        ("(UTC-07:00) Hobart", "", "unresolved"),
        ("BRZ", "", "unresolved"),
        ("AST", "", "abbreviation"),
        ("GMT -0400 (Standard) / GMT -0300 (Daylight)", "", "abbreviation"),
        ("GMT -0300 (Standard) / GMT -0400 (Daylight)", "", "unresolved"),
        ("", "", "floating"),
    ],
)
def test_what_names_mean(tzid: str, zone: str, method: str) -> None:
    found = understand(tzid, None, 2026, 2026)
    if method:
        assert (found.zone, found.method) == (zone, method)
    else:
        assert found.zone == "America/Halifax"  # Georgetown is in the database under another name


def test_of_zones_that_go_alike_the_one_its_neighbours_are_in_is_taken() -> None:
    made = own("Atlantic/Reykjavik")
    assert understand("x", made, 2024, 2026, ["Atlantic/Reykjavik"]).zone == "Atlantic/Reykjavik"
    assert understand("x", made, 2024, 2026, ["Africa/Accra"]).zone == "Africa/Accra"
    assert understand("x", None, 2024, 2026, ["Atlantic/Faroe"]).candidates[0].zones == ("Atlantic/Faroe",)


def test_two_definitions_under_one_name_are_told_apart() -> None:
    uses = [
        Use("Station", number, 3, 2026, 2026, define("Station", zone, 2026, 2026))
        for number, zone in enumerate(["America/Halifax", "Australia/Hobart", "America/Halifax"])
    ]
    found = named(uses)
    assert [(one.understood.zone, one.entries, one.others) for one in found] == [
        ("America/Halifax", 6, 1),
        ("Australia/Sydney", 3, 1),
    ]


def test_a_ruling_decides_what_is_read() -> None:
    text = "BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Station:20260701T090000\nEND:VEVENT"
    halifax = [("Station", define("Station", "America/Halifax", 2026, 2026))]
    assert derive("VEVENT", text, Zones(halifax)).start == 1782907200
    assert derive("VEVENT", text, Zones(halifax, {"Station": "Atlantic/Reykjavik"})).zone == "Atlantic/Reykjavik"
    assert derive("VEVENT", text, Zones((), {"Station": "Atlantic/Reykjavik"})).start == 1782896400
    contradicting = [("Australia/Hobart", define("Australia/Hobart", "America/Halifax", 2026, 2026))]
    tasman = text.replace("Station", "Australia/Hobart")
    assert derive("VEVENT", tasman, Zones(contradicting)).start == 1782860400
    assert derive("VEVENT", tasman, Zones(contradicting, {"Australia/Hobart": BY_DEFINITION})).start == 1782907200


def test_offsets_are_no_zones_of_their_own() -> None:
    assert {resolve(name).method for name in ("UTC+25", "GMT", "+99:00")} == {"unresolved", "iana"}


def test_of_zones_that_go_alike_the_one_a_region_is_named_for_comes_first() -> None:
    for name, zone in (("PST", "America/Los_Angeles"), ("Home", "Europe/Berlin")):
        own = defined(define(name, zone, 2020, 2027))
        assert understand(name, own, 2020, 2027).zone == zone
