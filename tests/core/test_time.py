"""What is compared and typed: overlaps, two sides, phrases, hours across clocks, colours."""

from __future__ import annotations

from datetime import date, time, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.editing.typed import read_line, rule_of, said
from datebridge.core.recurrence.rules import parse_rule
from datebridge.core.views.days import View, bounds_of, days_of
from datebridge.core.views.mirror import Side, pair
from datebridge.core.views.overlaps import overlaps
from datebridge.core.words.colours import contrast, warnings
from datebridge.core.words.phrases import NotUnderstood, read_date, read_days
from datebridge.core.zones.across import across, change_on

TODAY = date(2026, 11, 25)  # a Wednesday
SPANS = st.lists(st.tuples(st.integers(0, 60), st.integers(0, 20)).map(lambda t: (t[0], t[0] + t[1])), max_size=25)


@given(SPANS, st.integers(1, 8))
def test_overlaps_are_those_of_comparing_each_with_each(spans: list[tuple[int, int]], least: int) -> None:
    found = [(min(a, b), max(a, b), long) for a, b, long in overlaps(spans, least)]
    each = [
        (b, a, min(spans[a][1], spans[b][1]) - max(spans[a][0], spans[b][0]))
        for a in range(len(spans))
        for b in range(a)
    ]
    assert sorted(found) == sorted(one for one in each if one[2] >= least)


def _side(number: int, key: str, title: str, start: int, length: int = 60, place: str = "") -> Side:
    return Side(number, key, title, start * 3600, start * 3600 + length * 60, False, place)


