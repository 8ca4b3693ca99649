"""The tolerant reader: every defect is a problem with its line, and nothing is lost."""

from __future__ import annotations

from io import BytesIO

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.text import source
from datebridge.core.text.lines import fence_of
from datebridge.core.text.reader import RawComponent, Reader
from datebridge.core.text.writer import write_calendar
from tests.depth import tries


def read(data: bytes | str) -> tuple[list[RawComponent], Reader]:
    reader = Reader(BytesIO(data.encode() if isinstance(data, str) else data))
    return list(reader), reader


def codes(data: bytes | str) -> list[tuple[str, int]]:
    components, reader = read(data)
    found = [p for c in components for p in c.problems] + reader.problems
    return sorted((p.code, p.line) for p in found)


GOOD = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Höft\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"


@pytest.mark.parametrize(
    "data",
    [
        GOOD.encode(),
        GOOD.encode("utf-8-sig"),
        GOOD.encode("utf-16"),
        GOOD.replace("\r\n", "\n").encode(),
        GOOD.replace("\r\n", "\r").encode(),
        GOOD.replace("\r\n", "\r\r\n").encode(),
        GOOD.replace("UID:1\r\n", "UID:1\n").encode(),
        GOOD.replace("SUMMARY:Höft", "SUMM\r\n ARY:H\r\n\töft").encode(),
        GOOD.encode().replace(b"\xc3\xb6", b"\xc3\r\n \xb6"),
        GOOD.rstrip().encode(),
        GOOD.removesuffix("\n").encode(),
    ],
    ids=[
        "plain",
        "bom",
        "utf16",
        "lf",
        "cr",
        "crcrlf",
        "mixed",
        "folds",
        "fold inside a character",
        "no last break",
        "cut within a break",
    ],
)
def test_every_spelling_of_the_same_file_reads_the_same(data: bytes) -> None:
    components, reader = read(data)
    assert [c.name for c in components] == ["VEVENT", "VCALENDAR"]
    assert components[0].text == "BEGIN:VEVENT\nUID:1\nSUMMARY:Höft\nEND:VEVENT"
    assert components[1].text == "BEGIN:VCALENDAR\nVERSION:2.0\nEND:VCALENDAR"
    assert not reader.problems


def test_pieces_of_a_file_that_end_their_lines_otherwise_are_read_too() -> None:
    first = "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:One\r\nEND:VEVENT\r\n"
    second = "BEGIN:VEVENT\rUID:2\rSUMMARY:Two\rDTSTART:20261201T080000Z\rEND:VEVENT\r"
    third = "BEGIN:VEVENT\nUID:3\nDTSTART:20261201T080000Z\rDTEND:20261201T090000Z\rSUMMARY:a\rDTEND:b\nEND:VEVENT\n"
    components, _ = read(f"{first}{second}{third}END:VCALENDAR\r\n")
    events = [one.text for one in components if one.name == "VEVENT"]
    assert [text.split("\n")[1] for text in events] == ["UID:1", "UID:2", "UID:3"]
    assert events[1].split("\n")[2:4] == ["SUMMARY:Two", "DTSTART:20261201T080000Z"]
    assert events[2].split("\n")[2:5] == ["DTSTART:20261201T080000Z", "DTEND:20261201T090000Z", "SUMMARY:a\rDTEND:b"]


def test_a_lone_cr_makes_no_line_where_lines_end_otherwise() -> None:
    text = GOOD.replace("SUMMARY:Höft", "SUMMARY:Lunch\rATTENDEE:mailto:spy@elsewhere.example")
    components, _ = read(text)
    assert components[0].text.split("\n")[2] == "SUMMARY:Lunch\rATTENDEE:mailto:spy@elsewhere.example"
    assert codes(text) == [("control-character", 3)]
    written = b"".join(write_calendar(components[1].text, [], [components[0].text]))
    assert b"\r" not in written.replace(b"\r\n", b"")


def test_a_broken_utf16_is_named() -> None:
    whole = GOOD.encode("utf-16")
    at = whole.index("ö".encode("utf-16-le"))
    assert codes(whole[:at] + b"\x00\xd8" + whole[at + 2 :]) == [("encoding", 5)]


