"""jCal: nothing lost on the way there and back, and what it cannot say is refused."""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path

import icalendar
import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.text.jcal import CannotSay, NotJcal, from_jcal, to_jcal
from datebridge.core.text.lines import escape_text, format_param
from datebridge.demo.samples import sample_calendars
from datebridge.services.exports.convert import CannotConvert, convert
from tests.core.test_hostile import calendar, event
from tests.depth import tries

NAMES = st.from_regex(r"X-[A-Z]{1,8}", fullmatch=True)
TEXT = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=30)
LINES = st.one_of(
    TEXT.map(lambda t: f"SUMMARY:{escape_text(t)}"),
    st.lists(TEXT.filter(bool), min_size=1, max_size=3).map(lambda ts: "CATEGORIES:" + ",".join(map(escape_text, ts))),
    st.tuples(NAMES, TEXT).map(lambda p: f"{p[0]}:{p[1]}"),
    st.tuples(NAMES, TEXT).map(lambda p: f"ATTENDEE;CN={format_param(p[1])};{p[0]}=1:mailto:a@x.example"),
    st.sampled_from(
        [
            "DTSTART;TZID=Nowhere at all:20261124T090000",
            "DTSTART;VALUE=DATE:20261124",
            "DTEND:20261124T090000Z",
            "DURATION:PT1H30M",
            "RRULE:FREQ=MONTHLY;COUNT=3;BYDAY=1MO,-1FR;BYMONTHDAY=-1",
            "RRULE:FREQ=DAILY;UNTIL=20261201",
            "REQUEST-STATUS:2.8;Success\\; repeating event ignored;RRULE:FREQ=WEEKLY",
            "GEO:44.5;-63",
            "SEQUENCE:4",
            "EXDATE;VALUE=DATE:20261124,20261125",
            "RDATE;VALUE=PERIOD:20261124T090000Z/PT1H,20261125T090000Z/20261125T100000Z",
            "TRIGGER:-PT15M",
            "ATTACH;FMTTYPE=text/plain;ENCODING=BASE64;VALUE=BINARY:aGVsbG8=",
            "X-N;VALUE=INTEGER:3",
            "DTSTART:not a date",
            "RRULE:nonsense",
            "SEQUENCE:many",
            "STYLED-DESCRIPTION;VALUE=TEXT:<p>a\\, b</p>",
        ]
    ),
)


@tries(60, 2_000)
@given(st.lists(LINES, max_size=8))
def test_there_and_back_every_line_is_what_it_was(lines: list[str]) -> None:
    text = "\n".join(["BEGIN:VEVENT", *lines, "BEGIN:VALARM", "TRIGGER;RELATED=END:PT0S", "END:VALARM", "END:VEVENT"])
    assert from_jcal(json.loads(json.dumps(to_jcal(text)))) == text


def test_it_is_what_another_library_writes() -> None:
    for made in sample_calendars(date(2026, 11, 24))[:1]:
        for component in icalendar.Calendar.from_ical(made.content).walk("VEVENT")[:100]:
            text = component.to_ical().decode().replace("\r\n ", "").replace("\r\n", "\n").strip()
            assert _plain(to_jcal(text)) == _plain(component.to_jcal())


def _plain(jcal: list[object]) -> dict[str, object]:
    return {str(p[0]): p[3:] for p in jcal[1] if p[0] in ("summary", "dtstart", "dtend", "uid", "duration")}  # type: ignore[attr-defined]


@pytest.mark.parametrize("line", ["no property at all", "X-A;LONELY:1", "DTSTART;VALUE=DATE:soon"])
def test_what_it_cannot_say_is_refused(line: str) -> None:
    with pytest.raises(CannotSay, match=r"\w"):
        to_jcal(f"BEGIN:VEVENT\n{line}\nEND:VEVENT")


DEEP = "[" * 3000 + "]" * 3000


@pytest.mark.parametrize(
    "data",
    [
        "{}",
        "[]",
        "[1,2,3]",
        '["vevent",[],[[["x"]]]]',
        '["vevent",[["summary",{},"text"]],[]]',
        '["vevent",[["a\\nb",{},"text","x"]],[]]',
        '["vevent",[["summary",{"cn":3},"text","x"]],[]]',
        '["vevent",[["url",{},"uri","a\\nATTENDEE:x"]],[]]',
        DEEP,
        "null",
        "3",
        '["vcalendar",[["priority",{},"integer",NaN]],[]]',
        '["' + "v" * 300 + '",[],[]]',
        '["vevent",[["x",{},"text",{}]],[]]',
    ],
)
def test_odd_json_is_refused_in_words(data: str, tmp_path: Path) -> None:
    source = tmp_path / "in.json"
    source.write_text(data)
    with pytest.raises(CannotConvert, match="is not jCal"):
        convert(source, tmp_path / "out.ics")


@tries(60, 2_000)
@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=5),
        lambda c: st.lists(c, max_size=4) | st.dictionaries(st.text(max_size=4), c, max_size=3),
    )
)
def test_no_json_makes_it_fail_otherwise(data: object) -> None:
    try:
        from_jcal(data)
    except NotJcal:
        return


def test_no_value_makes_a_line() -> None:
    made = from_jcal(
        ["vevent", [["summary", {"x": "a\r\nb"}, "text", "Lunch\rATTENDEE:mailto:spy@x.example\nX:1"]], []]
    )
    assert made.split("\n") == [
        "BEGIN:VEVENT",
        "SUMMARY;X=a^nb:Lunch\\nATTENDEE:mailto:spy@x.example\\nX:1",
        "END:VEVENT",
    ]


def test_a_refusal_names_the_line_of_the_file(tmp_path: Path) -> None:
    source = tmp_path / "in.ics"
    source.write_bytes(calendar(event("DTSTART:20261124T090000Z"), event("stray words")))
    with pytest.raises(CannotConvert, match="line 8: “stray words” is not a property, which jCal cannot say"):
        convert(source, tmp_path / "out.json")
