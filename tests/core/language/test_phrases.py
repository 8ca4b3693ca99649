"""Dates and days as they are typed."""

from __future__ import annotations

from datetime import date

import pytest

from datebridge.core.language.phrases import NotUnderstood, read_date, read_days

TODAY = date(2026, 11, 25)  # a Wednesday


@pytest.mark.parametrize(
    ("text", "day"),
    [
        ("3 jun", "2027-06-03"),
        ("3rd of June 2028", "2028-06-03"),
        ("jun 3", "2027-06-03"),
        ("3.6.", "2027-06-03"),
        ("2027-06-03", "2027-06-03"),
        ("today", "2026-11-25"),
        ("fri", "2026-11-27"),
        ("next friday", "2026-12-04"),
        ("last monday", "2026-11-16"),
        ("week 40", "2027-10-04"),
        ("week 48", "2026-11-23"),
        ("2027-W12", "2027-03-22"),
        ("in 3 weeks", "2026-12-16"),
        ("two months ago", "2026-09-25"),
        ("june", "2027-06-01"),
        ("29 feb", "2028-02-29"),
    ],
)
def test_a_typed_date(text: str, day: str) -> None:
    assert read_date(text, TODAY).isoformat() == day


@pytest.mark.parametrize("text", ["", "soon", "31 feb 2027", "week 60", "13.13."])
def test_what_is_no_date_is_said_so(text: str) -> None:
    with pytest.raises(NotUnderstood, match="is not a date"):
        read_date(text, TODAY)


@pytest.mark.parametrize(
    ("text", "count", "first", "last"),
    [
        ("Mondays of this quarter", 13, "2026-10-05", "2026-12-28"),
        ("all working days of next week", 5, "2026-11-30", "2026-12-04"),
        ("last Fridays of the next six months", 6, "2026-11-27", "2027-04-30"),
        ("the 1st and 15th of Q1 2027", 6, "2027-01-01", "2027-03-15"),
        ("first and third Tuesdays in december", 2, "2026-12-01", "2026-12-15"),
        ("3 jun, 10 jun and 17 jun", 3, "2027-06-03", "2027-06-17"),
        ("weekends of june 2027", 8, "2027-06-05", "2027-06-27"),
    ],
)
def test_days_by_a_rule_in_words(text: str, count: int, first: str, last: str) -> None:
    found = read_days(text, TODAY)
    assert (len(found), found[0].isoformat(), found[-1].isoformat()) == (count, first, last)


@pytest.mark.parametrize("text", ["some Mondays", "blue days of this month", "days of 2027"])
def test_days_that_are_none_or_too_many(text: str) -> None:
    with pytest.raises(NotUnderstood):
        read_days(text, TODAY)
