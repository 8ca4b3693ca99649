"""An event from a typed line."""

from __future__ import annotations

from datetime import date, time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.editing.typed import line_in_words, read_line, rule_of
from datebridge.core.language.phrases import NotUnderstood
from datebridge.core.recurrence.rules import parse_rule
from tests.depth import tries

TODAY = date(2026, 11, 25)  # a Wednesday


@pytest.mark.parametrize(
    ("text", "title", "day", "at", "length", "zone"),
    [
        (
            "Berth 3 crane check, tue 14:00–15:30, Hobart time",
            "Berth 3 crane check",
            date(2026, 12, 1),
            time(14),
            90,
            "Australia/Hobart",
        ),
        ("Night dive, fri 23:00-1:00", "Night dive", date(2026, 11, 27), time(23), 120, ""),
        ("Call, 3 jun, 2pm for 45 min, UTC", "Call", date(2027, 6, 3), time(14), 45, "UTC"),
        ("Tea, cake, tomorrow 9:30", "Tea, cake", date(2026, 11, 26), time(9, 30), None, ""),
        ("Regatta, 3 jun", "Regatta", date(2027, 6, 3), None, None, ""),
        ("Crane check 14:00–15:00", "Crane check", TODAY, time(14), 60, ""),
    ],
)
def test_a_typed_line(text: str, title: str, day: date, at: time | None, length: int | None, zone: str) -> None:
    found = read_line(text, TODAY)
    assert (found.title, found.day, found.at, found.length, found.zone) == (title, day, at, length, zone)


@pytest.mark.parametrize(
    ("text", "day", "rule"),
    [
        ("Watch, weekly on thu", date(2026, 11, 26), "FREQ=WEEKLY;BYDAY=TH"),
        ("Watch every second tue until june 9:00", date(2026, 12, 1), "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU;UNTIL=20270601"),
        ("Watch, every mon and thu, 9-10, 6 times", date(2026, 11, 26), None),
        ("Watch, every mon and thu 6 times, 9:00-10:00", date(2026, 11, 26), "FREQ=WEEKLY;BYDAY=MO,TH;COUNT=6"),
        ("Watch daily 8:00", TODAY, "FREQ=DAILY"),
        ("Watch, every weekday", TODAY, "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR"),
        ("Watch, every 3 weeks, fri", date(2026, 11, 27), "FREQ=WEEKLY;INTERVAL=3"),
        ("Watch, every last friday", date(2026, 11, 27), "FREQ=MONTHLY;BYDAY=-1FR"),
        ("Watch, every second tuesday of the month", date(2026, 12, 8), "FREQ=MONTHLY;BYDAY=2TU"),
        ("Watch, monthly on the 15th", date(2026, 12, 15), "FREQ=MONTHLY;BYMONTHDAY=15"),
        ("Watch, yearly, 3 jun", date(2027, 6, 3), "FREQ=YEARLY"),
    ],
)
def test_a_typed_line_repeats(text: str, day: date, rule: str | None) -> None:
    found = read_line(text, TODAY)
    assert found.day == day
    if rule is None:  # what is said apart from its rule is not understood, and shown so
        assert [text[p.start : p.end] for p in found.pieces if p.means == "unclear"] == ["6 times"]
    else:
        assert (found.title, rule_of(found)) == ("Watch", rule)


def test_a_typed_line_says_what_was_understood() -> None:
    text = "Berth 3, tue 14:00–15:30, Hobrt time, Hobart time, every tue"
    found = read_line(text, TODAY)
    assert line_in_words(found, "Atlantic/Reykjavik") == (
        "Tue 1 Dec 2026, 14:00–15:30 in Hobart · 03:00–04:30 here · every Tuesday"
    )
    assert [(text[p.start : p.end], p.means) for p in found.pieces] == [
        ("Berth 3", "title"),
        ("tue 14:00–15:30", "when"),
        ("Hobrt time", "unclear"),
        ("Hobart time", "when"),
        ("every tue", "when"),
    ]


@tries(60, 2_000)
@given(st.text(st.sampled_from("every 2nd,tue until june 9:00-x weekly on the lastfri15times"), max_size=40))
def test_every_piece_of_a_typed_line_stands_where_it_says(text: str) -> None:
    try:
        found = read_line(text, TODAY)
    except NotUnderstood:
        return
    ends = [0, *(p.end for p in found.pieces)]
    assert all(end <= p.start < p.end for end, p in zip(ends, found.pieces, strict=False))
    assert ", ".join(text[p.start : p.end] for p in found.pieces if p.means != "when").split() == found.title.split()
    if found.rule:
        assert parse_rule(rule_of(found))


@pytest.mark.parametrize("text", ["", "Crane check", "14:00–15:00", "Meeting with 3"])
def test_a_line_that_lacks_something(text: str) -> None:
    with pytest.raises(NotUnderstood, match="a title and a time"):
        read_line(text, TODAY)
