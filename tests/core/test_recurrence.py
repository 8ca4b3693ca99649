"""Rules: taken apart, in words, where they end, and on which days they happen (dateutil is the oracle)."""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import pairwise

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.moments import Moment, from_wall_seconds
from datebridge.core.recurrence.bounds import happens, last_start, longest_gap, weekdays
from datebridge.core.recurrence.rules import NotARule, parse_rule
from datebridge.core.recurrence.words import describe

START = datetime(2026, 11, 23, 9)  # a Monday


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        ("FREQ=DAILY", "every day"),
        ("FREQ=DAILY;INTERVAL=3;COUNT=5", "every 3 days, 5 times"),
        ("FREQ=WEEKLY", "every Monday"),
        ("FREQ=WEEKLY;INTERVAL=2;BYDAY=MO;UNTIL=20270603", "every second Monday until 3 June 2027"),
        ("FREQ=WEEKLY;INTERVAL=3;BYDAY=TU", "every third Tuesday"),
        ("FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", "every working day"),
        ("FREQ=WEEKLY;BYDAY=WE,MO", "every Monday and Wednesday"),
        ("FREQ=MONTHLY", "every month on the 23rd"),
        ("FREQ=MONTHLY;BYDAY=-1FR", "every month on the last Friday"),
        ("FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2", "every month on the second to last working day"),
        ("FREQ=MONTHLY;BYMONTHDAY=1,-1", "every month on the 1st and last day"),
        ("FREQ=YEARLY", "every year on the 23rd of November"),
        ("FREQ=YEARLY;BYMONTH=3;BYDAY=2SU", "every year on the second Sunday of March"),
        ("FREQ=YEARLY;BYWEEKNO=20", "every year (BYWEEKNO=20)"),
    ],
)
def test_a_rule_in_words(rule: str, words: str) -> None:
    assert describe(parse_rule(rule), START) == words


@pytest.mark.parametrize(
    "rule",
    ["", "FREQ=SOMETIMES", "INTERVAL=2", "FREQ=DAILY;COUNT=0", "FREQ=DAILY;COUNT=x", "FREQ=DAILY;BYDAY=XX",
     "FREQ=DAILY;FREQ=DAILY", "FREQ=DAILY;BYMONTH=13", "FREQ=DAILY;UNTIL=never", "FREQ=DAILY;BYCAKE=1"],
)  # fmt: skip
def test_what_is_no_rule_is_refused(rule: str) -> None:
    with pytest.raises(NotARule):
        parse_rule(rule)


RULES = st.builds(
    lambda freq, interval, by, limit: ";".join(filter(None, [f"FREQ={freq}", f"INTERVAL={interval}", by, limit])),
    st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]),
    st.integers(1, 5),
    st.sampled_from(["", "BYDAY=MO", "BYDAY=TU,FR", "BYMONTHDAY=31", "BYMONTH=2,11"]),
    st.sampled_from(["", "COUNT=7", "UNTIL=20290401T090000"]),
)
STARTS = st.datetimes(datetime(2016, 1, 1), datetime(2026, 12, 31)).map(
    lambda d: d.replace(minute=0, second=0, microsecond=0)
)


@given(RULES, STARTS, st.integers(0, 1500))
def test_happens_agrees_with_walking_the_rule(text: str, start: datetime, days: int) -> None:
    low = datetime(start.year, start.month, start.day) + timedelta(days=days)
    high = low + timedelta(days=1)
    walked = low <= start < high or bool(
        rrulestr(text, dtstart=start).between(low, high - timedelta(seconds=1), inc=True)
    )
    seconds = [Moment(d).wall_seconds for d in (start, low, high)]
    assert happens(text, *seconds) == walked


@given(RULES, STARTS)
def test_no_occurrence_comes_after_the_last_or_on_other_weekdays(text: str, start: datetime) -> None:
    rule = parse_rule(text)
    last, mask = last_start(rule, start), weekdays(rule, start) | 1 << start.weekday()
    for _, moment in zip(range(50), rrulestr(text, dtstart=start), strict=False):
        assert last is None or moment <= last
        assert mask & 1 << moment.weekday()
    assert (last is None) == ("COUNT" not in text and "UNTIL" not in text)


@given(RULES, STARTS)
def test_no_gap_is_longer_than_said(text: str, start: datetime) -> None:
    days = longest_gap(parse_rule(text), start)
    moments = [moment for _, moment in zip(range(40), rrulestr(text, dtstart=start), strict=False)]
    if days:
        assert all(b - a <= timedelta(days=days) for a, b in pairwise(moments))


def test_left_out_and_extra_dates_count() -> None:
    start = Moment(START).wall_seconds
    week = 7 * 86400
    text = f"FREQ=WEEKLY\n+{start + 86400}\n-{start + week}"
    assert happens(text, start, start + 86400, start + 2 * 86400)
    assert not happens(text, start, start + week, start + week + 86400)
    assert happens(text, start, start + 2 * week, start + 2 * week + 86400)


def test_an_old_series_is_asked_without_walking_it() -> None:
    start = Moment(datetime(1970, 1, 1)).wall_seconds
    low = Moment(datetime(2026, 11, 24)).wall_seconds
    assert happens("FREQ=SECONDLY;INTERVAL=7", start, low, low + 60)
    assert from_wall_seconds(low) == datetime(2026, 11, 24)