def test_pairs_are_found_by_what_they_are_then_by_title_and_time() -> None:
    left = [_side(0, "a", "Crane", 8), _side(1, "b", "Lamp", 9), _side(2, "c", "Lamp", 14), _side(3, "d", "Tide", 9),
            _side(4, "e", "Boat", 9, 60, "Berth 1")]  # fmt: skip
    right = [_side(0, "a", "Crane", 10), _side(1, "x", "Lamp", 15), _side(2, "y", "Lamp", 9), _side(3, "z", "Fish", 9),
             _side(4, "e", "Boat", 9, 60, "Berth 2")]  # fmt: skip
    assert {(p.left, p.right, p.verdict, p.moved // 3600) for p in pair(left, right)} == {
        (0, 0, "moved", 2), (1, 2, "same", 0), (2, 1, "moved", 1), (3, None, "alone", 0), (None, 3, "alone", 0),
        (4, 4, "changed", 0),
    }  # fmt: skip


@given(st.lists(st.builds(_side, st.integers(), st.text("ab", max_size=1), st.sampled_from("XY"), st.integers(0, 40))))
def test_a_side_against_itself_is_the_same(sides: list[Side]) -> None:
    sides = [side._replace(number=k) for k, side in enumerate(sides)]
    assert sorted(p.left for p in pair(sides, sides) if p.left is not None) == list(range(len(sides)))
    assert all(p.verdict == "same" for p in pair([s._replace(key=s.number) for s in sides], [
        s._replace(key=s.number) for s in sides]))  # fmt: skip


@pytest.mark.parametrize(
    ("text", "day"),
    [("3 jun", "2027-06-03"), ("3rd of June 2028", "2028-06-03"), ("jun 3", "2027-06-03"), ("3.6.", "2027-06-03"),
     ("2027-06-03", "2027-06-03"), ("today", "2026-11-25"), ("fri", "2026-11-27"), ("next friday", "2026-12-04"),
     ("last monday", "2026-11-16"), ("week 40", "2027-10-04"), ("week 48", "2026-11-23"), ("2027-W12", "2027-03-22"),
     ("in 3 weeks", "2026-12-16"), ("two months ago", "2026-09-25"), ("june", "2027-06-01"), ("29 feb", "2028-02-29")],
)  # fmt: skip
def test_a_typed_date(text: str, day: str) -> None:
    assert read_date(text, TODAY).isoformat() == day


@pytest.mark.parametrize("text", ["", "soon", "31 feb 2027", "week 60", "13.13."])
def test_what_is_no_date_is_said_so(text: str) -> None:
    with pytest.raises(NotUnderstood, match="is no date"):
        read_date(text, TODAY)


@pytest.mark.parametrize(
    ("text", "count", "first", "last"),
    [("Mondays of this quarter", 13, "2026-10-05", "2026-12-28"), ("all working days of next week", 5, "2026-11-30", "2026-12-04"),
     ("last Fridays of the next six months", 6, "2026-11-27", "2027-04-30"), ("the 1st and 15th of Q1 2027", 6, "2027-01-01", "2027-03-15"),
     ("first and third Tuesdays in december", 2, "2026-12-01", "2026-12-15"), ("3 jun, 10 jun and 17 jun", 3, "2027-06-03", "2027-06-17"),
     ("weekends of june 2027", 8, "2027-06-05", "2027-06-27")],
)  # fmt: skip
def test_days_by_a_rule_in_words(text: str, count: int, first: str, last: str) -> None:
    found = read_days(text, TODAY)
    assert (len(found), found[0].isoformat(), found[-1].isoformat()) == (count, first, last)


@pytest.mark.parametrize("text", ["some Mondays", "blue days of this month", "days of 2027"])
def test_days_that_are_none_or_too_many(text: str) -> None:
    with pytest.raises(NotUnderstood):
        read_days(text, TODAY)


@pytest.mark.parametrize(
    ("text", "title", "day", "at", "length", "zone"),
    [("Berth 3 crane check, tue 14:00–15:30, Hobart time", "Berth 3 crane check", date(2026, 12, 1), time(14), 90, "Australia/Hobart"),
     ("Night dive, fri 23:00-1:00", "Night dive", date(2026, 11, 27), time(23), 120, ""),
     ("Call, 3 jun, 2pm for 45 min, UTC", "Call", date(2027, 6, 3), time(14), 45, "UTC"),
     ("Tea, cake, tomorrow 9:30", "Tea, cake", date(2026, 11, 26), time(9, 30), None, ""),
     ("Regatta, 3 jun", "Regatta", date(2027, 6, 3), None, None, ""),
     ("Crane check 14:00–15:00", "Crane check", TODAY, time(14), 60, "")],
)  # fmt: skip
def test_a_typed_line(text: str, title: str, day: date, at: time | None, length: int | None, zone: str) -> None:
    found = read_line(text, TODAY)
    assert (found.title, found.day, found.at, found.length, found.zone) == (title, day, at, length, zone)


@pytest.mark.parametrize(
    ("text", "day", "rule"),
    [("Watch, weekly on thu", date(2026, 11, 26), "FREQ=WEEKLY;BYDAY=TH"),
     ("Watch every second tue until june 9:00", date(2026, 12, 1), "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU;UNTIL=20270601"),
     ("Watch, every mon and thu, 9-10, 6 times", date(2026, 11, 26), None),
     ("Watch, every mon and thu 6 times, 9:00-10:00", date(2026, 11, 26), "FREQ=WEEKLY;BYDAY=MO,TH;COUNT=6"),
     ("Watch daily 8:00", TODAY, "FREQ=DAILY"),
     ("Watch, every weekday", TODAY, "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR"),
     ("Watch, every 3 weeks, fri", date(2026, 11, 27), "FREQ=WEEKLY;INTERVAL=3"),
     ("Watch, every last friday", date(2026, 11, 27), "FREQ=MONTHLY;BYDAY=-1FR"),
     ("Watch, every second tuesday of the month", date(2026, 12, 8), "FREQ=MONTHLY;BYDAY=2TU"),
     ("Watch, monthly on the 15th", date(2026, 12, 15), "FREQ=MONTHLY;BYMONTHDAY=15"),
     ("Watch, yearly, 3 jun", date(2027, 6, 3), "FREQ=YEARLY")],
)  # fmt: skip
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
    assert said(found, "Atlantic/Reykjavik") == (
        "Tue 1 Dec 2026, 14:00–15:30 in Hobart · 03:00–04:30 here · every Tuesday"
    )
    assert [(text[p.start : p.end], p.means) for p in found.pieces] == [
        ("Berth 3", "title"), ("tue 14:00–15:30", "when"), ("Hobrt time", "unclear"), ("Hobart time", "when"),
        ("every tue", "when"),
    ]  # fmt: skip


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
    with pytest.raises(NotUnderstood, match="what and when"):
        read_line(text, TODAY)


def test_an_hour_across_clocks_before_and_after_each_change() -> None:
    rows = across(time(15), "Australia/Hobart", ["America/Halifax"], TODAY, date(2027, 11, 20))
    assert [(f"{row.first:%m-%d}", row.changed, row.times[0].shown) for row in rows] == [
        ("11-25", "", "00:00"), ("03-15", "America/Halifax", "01:00"), ("04-04", "Australia/Hobart", "02:00"),
        ("10-03", "Australia/Hobart", "01:00"), ("11-08", "America/Halifax", "00:00"),
    ]  # fmt: skip
    assert change_on(date(2027, 3, 14), "America/Halifax") == "clocks go forward 1 h at 02:00"
    assert change_on(date(2027, 4, 4), "Australia/Hobart") == "clocks go back 1 h at 03:00"
    assert change_on(TODAY, "UTC") == ""


def test_colours_hard_to_tell_or_to_see_are_named() -> None:
    assert [number for number, _ in warnings([(1, "#1f5f8b"), (2, "#a3262c"), (3, "#22608d"), (4, "#fff8e0")])] == [
        3,
        4,
    ]
    assert round(contrast("#000000", "#ffffff")) == 21


@given(st.dates(), st.sampled_from(["day", "week", "work", "month", "year"]), st.sets(st.integers(0, 6)))
def test_a_view_holds_its_day_and_whole_weeks(on: date, view: View, working: set[int]) -> None:
    days = days_of(view, on, working)
    assert days == sorted(set(days))
    low, high = bounds_of(days)
    assert low % 86400 == 0
    assert high > low
    calendar = {
        "day": lambda day: day == on,
        "week": lambda day: day.isocalendar()[:2] == on.isocalendar()[:2],
        "work": lambda day: day.isocalendar()[:2] == on.isocalendar()[:2] and (not working or day.weekday() in working),
        "month": lambda day: (day.year, day.month) == (on.year, on.month),
        "year": lambda day: day.year == on.year,
    }[view]
    around = [
        on + timedelta(days=k)
        for k in range(-380, 381)
        if date.min.toordinal() <= on.toordinal() + k <= date.max.toordinal()
    ]
    assert set(filter(calendar, around)) <= set(days)
    if view != "month":
        assert all(map(calendar, days))
    else:
        assert days[0].weekday() == 0
        assert (days[-1].weekday() == 6 and len(days) % 7 == 0) or days[-1] == date.max
