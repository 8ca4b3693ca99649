"""What an entry's text says."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.api import present
from datebridge.core.checks import examine
from datebridge.core.index.derive import digest_of
from datebridge.core.index.facts import Mark
from datebridge.core.index.summary import Summary
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.pattern import happens
from datebridge.core.views.sheet import Row, write_sheet
from datebridge.store.entries.ledger import EntryRow
from datebridge.store.entries.rows import INDEX_COLUMNS, index_row
from tests.conftest import event
from tests.depth import tries


def facts(*lines: str, component: str = "VEVENT"):  # type: ignore[no-untyped-def]
    return examine(
        component, "\n".join([f"BEGIN:{component}", "UID:1", "DTSTAMP:20261101T000000Z", *lines, f"END:{component}"])
    )


@pytest.mark.parametrize(
    ("lines", "code"),
    [
        (["DTSTART:20260230T090000Z"], "bad-date"),
        (["DTSTART:20261124T080000Z", "DTEND:20261123T080000Z"], "end-before-start"),
        (["DTSTART:20261124T080000Z", "DTEND:20261124T090000Z", "DURATION:PT1H"], "duration-and-end"),
        (["DTSTART:20261124T080000Z", "DURATION:1 hour"], "bad-duration"),
        (["DTSTART:20261124T080000Z", "RRULE:FREQ=FORTNIGHTLY"], "bad-rule"),
        (["DTSTART;TZID=Harbour clock:20261124T080000"], "unresolved-zone"),
        (["DTSTART:20261124T080000Z", "this line lost its place"], "not-a-content-line"),
        (["DTSTART:20261124T080000Z", 'ORGANIZER;CN="open:mailto:x@skerrow.example'], "bad-parameter"),
        (["DTSTART:20261124T080000Z", "DUE:20261124T080000Z"], "misplaced-property"),
        (["DTSTART:20261124T080000Z", "SUMMARY:a", "SUMMARY:b"], "repeated-property"),
        (["SUMMARY:when?"], "no-start"),
    ],
)
def test_each_defect_is_named_and_the_entry_is_still_read(lines: list[str], code: str) -> None:
    found = facts(*lines)
    assert [p.code for p in found.problems] == [code]
    assert found.uid == "1"
    assert found.marks & Mark.PROBLEM


def test_an_entry_without_uid_says_so() -> None:
    assert [p.code for p in examine("VEVENT", "BEGIN:VEVENT\nDTSTAMP:20261101T000000Z\nEND:VEVENT").problems] == [
        "no-start",
        "no-uid",
    ]


def test_the_problem_names_the_line_of_the_entry() -> None:
    found = facts("DTSTART:20261124T080000Z", "RRULE:nonsense")
    assert found.problems[0].line == 4


@pytest.mark.parametrize(
    ("lines", "seconds"),
    [
        (["DTSTART;VALUE=DATE:20261124"], 86400),
        (["DTSTART;VALUE=DATE:20261124", "DTEND;VALUE=DATE:20261127"], 3 * 86400),
        (["DTSTART:20261124T080000Z"], 0),
        (["DTSTART:20261124T080000Z", "DURATION:P1DT2H"], 26 * 3600),
        (["DTSTART;TZID=Australia/Hobart:20261124T100000", "DTEND;TZID=America/Halifax:20261123T200000"], 3600),
    ],
)
def test_the_length_follows_the_standard(lines: list[str], seconds: int) -> None:
    found = facts(*lines)
    assert found.end_wall - found.start_wall == seconds


def test_marks_tell_what_an_entry_has() -> None:
    found = facts(
        "DTSTART:20261124T080000",
        "CLASS:PRIVATE",
        "ATTACH:https://x.example/a",
        "ATTENDEE:mailto:a@x.example",
        "ORGANIZER:mailto:b@x.example",
        "X-SHIFT:NIGHT",
        "RRULE:FREQ=DAILY",
        "BEGIN:VALARM",
        "ACTION:AUDIO",
        "TRIGGER:-PT5M",
        "END:VALARM",
    )
    wanted = (
        Mark.ALARM
        | Mark.ATTENDEES
        | Mark.ATTACHMENT
        | Mark.PRIVATE
        | Mark.UNKNOWN
        | Mark.SERIES
        | Mark.FLOATING
        | Mark.ENDLESS
        | Mark.UNANSWERED
    )
    assert found.marks == wanted


def test_an_override_is_known_by_the_instant_it_stands_for() -> None:
    here = facts("DTSTART:20261124T080000Z", "RECURRENCE-ID;TZID=Australia/Hobart:20261124T190000")
    there = facts("DTSTART:20261124T080000Z", "RECURRENCE-ID:20261124T080000Z")
    assert here.recurrence_id == there.recurrence_id == "20261124T080000Z"


def test_equal_but_for_the_stamp_is_the_same() -> None:
    assert digest_of(event("1", "a", "20261124T080000Z", "DTSTAMP:20260101T000000Z")) == digest_of(
        event("1", "a", "20261124T080000Z", "DTSTAMP:20270101T000000Z")
    )
    assert digest_of(event("1", "a")) != digest_of(event("1", "b"))


@tries(60, 2_000)
@given(st.lists(st.text(max_size=60), max_size=12))
def test_no_text_makes_reading_it_fail(lines: list[str]) -> None:
    text = "\n".join(["BEGIN:VEVENT", *(line.replace("\n", " ") for line in lines), "END:VEVENT"])
    assert examine("VEVENT", text).component == "VEVENT"


@tries(60, 2_000)
@given(
    st.sampled_from(["DTSTART", "DTEND", "DURATION", "RRULE", "RDATE", "EXDATE", "RECURRENCE-ID", "SEQUENCE"]),
    st.text(max_size=30),
)
def test_no_value_makes_reading_it_fail(name: str, value: str) -> None:
    flat = value.replace("\n", " ")
    examine("VEVENT", f"BEGIN:VEVENT\nDTSTART:20261124T080000Z\n{name}:{flat}\nEND:VEVENT")


EDGES = st.sampled_from(
    ["00010101T000000", "00010101", "99991231T235959", "99991231", "99991231T235959Z", "20261124T080000"]
)
ZONES = st.sampled_from(["", ";TZID=Australia/Hobart", ";TZID=America/Halifax"])


@tries(60, 2_000)
@given(
    EDGES,
    EDGES,
    ZONES,
    st.sampled_from(["DURATION:P9999999W", "DURATION:P1D", "X:1"]),
    st.sampled_from(["DAILY", "YEARLY"]),
)
def test_the_first_and_the_last_day_there_is_can_be_indexed_shown_and_handed_on(
    start: str, other: str, zone: str, length: str, freq: str
) -> None:
    if start.endswith("Z") or len(start) == 8:
        zone = ""
    lines = [
        f"DTSTART{zone}:{start}",
        f"RRULE:FREQ={freq};UNTIL={other}",
        length,
        f"EXDATE:{other}",
        f"RDATE;TZID=America/Halifax:{other}",
    ]
    found = facts(*lines, f"RECURRENCE-ID;TZID=Australia/Hobart:{other}")
    row = dict(zip(INDEX_COLUMNS, index_row(found), strict=True))
    summary = Summary()
    summary.add(found)
    assert summary.as_dict()["events"] == 1
    shown = {name: row.get(name, 1) for name in EntryRow._fields}
    assert present.entry(EntryRow(**shown)).when
    happens(found.recurrence, row["start_wall"], 0, 86400)
    assert b"".join(write_sheet([Row("c", "VEVENT", event("1", "x", start, *lines[1:]))], "Pacific/Kiritimati"))


def test_until_the_end_of_time_is_for_ever() -> None:
    found = facts("DTSTART:20200106T090000Z", "RRULE:FREQ=WEEKLY;UNTIL=99991231T235959Z")
    monday = wall_seconds_of(date(2026, 11, 23))
    assert found.start_wall is not None
    assert happens(found.recurrence, found.start_wall, monday, monday + 86400)
    assert not happens(found.recurrence, found.start_wall, monday + 86400, monday + 2 * 86400)