def test_lines_are_those_of_the_file_though_lines_are_folded() -> None:
    folded = "BEGIN:VCALENDAR\nX-A:one\n two\n three\nBEGIN:VEVENT\nUID:1\nX-B:four\n five\nSUMMARY:six\nEND:VEVENT\nEND:VCALENDAR\n"
    components, _ = read(folded)
    assert components[0].line == 5
    assert [components[0].line_of(k) for k in range(5)] == [5, 6, 7, 9, 10]


@pytest.mark.parametrize(
    ("data", "expected"),
    [
        ("junk\nBEGIN:VCALENDAR\nEND:VCALENDAR\nmore\n", [("junk-outside", 1), ("junk-outside", 4)]),
        (
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nBEGIN:VEVENT\nUID:2\nEND:VEVENT\nEND:VCALENDAR\n",
            [("missing-end", 4)],
        ),
        ("BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nEND:VCALENDAR\n", [("missing-end", 4)]),
        (
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nBEGIN:VEVENT\nEND:VEVENT\nEND:VEVENT\nEND:VCALENDAR\n",
            [("nested-entry", 4)],
        ),
        (
            "BEGIN:VCALENDAR\nBEGIN;X=1:VEVENT\nUID:1\nEND :VEVENT\nEND:VCALENDAR\n",
            [("irregular-fence", 2), ("irregular-fence", 4)],
        ),
        (
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nBEGIN:VALARM\nEND:VEVENT\nEND:VALARM\nEND:VCALENDAR\n",
            [("crossed-end", 4), ("stray-end", 5)],
        ),
        ("BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nSUMM", [("truncated", 4), ("truncated", 4)]),
        ("BEGIN:VEVENT\nUID:1\nEND:VEVENT\n", [("no-calendar", 1)]),
        ("BEGIN:VCALENDAR\nBEGIN:VCALENDAR\nEND:VCALENDAR\n", [("missing-end", 2)]),
        ("BEGIN:VCALENDAR\nBEGIN:VEVENT\nX:\x01\nEND:VEVENT\nEND:VCALENDAR\n", [("control-character", 2)]),
        ("hello", [("junk-outside", 1), ("not-a-calendar", 1)]),
        ("", [("not-a-calendar", 1)]),
    ],
    ids=[
        "junk",
        "missing END",
        "calendar ends first",
        "an entry in another",
        "odd fences",
        "crossed",
        "truncated",
        "no calendar",
        "nested calendar",
        "control",
        "no calendar data",
        "empty",
    ],
)
def test_damage_is_a_problem_with_its_line(data: str, expected: list[tuple[str, int]]) -> None:
    assert codes(data) == expected


def test_lower_case_and_spaces_in_fences_are_understood() -> None:
    components, _ = read("begin:vcalendar\nBegin: VEVENT \nUID:1\nend:vevent\nEND:VCALENDAR\n")
    assert [c.name for c in components] == ["VEVENT", "VCALENDAR"]


def test_unknown_components_are_kept_whole() -> None:
    text = "BEGIN:X-MOORING\nBEGIN:VEVENT\nUID:inner\nEND:VEVENT\nEND:X-MOORING"
    components, _ = read(f"BEGIN:VCALENDAR\n{text}\nEND:VCALENDAR\n")
    assert components[0].text == text


@pytest.mark.parametrize(
    ("lines", "entries"),
    [
        ("BEGIN:VALARM BEGIN:VEVENT X-A:1 END:VEVENT END:VALARM X-B:1 END:VEVENT", 1),
        ("BEGIN:VALARM BEGIN:VEVENT X-A:1 END:VALARM X-B:1 END:VEVENT", 1),
        ("BEGIN:VALARM BEGIN:VEVENT X-A:1 END:VEVENT BEGIN:VALARM END:VALARM END:VEVENT", 1),
        ("BEGIN:VALARM BEGIN:VEVENT X-A:1 END:VEVENT BEGIN:VEVENT END:VEVENT", 3),
        ("BEGIN:VALARM BEGIN:VEVENT X-A:1 END:VEVENT", 2),
    ],
)
def test_what_ends_next_tells_whether_an_entry_stands_in_another_or_follows_it(lines: str, entries: int) -> None:
    components, _ = read("BEGIN:VCALENDAR\nBEGIN:VEVENT\n" + lines.replace(" ", "\n") + "\nEND:VCALENDAR\n")
    assert [c.name for c in components].count("VEVENT") == entries


