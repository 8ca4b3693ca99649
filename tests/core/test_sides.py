"""Two states of an entry, silencing, headers, objects: small pure pieces of following a server."""

from __future__ import annotations

from datetime import date

import icalendar
import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.invitations import silenced, told
from datebridge.core.merge import STAMPS, combined, differing, fields
from datebridge.core.objects import assemble, take_apart
from datebridge.core.text.headers import Description, described, description_of
from datebridge.core.text.writer import new_header
from datebridge.core.views.coming import coming
from tests.conftest import event

NAMES = st.sampled_from(["SUMMARY", "LOCATION", "DESCRIPTION", "X-KEEP", "CATEGORIES"])
LINES = st.dictionaries(NAMES, st.lists(st.sampled_from(["a", "b", "c;d", "e:f"]), min_size=1, max_size=2))
ALARM = ["BEGIN:VALARM", "TRIGGER:-PT5M", "END:VALARM"]


@st.composite
def entries(draw: st.DrawFn) -> str:
    found = draw(LINES)
    lines = [f"{name}:{value}" for name, values in found.items() for value in values]
    return "\n".join(["BEGIN:VEVENT", "UID:1", *lines, *draw(st.sampled_from([[], ALARM, ALARM * 2])), "END:VEVENT"])


@given(entries(), entries())
def test_taking_every_field_of_one_side_makes_that_side(mine: str, theirs: str) -> None:
    names = {field.name for field in differing(mine, theirs)}
    assert fields(combined(mine, theirs, names)) == fields(mine) or differing(combined(mine, theirs, names), mine) == []
    assert differing(combined(mine, theirs, set()), theirs) == []


@given(entries(), entries(), st.sets(NAMES))
def test_a_merge_has_each_field_whole_from_one_side_or_the_other(mine: str, theirs: str, take: set[str]) -> None:
    made, left, right = fields(combined(mine, theirs, take)), fields(mine), fields(theirs)
    for name in {*left, *right} - STAMPS:
        assert made.get(name, []) == (left if name in take else right).get(name, [])


def test_stamps_alone_are_no_difference() -> None:
    one = event("a", "Tide", "20261124T080000Z", "DTSTAMP:20260101T000000Z")
    assert differing(one, one.replace("DTSTAMP:2026", "DTSTAMP:2025")) == []


def test_silencing_touches_people_and_nothing_else() -> None:
    text = event(
        "a", "Meeting", "20261124T080000Z", "ORGANIZER;CN=Me:mailto:me@skerrow.example", "X-ODD;A=b:c",
        'ATTENDEE;SCHEDULE-AGENT=SERVER;CN="Moe, Ida":mailto:ida@skerrow.example',
    )  # fmt: skip
    quiet = silenced(text)
    before, after = text.split("\n"), quiet.split("\n")
    assert [a for a, b in zip(after, before, strict=True) if a != b] == [
        "ORGANIZER;SCHEDULE-AGENT=NONE;CN=Me:mailto:me@skerrow.example",
        'ATTENDEE;SCHEDULE-AGENT=NONE;CN="Moe, Ida":mailto:ida@skerrow.example',
    ]
    assert silenced(quiet) == quiet
    assert (told(text, ["me@skerrow.example"]), told(quiet, ["me@skerrow.example"])) == (1, 0)
    assert silenced(event("b")) == event("b")


TEXT = st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs", "Zl", "Zp"]), max_size=30).map(str.strip)


@given(
    TEXT.filter(bool), st.sampled_from(["", "#16684a", "teal"]), st.sampled_from(["", "UTC", "Australia/Hobart"]), TEXT
)
def test_a_header_says_what_it_was_told_to_say(name: str, tint: str, zone: str, text: str) -> None:
    wanted = Description(name, tint, zone, text)
    header = described("BEGIN:VCALENDAR\nX-KEEP:me\nX-WR-CALNAME:Old\nCOLOR:red\nEND:VCALENDAR", wanted)
    assert description_of(header) == wanted
    assert described(header, wanted) == header
    assert "X-KEEP:me" in header


def test_a_fresh_header_can_be_described() -> None:
    assert description_of(described("", Description("Tides"))) == description_of(new_header("Tides"))


def test_an_object_holds_its_entries_and_the_zones_they_need() -> None:
    text = event("a", "Tide", "TZID=Australia/Hobart:20261124T080000")
    data = assemble([text], [("Mars/Base", "BEGIN:VTIMEZONE\nTZID:Mars/Base\nEND:VTIMEZONE")])
    found = take_apart(data)
    assert [entry for _, entry in found.entries] == [text]
    assert [facts.uid for facts, _ in found.zones] == ["Australia/Hobart"]
    assert len(icalendar.Calendar.from_ical(data).walk("VEVENT")) == 1


def test_objects_that_are_none_are_taken_apart_all_the_same() -> None:
    assert take_apart(b"\xff\xfe nothing").entries == ()
    assert take_apart(b"").uid == ""


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
