"""Rules: taken apart, in words, where they end, and on which days they happen (dateutil is the oracle)."""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import pairwise

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.moments import Moment, from_wall_seconds, parse_moment
from datebridge.core.recurrence.bounds import last_start, longest_gap, weekdays
from datebridge.core.recurrence.pattern import happens
from datebridge.core.recurrence.rules import NotARule, on_clock_of, parse_rule
from datebridge.core.recurrence.starts import DAY, starts
from datebridge.core.recurrence.words import describe
from tests.depth import tries

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
    [
        "",
        "FREQ=SOMETIMES",
        "INTERVAL=2",
        "FREQ=DAILY;COUNT=0",
        "FREQ=DAILY;COUNT=x",
        "FREQ=DAILY;BYDAY=XX",
        "FREQ=DAILY;FREQ=DAILY",
        "FREQ=DAILY;BYMONTH=13",
        "FREQ=DAILY;UNTIL=never",
        "FREQ=DAILY;BYCAKE=1",
    ],
)
def test_what_is_no_rule_is_refused(rule: str) -> None:
    with pytest.raises(NotARule):
        parse_rule(rule)


PARTS = st.tuples(
    st.sampled_from(["", "BYMONTH=1,2,12"]),
    st.sampled_from(
        ["", "BYMONTHDAY=31", "BYMONTHDAY=5,-3", "BYDAY=MO", "BYDAY=TU,FR", "BYDAY=-1FR,2MO", "BYWEEKNO=1"]
    ),
    st.sampled_from(["", "BYHOUR=6,18;BYMINUTE=15"]),
    st.sampled_from(["", "BYSETPOS=1,-2"]),
    st.sampled_from(["", "WKST=SU"]),
    st.sampled_from(["", "COUNT=7", "UNTIL=20290401T090000"]),
)


def _written(freq: str, interval: int, parts: tuple[str, ...]) -> str:
    """A rule that RFC 5545 §3.3.10 allows, made of parts of which it may not allow all."""
    month, day, time, place, week, limit = parts
    if freq in ("DAILY", "WEEKLY"):
        day = day.replace("-1FR,2MO", "FR,MO")
    if freq == "WEEKLY":
        place = ""  # dateutil counts the positions of the first week from DTSTART on: see below
        day = "" if day.startswith("BYMONTHDAY") else day
    if day.startswith("BYWEEKNO"):
        day = day + ";BYDAY=TH" if freq == "YEARLY" else ""  # alone, dateutil takes all seven days: see below
    return ";".join(
        filter(
            None,
            [
                f"FREQ={freq}",
                f"INTERVAL={interval}",
                month,
                day,
                time,
                place if month or day or time else "",
                week,
                limit,
            ],
        )
    )


RULES = st.builds(_written, st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]), st.integers(1, 5), PARTS)
STARTS = st.datetimes(datetime(2016, 1, 1), datetime(2026, 12, 31)).map(
    lambda d: d.replace(minute=0, second=0, microsecond=0)
)


@tries(60, 2_000)
@given(RULES, STARTS, st.integers(0, 1500), st.sampled_from([1, 31, 400]))
def test_starts_agree_with_walking_the_rule(text: str, start: datetime, later: int, days: int) -> None:
    walked = rrulestr(text, dtstart=start)
    if "COUNT" in text:  # "The DTSTART always counts as the first occurrence" (§3.3.10); dateutil wants it to fit
        start = next(iter(walked), start)
        walked = rrulestr(text, dtstart=start)
    low = datetime(start.year, start.month, start.day) + timedelta(days=later)
    theirs = walked.between(low, low + timedelta(days=days, seconds=-1), inc=True)
    seconds = Moment(low).wall_seconds
    ours = starts(parse_rule(text), Moment(start).wall_seconds, seconds, seconds + days * DAY)
    assert [from_wall_seconds(moment) for moment in ours] == theirs


@pytest.mark.parametrize("freq", ["HOURLY", "MINUTELY", "SECONDLY"])
@pytest.mark.parametrize(
    "by", ["", "BYDAY=TU", "BYMINUTE=0,30;BYSECOND=0", "BYHOUR=9;BYMINUTE=0,1;BYSECOND=0;BYSETPOS=-1"]
)
def test_rules_within_a_day(freq: str, by: str) -> None:
    text = ";".join(filter(None, [f"FREQ={freq}", "INTERVAL=3", by]))
    low = START + timedelta(hours=13)
    theirs = rrulestr(text, dtstart=START).between(low, low + timedelta(days=2, seconds=-1), inc=True)
    seconds = Moment(low).wall_seconds
    ours = starts(parse_rule(text), Moment(START).wall_seconds, seconds, seconds + 2 * DAY)
    assert [from_wall_seconds(moment) for moment in ours] == theirs