def test_ten_thousand_nested_begins_are_kept_in_linear_time() -> None:
    components, _ = read("BEGIN:VCALENDAR\n" + "BEGIN:VALARM\n" * 10_000)
    assert components[0].text.count("BEGIN:VALARM") == components[0].text.count("END:VALARM") == 10_000
    assert {p.code for p in components[0].problems} == {"deep-nesting", "truncated"}


def test_a_fence_with_a_megabyte_of_blanks_is_read_at_once() -> None:
    raw = f"BEGIN:a{' ' * 1_000_000}b"
    components, _ = read(f"BEGIN:VCALENDAR\n{raw}\nEND:VCALENDAR\n")
    assert components[0].text.startswith(raw)
    assert fence_of(raw) == ("BEGIN", raw[6:].upper())


def test_a_line_of_a_megabyte_is_read_whole() -> None:
    value = "x" * 3_000_000
    components, _ = read(f"BEGIN:VCALENDAR\nBEGIN:VEVENT\nDESCRIPTION:{value}\nEND:VEVENT\nEND:VCALENDAR\n")
    assert components[0].text.split("\n")[1] == f"DESCRIPTION:{value}"


def test_another_encoding_is_noticed_and_its_letters_are_kept() -> None:
    data = GOOD.replace("Höft", "Pála skoðar bauju").encode("cp1252")
    components, _ = read(data)
    assert "SUMMARY:Pála skoðar bauju" in components[0].text
    assert [p.code for p in components[0].problems] == ["encoding"]


def test_cyrillic_is_told_from_western_letters() -> None:
    words = "Проверка причала и кран на пристани, затем обход лаборатории"
    components, _ = read(GOOD.replace("Höft", words).encode("cp1251"))
    assert f"SUMMARY:{words}" in components[0].text


def test_octets_no_encoding_knows_still_come_through() -> None:
    components, _ = read(GOOD.encode().replace("ö".encode(), b"\x81\xff"))
    assert len(components) == 2
    assert components[0].problems[0].code == "encoding"


def test_an_utf8_line_beside_a_broken_one_stays_utf8() -> None:
    data = "BEGIN:VCALENDAR\nBEGIN:VEVENT\nSUMMARY:Ærlig\nLOCATION:".encode() + b"k\xf8l\nEND:VEVENT\nEND:VCALENDAR\n"
    components, _ = read(data)
    assert "SUMMARY:Ærlig" in components[0].text


LINE = st.sampled_from(
    [
        "BEGIN:VCALENDAR",
        "END:VCALENDAR",
        "BEGIN:VEVENT",
        "END:VEVENT",
        "BEGIN:VALARM",
        "END:VALARM",
        "BEGIN:X-A",
        "END:X-A",
        "no colon here",
        "SUMMARY:så",
        "begin:vevent",
        "END:VTODO",
        'X-P;Q="a:b":c',
        "",
        "BEGIN;X=1:VEVENT",
        "END :VEVENT",
    ]
)


@tries(60, 2_000)
@given(st.lists(LINE, max_size=40))
def test_nothing_of_any_file_is_lost(lines: list[str]) -> None:
    components, reader = read("\n".join(lines))
    kept = [line for c in components for line in c.text.split("\n")]
    kept += [line for p in reader.problems for line in p.text.split("\n")]
    for line in set(lines) - {""}:
        assert kept.count(line) >= lines.count(line)


@tries(60, 2_000)
@given(st.lists(LINE, max_size=40), st.integers(1, 60))
def test_where_a_file_is_cut_into_blocks_makes_no_difference(lines: list[str], size: int) -> None:
    text = "\r\n".join(lines)
    whole, _ = read(text)
    before = source.BLOCK
    source.BLOCK = size
    try:
        pieces, _ = read(text)
    finally:
        source.BLOCK = before
    assert [(c.name, c.text, c.line, c.calendar) for c in pieces] == [
        (c.name, c.text, c.line, c.calendar) for c in whole
    ]


@tries(60, 2_000)
@given(st.binary(max_size=300))
def test_no_octets_make_the_reader_fail(data: bytes) -> None:
    read(b"BEGIN:VCALENDAR\nBEGIN:VEVENT\n" + data)
