"""Writing: same content, right form, local edits; the icalendar package is the independent reader."""

from __future__ import annotations

from io import BytesIO

import icalendar
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.text.component import Component, ComponentEditor, with_property
from datebridge.core.text.lines import (
    escape_text,
    fold,
    format_line,
    format_param,
    parse_line,
    split_text_list,
    unescape_text,
)
from datebridge.core.text.reader import Reader
from datebridge.core.text.writer import complete_header, new_header, write_calendar
from tests.depth import tries

VALUE = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=120)
NAME = st.sampled_from(["SUMMARY", "DESCRIPTION", "X-UNKNOWN", "LOCATION", "COMMENT"])
PROPERTIES = st.lists(
    st.tuples(NAME, VALUE, st.dictionaries(st.sampled_from(["X-P", "CN"]), VALUE, max_size=2)), max_size=8
)


# The independent reader takes a backslash in a parameter for an escape; RFC 5545 §3.1 knows none there.
PLAIN = PROPERTIES.filter(lambda found: not any("\\" in value for _, _, params in found for value in params.values()))


def entry(properties: list[tuple[str, str, dict[str, str]]], uid: str = "1") -> str:
    lines = [format_line(name, escape_text(value), params) for name, value, params in properties]
    return "\n".join(["BEGIN:VEVENT", f"UID:{uid}", *lines, "END:VEVENT"])


def written(*entries: str) -> bytes:
    return b"".join(write_calendar(new_header("Tides"), [], entries))


def entries_of(data: bytes) -> list[str]:
    return [c.text for c in Reader(BytesIO(data)) if c.name != "VCALENDAR"]


@tries(60, 2_000)
@given(st.lists(PROPERTIES, max_size=4))
def test_reading_what_was_written_gives_the_same_entries(
    all_properties: list[list[tuple[str, str, dict[str, str]]]],
) -> None:
    texts = [entry(properties, str(k)) for k, properties in enumerate(all_properties)]
    data = written(*texts)
    assert entries_of(data) == texts
    assert written(*entries_of(data)) == data


@tries(60, 2_000)
@given(PROPERTIES)
def test_lines_have_75_octets_at_most_and_no_cut_characters(properties: list[tuple[str, str, dict[str, str]]]) -> None:
    data = fold(entry(properties))
    for line in data.split(b"\r\n"):
        assert len(line) <= 75
        line.decode()
    assert b"\n" not in data.replace(b"\r\n", b"")


@tries(60, 2_000)
@given(PLAIN)
def test_the_independent_reader_finds_the_same_values(properties: list[tuple[str, str, dict[str, str]]]) -> None:
    event = icalendar.Calendar.from_ical(written(entry(properties))).walk("VEVENT")[0]
    for name in ("SUMMARY", "LOCATION"):
        wanted = [value for n, value, _ in properties if n == name]
        found = event.get(name, [])
        found = found if isinstance(found, list) else [found]
        assert [str(value) for value in found] == wanted


@tries(60, 2_000)
@given(PROPERTIES, NAME, VALUE)
def test_an_edit_alters_only_its_own_line(
    properties: list[tuple[str, str, dict[str, str]]], name: str, value: str
) -> None:
    before = entry(properties)
    after = with_property(before, name, escape_text(value))
    old, new = before.split("\n"), after.split("\n")
    if len(new) == len(old):
        assert sum(a != b for a, b in zip(old, new, strict=True)) <= 1
    else:
        assert len(new) == len(old) + 1
        assert [line for line in new if line != format_line(name, escape_text(value))] == [
            line for line in old if line != format_line(name, escape_text(value))
        ]
    line = Component(after).first(name)
    assert line is not None
    assert unescape_text(line.value) == value


def test_an_edit_leaves_nested_components_alone() -> None:
    text = "BEGIN:VEVENT\nBEGIN:VALARM\nDESCRIPTION:inner\nEND:VALARM\nEND:VEVENT"
    after = with_property(text, "DESCRIPTION", "outer")
    assert after == "BEGIN:VEVENT\nDESCRIPTION:outer\nBEGIN:VALARM\nDESCRIPTION:inner\nEND:VALARM\nEND:VEVENT"
    lines = ComponentEditor(after)
    lines.drop("DESCRIPTION")
    assert lines.text == text


@tries(60, 2_000)
@given(st.text(st.characters(exclude_categories=("Cs",), exclude_characters="\r")))
def test_text_is_escaped_and_read_back(value: str) -> None:
    assert unescape_text(escape_text(value)) == value


@tries(60, 2_000)
@given(st.lists(VALUE.filter(bool), max_size=4))
def test_lists_of_texts_keep_their_commas(values: list[str]) -> None:
    assert split_text_list(",".join(escape_text(value) for value in values)) == values


@tries(60, 2_000)
@given(VALUE)
def test_parameters_are_caret_encoded(value: str) -> None:
    assert parse_line(f"X;CN={format_param(value)}:v").param("CN") == value


def test_a_header_gets_what_the_standard_demands_and_keeps_the_rest() -> None:
    header = "BEGIN:VCALENDAR\nX-WR-CALNAME:Tides\nCOLOR:teal\nX-ODD;A=b:c\nEND:VCALENDAR"
    lines = complete_header(header).split("\n")
    assert lines[1].startswith("VERSION:")
    assert [line for line in lines if line in header.split("\n")] == header.split("\n")
    assert complete_header(complete_header(header)) == complete_header(header)
