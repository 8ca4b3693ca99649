"""Another clock for entries and series, held against a slow model of when they happen."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from datebridge.core.bulk import Subject, SubjectMember, change
from datebridge.core.bulk.steps import DaysAgain, Misread, OnClock, Step, ZoneNames
from datebridge.core.zones.defined import define
from datebridge.core.zones.meaning import Zones
from tests.core.editing.series_model import expand, instant
from tests.depth import tries

ZONES = ["Atlantic/Reykjavik", "America/Halifax", "Australia/Hobart", "Europe/Lisbon", "Asia/Kolkata"]
STAMP = "20261101T000000Z"
#: Near a change of clocks a time is skipped, or comes twice.
ODD = {"01:30", "02:30", "03:30", "04:30"}


def entry(*lines: str, uid: str = "a") -> str:
    return "\n".join(["BEGIN:VEVENT", f"UID:{uid}", "SUMMARY:Watch", "X-KEEP;A=b:me", *lines, "END:VEVENT"])


def done(step: Step, *texts: str) -> tuple[list[str], list[str]]:
    """What entries of one UID become, and why not."""
    members = [SubjectMember(number, text) for number, text in enumerate(texts)]
    found = change(Subject(members, stamp=STAMP), [step])
    return [one.text or "" for one in found], [why for one in found for why in one.why_not]


RULES = st.sampled_from(
    [
        "FREQ=WEEKLY;BYDAY=MO,TH;COUNT=30",
        "FREQ=DAILY;UNTIL=20271101T120000Z",
        "FREQ=MONTHLY;BYDAY=1MO;COUNT=14",
        "FREQ=WEEKLY;INTERVAL=2;COUNT=20",
        "FREQ=MONTHLY;COUNT=8",
    ]
)


@st.composite
def a_series(draw: st.DrawFn) -> list[str]:
    zone, hour = draw(st.sampled_from(ZONES)), draw(st.integers(0, 23))
    first = f"20261102T{hour:02d}3000"
    texts = [entry(f"DTSTART;TZID={zone}:{first}", "DURATION:PT1H", f"RRULE:{draw(RULES)}")]
    slots = [one.wall for one in expand(texts, datetime(2027, 8, 1))]
    assume(len(slots) > 4)
    left_out, moved = slots[2], slots[3]
    texts[0] = texts[0].replace("\nEND", f"\nEXDATE;TZID={zone}:{left_out:%Y%m%dT%H%M%S}\nEND")
    texts.append(
        entry(
            f"RECURRENCE-ID;TZID={zone}:{moved:%Y%m%dT%H%M%S}",
            f"DTSTART;TZID={zone}:{moved.replace(hour=(moved.hour + 2) % 24):%Y%m%dT%H%M%S}",
            "DURATION:PT2H",
        )
    )
    return texts


def walls(texts: list[str], zone: str) -> list[tuple[str, str]]:
    found = expand(texts, datetime(2028, 1, 1))
    shown = [one.begin.astimezone(ZoneInfo(zone)) for one in found]
    return [(f"{at:%Y-%m-%d %H:%M}", str(one.end - one.begin)) for at, one in zip(shown, found, strict=True)]


@tries(60, 2_000)
@given(a_series(), st.sampled_from(ZONES))
def test_the_hour_stays_on_another_clock(texts: list[str], zone: str) -> None:
    own = texts[0].partition("TZID=")[2].partition(":")[0]
    after, why_not = done(OnClock(zone), *texts)
    assert not why_not
    before, kept = ([one for one in walls(*side) if one[0][-5:] not in ODD] for side in ((texts, own), (after, zone)))
    assert sorted(kept) == sorted(before)
    assert [line for line in after[0].split("\n") if line.startswith("X-")] == ["X-KEEP;A=b:me"]


@tries(60, 2_000)
@given(a_series(), st.sampled_from(ZONES))
def test_the_instant_stays_or_it_is_said_why_not(texts: list[str], zone: str) -> None:
    after, why_not = done(OnClock(zone, "instant"), *texts)
    assert walls(after, "UTC") == walls(texts, "UTC")
    if why_not:
        assert "No rule says this" in why_not[0]
        listed, _ = done(OnClock(zone, "instant", otherwise="dates"), *texts)
        assert walls(listed, "UTC") == walls(texts, "UTC")
        assert "RRULE" not in listed[0]
        assert "RDATE" in listed[0]


@tries(60, 2_000)
@given(a_series(), st.sampled_from(ZONES), st.sampled_from(ZONES))
def test_what_was_misread_is_as_far_away_as_the_zones_are_on_that_day(texts: list[str], was: str, meant: str) -> None:
    after, _ = done(Misread(meant, was, otherwise="dates"), *texts)
    wanted = []
    for one in expand(texts, datetime(2028, 1, 1)):
        shown = one.begin.astimezone(ZoneInfo(was))
        wanted.append(instant(shown.replace(tzinfo=ZoneInfo(meant))))
    found = [instant(one.begin) for one in expand(after, datetime(2028, 1, 2))]
    clear = {at for at in wanted if not {f"{at.astimezone(ZoneInfo(z)):%H:%M}" for z in (was, meant)} & ODD}
    assert clear <= set(found)
    assert len(found) == len(wanted)


def test_floating_times_get_a_zone_and_lose_it() -> None:
    text = entry("DTSTART:20261124T090000", "DTEND:20261124T100000")
    [given_one], _ = done(OnClock("Australia/Hobart"), text)
    assert "DTSTART;TZID=Australia/Hobart:20261124T090000" in given_one
    assert "DTEND;TZID=Australia/Hobart:20261124T100000" in given_one
    [back], _ = done(OnClock("", of="Australia/Hobart"), given_one)
    assert "DTSTART:20261124T090000" in back


def test_only_times_of_the_zone_that_was_named_are_touched() -> None:
    text = entry("DTSTART;TZID=Europe/Lisbon:20261124T090000", "DURATION:PT1H")
    [after], why_not = done(OnClock("Australia/Hobart", of="Station"), text)
    assert after == text
    assert why_not == ["in the zone Australia/Hobart, same hour: It is not in that zone."]


@pytest.mark.parametrize(
    ("lines", "days"),
    [
        (("DTSTART:20261123T130000Z", "DTEND:20261124T130000Z"), "DTSTART;VALUE=DATE:20261124"),
        (
            ("DTSTART;TZID=Australia/Hobart:20261124T000000", "DTEND;TZID=Australia/Hobart:20261126T000000"),
            "DTEND;VALUE=DATE:20261126",
        ),
        (
            ("DTSTART:20261123T130000Z", "DURATION:PT24H", "RRULE:FREQ=WEEKLY;COUNT=9", "EXDATE:20261130T130000Z"),
            "EXDATE;VALUE=DATE:20261201",
        ),
    ],
    ids=["a day told in UTC", "two days on their clock", "a series"],
)
def test_days_that_became_hours_are_days_again(lines: tuple[str, ...], days: str) -> None:
    [after], why_not = done(DaysAgain("Australia/Hobart"), entry(*lines))
    assert not why_not
    assert days in after.split("\n")


def test_hours_that_were_no_days_stay() -> None:
    text = entry("DTSTART:20261123T120000Z", "DTEND:20261124T120000Z")
    [after], why_not = done(DaysAgain("Australia/Hobart"), text)
    assert after == text
    assert "does not go from midnight to midnight" in why_not[0]


def test_an_end_of_the_rule_and_days_that_cross_midnight_move_along() -> None:
    text = entry(
        "DTSTART;TZID=Australia/Hobart:20261102T003000",
        "DURATION:PT1H",
        "RRULE:FREQ=WEEKLY;BYDAY=MO;UNTIL=20261122T133000Z",
    )
    [after], why_not = done(OnClock("Asia/Kolkata", "instant", otherwise="leave"), text)
    assert not why_not
    assert "RRULE:FREQ=WEEKLY;BYDAY=SU;UNTIL=20261122T133000Z" in after.split("\n")
    begins = [one.begin.astimezone(UTC) for one in expand([after])]
    assert begins == [one.begin.astimezone(UTC) for one in expand([text])]


@pytest.mark.parametrize(
    ("tzid", "becomes"),
    [
        ("US/Eastern", "US/Eastern"),  # an older name of the zone database
        ("Eastern Standard Time", "America/New_York"),
        ("Europe/Oslo", "Europe/Oslo"),
        ("Pier clock", "America/Halifax"),  # as it is defined
        ("Europe/Berlin (shifted)", "Europe/Berlin (shifted)"),  # its definition is no zone's
        ("Nobody/Knows", "Nobody/Knows"),
    ],
)
def test_a_zone_is_called_as_in_the_zone_database_only_where_nothing_moves_by_that(tzid: str, becomes: str) -> None:
    shifted = define("Europe/Berlin (shifted)", "Europe/Berlin", 2025, 2028).replace(
        "TZOFFSETTO:+0200", "TZOFFSETTO:+0230"
    )
    zones = Zones(
        [("Pier clock", define("Pier clock", "America/Halifax", 2025, 2028)), ("Europe/Berlin (shifted)", shifted)]
    )
    entry = f"BEGIN:VEVENT\nUID:1\nDTSTART;TZID={tzid}:20260702T090000\nX-ODD;TZID={tzid}:1\nEND:VEVENT"
    [outcome] = change(Subject([SubjectMember(1, entry)], zones), [ZoneNames()])
    assert outcome.text == entry.replace(f"DTSTART;TZID={tzid}", f"DTSTART;TZID={becomes}")
    assert not outcome.why_not