def test_a_week_number_alone_means_the_weekday_of_the_start() -> None:
    """What a rule leaves open is taken from DTSTART (§3.3.10); dateutil gives all seven days of the week."""
    start = Moment(START).wall_seconds
    found = list(starts(parse_rule("FREQ=YEARLY;BYWEEKNO=20"), start, start, start + 800 * DAY))
    assert [from_wall_seconds(m) for m in found] == [datetime(2027, 5, 17, 9), datetime(2028, 5, 15, 9)]


def test_positions_are_counted_over_whole_weeks() -> None:
    """BYSETPOS is "within the set of recurrence instances specified by the rule", a whole week (§3.3.10)."""
    friday = Moment(datetime(2016, 1, 1)).wall_seconds
    found = starts(parse_rule("FREQ=WEEKLY;BYDAY=TU,FR;BYSETPOS=-2"), friday, friday, friday + 14 * DAY)
    assert [from_wall_seconds(m) for m in found] == [datetime(2016, 1, 5), datetime(2016, 1, 12)]


@pytest.mark.parametrize("rule", ["FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", "FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30"])
def test_a_rule_that_never_happens_is_answered_at_once(rule: str) -> None:
    start = Moment(START).wall_seconds
    assert list(starts(parse_rule(rule), start, start, start + 4000 * DAY)) == []
    assert last_start(parse_rule(rule + ";COUNT=2"), start) == (start, True)


@tries(60, 2_000)
@given(RULES, STARTS)
def test_no_occurrence_comes_after_the_last_or_on_other_weekdays(text: str, start: datetime) -> None:
    rule, begin = parse_rule(text), Moment(start).wall_seconds
    (last, _), mask = last_start(rule, begin), weekdays(rule, start) | 1 << start.weekday()
    for moment in starts(rule, begin, begin, begin + 900 * DAY):
        assert last is None or moment <= last
        assert mask & 1 << from_wall_seconds(moment).weekday()
    assert (last is None) == ("COUNT" not in text and "UNTIL" not in text)


@tries(60, 2_000)
@given(RULES, STARTS)
def test_no_gap_is_longer_than_said(text: str, start: datetime) -> None:
    rule, begin = parse_rule(text), Moment(start).wall_seconds
    days = longest_gap(rule, start)
    if days:
        moments = list(starts(rule, begin, begin, begin + 900 * DAY))
        assert all(b - a <= days * DAY for a, b in pairwise(moments))


def test_left_out_and_extra_dates_count() -> None:
    start = Moment(START).wall_seconds
    week = 7 * 86400
    text = f"FREQ=WEEKLY\n+{start + 86400}\n-{start + week}"
    assert happens(text, start, start + 86400, start + 2 * 86400)
    assert not happens(text, start, start + week, start + week + 86400)
    assert happens(text, start, start + 2 * week, start + 2 * week + 86400)


def test_what_a_series_takes_from_its_own_clock() -> None:
    halifax = parse_moment("20261123T200000", "America/Halifax")
    assert on_clock_of(parse_rule("FREQ=DAILY;UNTIL=20261201T000000Z"), halifax).text == (
        "FREQ=DAILY;UNTIL=20261130T200000"
    )
    whole = parse_moment("20261123")
    assert on_clock_of(parse_rule("FREQ=DAILY;BYHOUR=9;UNTIL=20261201T120000Z"), whole).text == (
        "FREQ=DAILY;UNTIL=20261201"
    )
    with pytest.raises(NotARule):
        on_clock_of(parse_rule("FREQ=HOURLY"), whole)


def test_an_old_series_is_asked_without_walking_it() -> None:
    start = Moment(datetime(1970, 1, 1)).wall_seconds
    low = Moment(datetime(2026, 11, 24)).wall_seconds
    assert happens("FREQ=SECONDLY;INTERVAL=7", start, low, low + 60)
    assert from_wall_seconds(low) == datetime(2026, 11, 24)
