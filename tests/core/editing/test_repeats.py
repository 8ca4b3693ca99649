"""Rules made by choosing: what was chosen is read back, the rest stays, and the start keeps to the rule."""

from __future__ import annotations

from datetime import date, datetime

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.editing.repeats import chosen, read_repeats
from datebridge.core.recurrence.rules import WEEKDAYS, parse_rule
from tests.depth import tries

starts = st.dates(date(1990, 1, 1), date(2100, 12, 31))
frequencies = st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"])


@tries(60, 2_000)
@given(frequencies, starts, st.sampled_from(["day", "nth", "last", "end", "work"]))
def test_a_day_of_the_month_is_read_as_it_was_chosen(frequency, start, monthly) -> None:  # type: ignore[no-untyped-def]
    rule = chosen(chosen("", start, frequency="MONTHLY"), start, monthly=monthly)
    found = read_repeats(rule, start)
    assert (found.monthly, found.plain) == (monthly, True)
    first = rrulestr(rule, dtstart=datetime(start.year, start.month, start.day))[0].date()
    if monthly in ("day", "nth"):
        assert first == start
    assert chosen(rule, start, monthly="day") == "FREQ=MONTHLY"
    # Another frequency starts again: what was said of the month does not stay
    assert parse_rule(chosen(rule, start, frequency=frequency)).byday == ()


@tries(60, 2_000)
@given(starts, st.lists(st.sampled_from(WEEKDAYS), max_size=6))
def test_weekdays_are_put_in_and_taken_out_again(start: date, days: list[str]) -> None:
    rule = "FREQ=WEEKLY"
    expected = {WEEKDAYS[start.weekday()]}
    for day in days:
        rule = chosen(rule, start, weekday=day)
        expected ^= {day}
        expected = expected or {WEEKDAYS[start.weekday()]}  # of none, the start's own counts
    found = read_repeats(rule, start)
    assert set(found.weekdays) == expected
    parse_rule(rule)


@tries(60, 2_000)
@given(starts, st.integers(1, 9999), st.dates(date(1990, 1, 1)), st.integers(1, 999))
def test_one_end_takes_the_place_of_the_other(start: date, count: int, until: date, interval: int) -> None:
    rule = chosen("FREQ=DAILY;X-BERTH=PORT", start, interval=interval)
    counted = chosen(chosen(rule, start, ends="count"), start, count=count)
    assert (read_repeats(counted, start).ends, read_repeats(counted, start).count) == ("count", count)
    dated = chosen(chosen(counted, start, ends="until"), start, until=until)
    found = read_repeats(dated, start)
    assert (found.ends, found.until, found.count, found.interval) == ("until", until.isoformat(), None, interval)
    assert chosen(dated, start, ends="never") == rule
    assert "X-BERTH=PORT" in rule
    assert not found.plain, "there is something that choices do not say"
    assert chosen(dated, start, frequency="") == ""


@pytest.mark.parametrize(
    "rule", ["FREQ=HOURLY", "FREQ=DAILY;BYHOUR=9", "FREQ=SOMETIMES", "nonsense", "FREQ=DAILY;RSCALE=HEBREW"]
)
def test_what_choices_cannot_say_is_to_be_written(rule: str) -> None:
    assert not read_repeats(rule, date(2026, 11, 26)).plain


@tries(60, 2_000)
@given(st.text(max_size=60), starts)
def test_no_text_makes_reading_it_fail(rule: str, start: date) -> None:
    read_repeats(rule, start)
    chosen(rule, start, weekday="MO", monthly="nth", ends="count")
