"""Edits that change what was asked and nothing else: each case was seen to change more."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.editing.fields import CannotEdit, Fields, Person, read_fields
from datebridge.core.editing.groups import Group, SeriesMember, fields_at
from datebridge.core.editing.series import edit, remove
from datebridge.core.editing.writing import new_event, rewritten, written_rule
from datebridge.core.index.derive import derive
from datebridge.core.moments import Moment, parse_moment
from datebridge.core.occurrences.expanding import timed
from datebridge.core.occurrences.series import Series
from datebridge.core.text.writer import write_calendar
from datebridge.core.zones.defined import define
from datebridge.core.zones.meaning import Zones
from tests.core.editing.series_model import expand
from tests.depth import tries

STAMP = "20261125T120000Z"
ZONE = "America/Halifax"


def event(*lines: str, kind: str = "VEVENT") -> str:
    return "\n".join([f"BEGIN:{kind}", "UID:a", "DTSTAMP:20260101T000000Z", *lines, "SUMMARY:x", f"END:{kind}"])


def at(text: str, name: str) -> list[str]:
    return [line for line in text.split("\n") if line.startswith(name)]


def slot(text: str) -> int:
    return parse_moment(text).wall_seconds


def changed(text: str, at: int | None, scope: str, **fields: object) -> list[str]:
    group = Group([SeriesMember(1, text)], ZONE)
    plan = edit(group, 1, at, scope, replace(fields_at(text, at), **fields), STAMP, "b")  # type: ignore[arg-type]
    kept = [] if any(one.id == 1 for one in plan.edits) else [text]
    return kept + [one.text for one in plan.edits if one.text]


def starts(*texts: str) -> list[str]:
    return [f"{one.begin:%m-%dT%H:%M}" for one in expand(list(texts))]


def test_ending_a_counted_series_at_an_extra_date_adds_nothing() -> None:
    text = event("DTSTART:20260301T090000", "RRULE:FREQ=DAILY;COUNT=3", "RDATE:20260320T090000")
    (left,) = [
        e.text
        for e in remove(Group([SeriesMember(1, text)]), 1, slot("20260320T090000"), "following", STAMP).edits
        if e.text
    ]
    assert starts(left) == ["03-01T09:00", "03-02T09:00", "03-03T09:00"]
    assert "COUNT=3" in left


def test_a_rule_that_is_over_is_not_begun_again_by_a_split() -> None:
    text = event("DTSTART:20260302T090000", "RRULE:FREQ=WEEKLY;COUNT=9", "RRULE:FREQ=DAILY;UNTIL=20260304T090000")
    split = changed(text, slot("20260316T090000"), "following", title="y")
    assert starts(*split) == starts(text)


@pytest.mark.parametrize("end", [f"DTEND;TZID={ZONE}:20260305T060000", "DURATION:PT8H"])
@pytest.mark.parametrize("scope", ["one", "following"])
def test_a_title_edited_on_the_night_the_clocks_change_leaves_its_hours(end: str, scope: str) -> None:
    text = event(f"DTSTART;TZID={ZONE}:20260304T220000", end, "RRULE:FREQ=DAILY;COUNT=9")
    edited = changed(text, slot("20260307T220000"), scope, title="y")
    assert [one[:2] for one in expand(edited)] == [one[:2] for one in expand([text])]


def test_splitting_at_an_extra_date_leaves_the_rest_where_it_is() -> None:
    text = event("DTSTART:20260302T090000", "DURATION:PT1H", "RRULE:FREQ=WEEKLY", "RDATE:20260318T140000")
    split = changed(text, slot("20260318T140000"), "following", title="y")
    assert starts(*split)[:6] == [
        "03-02T09:00",
        "03-09T09:00",
        "03-16T09:00",
        "03-18T14:00",
        "03-23T09:00",
        "03-30T09:00",
    ]


def test_an_extra_date_with_a_length_of_its_own_keeps_it() -> None:
    text = event(
        "DTSTART:20260302T090000",
        "DURATION:PT1H",
        "RRULE:FREQ=WEEKLY;COUNT=3",
        "RDATE;VALUE=PERIOD:20260318T140000/PT3H",
    )
    edited = changed(text, slot("20260318T140000"), "one", title="y")
    assert [one[:2] for one in expand(edited)] == [one[:2] for one in expand([text])]


@pytest.mark.parametrize(
    "lines",
    [
        ["RRULE:FREQ=DAILY;BYHOUR=9,15;COUNT=8"],
        ["RRULE:FREQ=MONTHLY;BYMONTHDAY=2,9,-3;COUNT=8"],
        ["RRULE:FREQ=YEARLY;BYYEARDAY=61,200;COUNT=5"],
        ["RRULE:FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,SU;COUNT=9"],
        ["RRULE:FREQ=MONTHLY;BYDAY=1MO;COUNT=7"],
        ["RRULE:FREQ=WEEKLY;COUNT=5", "EXDATE:20260309T090017"],
        ["RRULE:FREQ=DAILY;BYHOUR=9,15;COUNT=8", "EXDATE;VALUE=DATE:20260303"],
        ["RRULE:FREQ=WEEKLY;COUNT=3", "RDATE;VALUE=PERIOD:20260318T140000/20260318T170000"],
    ],
)
@pytest.mark.parametrize("hours", [1, 24])
def test_all_of_a_series_moves_or_it_is_said_that_it_cannot(lines: list[str], hours: int) -> None:
    from datetime import timedelta

    text = event("DTSTART:20260302T090017" if "17" in lines[-1][-2:] else "DTSTART:20260302T090000", *lines)
    start = derive("VEVENT", text).start_wall
    assert start is not None
    shown = fields_at(text, start)
    begin = Moment(
        parse_moment(shown.start.replace("-", "").replace(":", "").ljust(15, "0")).wall + timedelta(hours=hours)
    ).wall
    edited = changed(text, start, "all", start=begin.isoformat(), end=begin.isoformat())
    moved = [(one.begin + timedelta(hours=hours), one.end + timedelta(hours=hours)) for one in expand([text])]
    assert [one[:2] for one in expand(edited)] == moved


def test_what_no_rule_says_is_refused_in_words_and_can_be_listed() -> None:
    text = event("DTSTART:20260331T090000", "RRULE:FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=4")
    first = slot("20260331T090000")
    after = replace(fields_at(text, first), start="2026-04-01T09:00", end="2026-04-01T09:00")
    with pytest.raises(
        CannotEdit, match=r"last working day, 4 times, and no such rule .* Write it as 4 dates"
    ) as refused:
        edit(Group([SeriesMember(1, text)]), 1, first, "all", after, STAMP, "b")
    assert refused.value.dates == 4
    plan = edit(Group([SeriesMember(1, text)]), 1, first, "all", after, STAMP, "b", listed=True)
    assert starts(plan.edits[0].text or "") == ["04-01T09:00", "05-01T09:00", "05-30T09:00", "07-01T09:00"]
    assert plan.notes == ["No rule can express this, so the series becomes 4 dates, one by one."]


def test_a_series_without_end_is_never_listed() -> None:
    text = event("DTSTART:20260331T090000", "RRULE:FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1")
    first = slot("20260331T090000")
    after = replace(fields_at(text, first), start="2026-04-01T09:00", end="2026-04-01T09:00")
    with pytest.raises(CannotEdit, match="Change this one alone, or give the series another rule") as refused:
        edit(Group([SeriesMember(1, text)]), 1, first, "all", after, STAMP, "b", listed=True)
    assert refused.value.dates == 0


def test_another_zone_or_whole_days_keep_the_last_occurrence() -> None:
    text = event(f"DTSTART;TZID={ZONE}:20260302T210000", "DURATION:PT1H", "RRULE:FREQ=DAILY;UNTIL=20260307T010000Z")
    assert len(starts(text)) == 5
    assert len(starts(*changed(text, slot("20260302T210000"), "all", zone="America/Vancouver"))) == 5
    whole = changed(text, slot("20260302T210000"), "all", whole=True, zone="", start="2026-03-02", end="2026-03-02")
    assert starts(*whole) == [f"03-0{day}T00:00" for day in range(2, 7)]
    assert len(starts(*changed(text, slot("20260302T210000"), "all", zone=""))) == 5


def test_a_todo_that_is_only_due_gets_no_start() -> None:
    timed_due = event(f"DUE;TZID={ZONE}:20260302T090000", kind="VTODO")
    moved = rewritten(
        timed_due, replace(read_fields(timed_due), start="2026-03-03T10:00", end="2026-03-03T10:00"), STAMP
    )
    assert (at(moved, "DTSTART"), at(moved, "DUE")) == ([], [f"DUE;TZID={ZONE}:20260303T100000"])
    whole = event("DUE;VALUE=DATE:20260302", kind="VTODO")
    moved = rewritten(whole, replace(read_fields(whole), start="2026-03-03", end="2026-03-03"), STAMP)
    assert (at(moved, "DTSTART"), at(moved, "DUE")) == ([], ["DUE;VALUE=DATE:20260303"])


@pytest.mark.parametrize("start", ["DTSTART:20260302T090000", "DTSTART;VALUE=DATE:20260302"])
def test_what_says_no_end_is_moved_without_one(start: str) -> None:
    text = event(start)
    fields = read_fields(text)
    later = {name: getattr(fields, name).replace("03-02", "03-05") for name in ("start", "end")}
    assert at(rewritten(text, replace(fields, **later), STAMP), "DTEND") == []
    timed_event = event("DTSTART:20260302T090000", "DTEND:20260302T100000")
    assert at(rewritten(timed_event, replace(read_fields(timed_event), end="2026-03-02T09:00"), STAMP), "DTEND") == []


def test_an_end_in_another_zone_stays_in_it() -> None:
    text = event(
        "DTSTART;TZID=America/Halifax:20260115T200000", "DTEND;X-GATE=7;TZID=Atlantic/Reykjavik:20260116T060000"
    )
    moved = rewritten(text, replace(read_fields(text), start="2026-01-15T21:00", end="2026-01-16T03:00"), STAMP)
    assert at(moved, "DTEND") == ["DTEND;X-GATE=7;TZID=Atlantic/Reykjavik:20260116T070000"]
    earlier = rewritten(text, replace(read_fields(text), start="2026-01-15T19:00"), STAMP)
    assert at(earlier, "DTEND") == ["DTEND;X-GATE=7;TZID=Atlantic/Reykjavik:20260116T060000"]


def test_parameters_without_a_value_stay() -> None:
    text = event("DTSTART;ODD;TZID=America/Halifax:20260302T090000", "LOCATION;LONELY;LANGUAGE=en:Berth 3")
    moved = rewritten(
        text, replace(read_fields(text), start="2026-03-03T09:00", end="2026-03-03T09:00", place="Berth 4"), STAMP
    )
    assert at(moved, "DTSTART") == ["DTSTART;ODD;TZID=America/Halifax:20260303T090000"]
    assert at(moved, "LOCATION") == ["LOCATION;LONELY;LANGUAGE=en:Berth 4"]


def test_the_formatted_twin_of_the_notes_goes_and_that_is_said() -> None:
    text = event("DTSTART:20260302T090000", "DESCRIPTION:old", "X-ALT-DESC;FMTTYPE=text/html:<p>old</p>")
    plan = edit(Group([SeriesMember(1, text)]), 1, None, "one", replace(read_fields(text), notes="new"), STAMP, "b")
    assert at(plan.edits[0].text or "", "X-ALT-DESC") == []
    assert plan.notes == ["The formatted copy of the notes would be out of date; it is removed."]


@tries(60, 2_000)
@given(
    st.text(max_size=12),
    st.sampled_from(["\r", "\n", "\r\n"]),
    st.sampled_from(["title", "place", "notes", "link", "conference", "categories"]),
)
def test_nothing_a_person_types_makes_a_line(before: str, stroke: str, name: str) -> None:
    typed = f"{before}{stroke}ATTENDEE:mailto:spy@x.example"
    fields = Fields(title="t", start="2026-03-02T09:00", end="2026-03-02T10:00")
    made = new_event("u", replace(fields, **{name: [typed] if name == "categories" else typed}), STAMP)
    assert not any(line.startswith("ATTENDEE") for line in made.replace("\r", "\n").split("\n"))
    assert b"\r" not in b"".join(write_calendar("BEGIN:VCALENDAR\nEND:VCALENDAR", [], [made])).replace(b"\r\n", b"")


def test_no_address_role_or_rule_makes_a_line() -> None:
    fields = Fields(title="t", start="2026-03-02T09:00", end="2026-03-02T10:00")
    for person in (Person("a\nX-EVIL:1", "a@x.example", "", "CHAIR\r\nX-EVIL:1"), Person("", "a@x.example\nX-EVIL:1")):
        try:
            made = new_event("u", replace(fields, attendees=[person]), STAMP)
        except CannotEdit:
            continue
        assert not any(line.startswith("X-EVIL") for line in made.replace("\r", "\n").split("\n"))
    with pytest.raises(CannotEdit, match="is not a part of a rule"):
        written_rule("FREQ=DAILY;X-A=1\nX-EVIL:1", parse_moment("20260302T090000"))


def test_an_edit_in_a_zone_the_calendar_defines_writes_until_in_utc() -> None:
    zones = Zones([("Station", define("Station", ZONE, 2020, 2030))])
    text = event("DTSTART;TZID=Station:20260302T210000", "DURATION:PT1H", "RRULE:FREQ=DAILY;UNTIL=20260307T010000Z")
    group = Group([SeriesMember(1, text)], zones.clock("Station"), zones)
    plan = edit(
        group,
        1,
        slot("20260304T210000"),
        "following",
        replace(fields_at(text, slot("20260304T210000"), zones), title="y"),
        STAMP,
        "b",
    )
    assert [at(one.text or "", "RRULE") for one in plan.edits] == [
        ["RRULE:FREQ=DAILY;UNTIL=20260304T010000Z"],
        ["RRULE:FREQ=DAILY;UNTIL=20260307T010000Z"],
    ]
    entries = [t for k, one in enumerate(plan.edits) if one.text and (t := timed(derive("VEVENT", one.text, zones), k))]
    assert sum(len(Series([one], "UTC", lambda _, tzid: zones.clock(tzid)).between(0, 1 << 32)) for one in entries) == 5


def test_a_rule_that_does_not_fit_the_new_start_ends_at_a_day_and_not_after_a_count() -> None:
    text = event("DTSTART:20260302T090000", "RRULE:FREQ=WEEKLY;COUNT=9", "RRULE:FREQ=WEEKLY;BYDAY=TH;COUNT=6")
    _, late = changed(text, slot("20260316T090000"), "following", title="Anew")
    assert at(late, "RRULE") == ["RRULE:FREQ=WEEKLY;COUNT=7", "RRULE:FREQ=WEEKLY;BYDAY=TH;UNTIL=20260402T090000"]
    assert at(late, "DTSTART") == ["DTSTART:20260316T090000"]


def test_years_before_a_thousand_keep_four_digits() -> None:
    text = event("DTSTART:09990302T090000", "RRULE:FREQ=YEARLY;COUNT=2")
    moved = changed(text, slot("09990302T090000"), "all", start="0999-03-03T09:00", end="0999-03-03T09:00")[0]
    assert at(moved, "DTSTART") == ["DTSTART:09990303T090000"]
    assert derive("VEVENT", moved).recurrence_id == ""
    assert parse_moment("09990302T090000").key() == "09990302T090000"
