"""What verifying says differs is what was tampered with, and nothing else; however the target writes it down."""

from __future__ import annotations

import random
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.crossing.verification import EntryDifference, Expected, Span, Unit, verify
from datebridge.core.zones.definition import define
from datebridge.core.zones.meaning import Zones
from tests.conftest import event
from tests.depth import tries

SPAN = Span(int(datetime(2026, 1, 1, tzinfo=UTC).timestamp()), int(datetime(2029, 1, 1, tzinfo=UTC).timestamp()))
NOON = "TZID=Europe/Oslo:20261201T120000"
WEEKLY = event("w", "Round", NOON, "DURATION:PT1H", "RRULE:FREQ=WEEKLY;COUNT=5", "LOCATION:Pier", "CATEGORIES:Lab,Tide")
LATER = event("w", "Round, later", "TZID=Europe/Oslo:20261208T140000", "RECURRENCE-ID;TZID=Europe/Oslo:20261208T120000")


def found(here: list[str], there: list[str], zones: Zones | None = None) -> list[EntryDifference[int]]:
    expected = [Expected(number, text, text) for number, text in enumerate(here, 1)]
    unit = Unit(expected, [(number, text) for number, text in enumerate(there, 101)], zones or Zones(), Zones())
    return verify(unit, SPAN)


def rewritten(text: str, rng: random.Random) -> str:
    """The same as a server may write it: another UID, other stamps, its lines in another order."""
    first, *lines, last = text.split("\n")
    lines = [line for line in lines if not line.startswith(("UID", "DTSTAMP"))]
    lines += ["UID:kept@halyard.example", "DTSTAMP:20261130T000000Z", "SEQUENCE:7", "LAST-MODIFIED:20261130T000000Z"]
    rng.shuffle(lines)
    return "\n".join([first, *lines, last]).replace("CATEGORIES:Lab,Tide", "CATEGORIES:Tide\nCATEGORIES:Lab")


TAMPERED = [
    ("LOCATION:Pier", "LOCATION:Quay", "place"),
    ("LOCATION:Pier\n", "", "place"),
    ("SUMMARY:Round", "SUMMARY:Rounds", "title"),
    ("CATEGORIES:Lab,Tide", "CATEGORIES:Lab", "categories"),
    ("T120000", "T130000", "time"),
    ("COUNT=5", "COUNT=4", "time"),
    ("DURATION:PT1H", "DURATION:PT2H", "length"),
    ("END:VEVENT", "X-BERTH:7\nEND:VEVENT", "X-BERTH"),
]


@tries(60, 2_000)
@given(st.sampled_from(TAMPERED), st.booleans(), st.integers(0, 10**6))
def test_what_is_tampered_with_is_told_and_nothing_else(
    tampered: tuple[str, str, str], tampers: bool, seed: int
) -> None:
    rng = random.Random(seed)  # noqa: S311
    before, after, field = tampered
    there = WEEKLY.replace(before, after) if tampers else WEEKLY
    differences = found([WEEKLY], [rewritten(there, rng)])
    assert [one.fields for one in differences] == ([(field,)] if tampers else [])


def test_the_same_times_written_otherwise_are_no_difference() -> None:
    in_utc = WEEKLY.replace("DTSTART;TZID=Europe/Oslo:20261201T120000", "DTSTART:20261201T110000Z")
    listed = WEEKLY.replace(
        "RRULE:FREQ=WEEKLY;COUNT=5",
        "RDATE;TZID=Europe/Oslo:" + ",".join(f"202612{day}T120000" for day in ("08", "15", "22", "29")),
    )
    until = WEEKLY.replace("COUNT=5", "UNTIL=20261229T110000Z")
    assert found([WEEKLY], [in_utc]) == found([WEEKLY], [listed]) == found([WEEKLY], [until]) == []


def test_a_name_that_is_defined_otherwise_is_compared_by_what_it_means() -> None:
    text = WEEKLY.replace("Europe/Oslo", "Station time")
    zones = Zones([("Station time", define("Station time", "Europe/Oslo", 2026, 2030))])
    other = Zones([("Station time", define("Station time", "Atlantic/Reykjavik", 2026, 2030))])
    same = Unit([Expected(1, text, text)], [(2, WEEKLY)], zones, Zones())
    assert verify(same, SPAN) == []
    [difference] = verify(Unit([Expected(1, text, text)], [(2, text)], zones, other), SPAN)
    assert (difference.fields, difference.occurrences, difference.moved_by) == (("time",), 5, 3_600)


@pytest.mark.parametrize(
    ("here", "there", "verdicts"),
    [
        ([WEEKLY, LATER], [WEEKLY], {"missing", "changed", "extra"}),
        ([WEEKLY], [WEEKLY, LATER], {"extra", "changed", "missing"}),
        ([WEEKLY], [], {"missing"}),
        ([], [WEEKLY], {"extra"}),
        ([WEEKLY], [WEEKLY, WEEKLY], {"extra"}),
    ],
)
def test_what_is_only_at_one_end_is_told(here: list[str], there: list[str], verdicts: set[str]) -> None:
    differences = found(here, there)
    assert differences
    assert {one.verdict for one in differences} <= verdicts


def test_a_changed_occurrence_out_of_the_span_is_missed_too() -> None:
    far = event("w", "Far", "TZID=Europe/Oslo:20400103T120000", "RECURRENCE-ID;TZID=Europe/Oslo:20400103T110000")
    endless = WEEKLY.replace(";COUNT=5", "")
    assert [one.verdict for one in found([endless, far], [endless])] == ["missing"]


def test_what_was_left_behind_is_not_missed() -> None:
    unit = Unit([Expected(1, WEEKLY, None, ("plan: private",))], [(2, WEEKLY)])
    assert [one.verdict for one in verify(unit, SPAN)] == ["extra"]
    assert verify(Unit([Expected(1, WEEKLY, None)], []), SPAN) == []
