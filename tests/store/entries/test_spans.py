"""Filters on generated entries, against the plainest reading of what each one says."""

from __future__ import annotations

import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar
from recurring_ical_events import of

from datebridge.store.entries.ledger import Ledger
from tests.conftest import Bench, calendar, event
from tests.depth import tries

DAY = datetime.timedelta(days=1)
FIRST = datetime.date(2026, 1, 1)
RULES = (
    "",
    "",
    "RRULE:FREQ=DAILY;COUNT=5",
    "RRULE:FREQ=WEEKLY;BYDAY=MO,TH",
    "RRULE:FREQ=MONTHLY;BYDAY=-1FR",
    "RRULE:FREQ=WEEKLY;INTERVAL=2;UNTIL=20270401T000000Z",
    "RRULE:FREQ=YEARLY",
)


@st.composite
def entries(draw: st.DrawFn, number: int) -> str:
    start = FIRST + DAY * draw(st.integers(-400, 300))
    extra = [draw(st.sampled_from(RULES))]
    if draw(st.booleans()):
        extra.append("CATEGORIES:LAB")
    if draw(st.booleans()):
        length = draw(st.integers(1, 9))
        return event(
            f"e{number}",
            f"Entry{number}",
            f"{start:%Y%m%d}",
            f"DTEND;VALUE=DATE:{start + DAY * length:%Y%m%d}",
            *filter(None, extra),
        )
    return event(
        f"e{number}",
        f"Entry{number}",
        f"{start:%Y%m%d}T{draw(st.integers(0, 22)):02d}0000Z",
        "DURATION:PT1H",
        *filter(None, extra),
    )


SAMPLES = st.integers(1, 8).flatmap(lambda n: st.tuples(*(entries(k) for k in range(n))))


@tries(20, 1_000)
@given(SAMPLES, st.integers(-100, 500), st.sampled_from([1, 1, 31]))
def test_on_agrees_with_an_independent_expansion(
    tmp_path_factory: pytest.TempPathFactory, texts: tuple[str, ...], offset: int, days: int
) -> None:
    bench = Bench(tmp_path_factory.mktemp("on"))
    text = calendar(*texts)
    bench.bring(text)
    day = FIRST + DAY * offset
    first = day if days == 1 else day.replace(day=1)
    last = day + DAY if days == 1 else (first + 31 * DAY).replace(day=1)
    wanted = {str(one["SUMMARY"]) for one in of(Calendar.from_ical(text)).between(first, last)}
    found = bench.titles(f"on:{day:%Y-%m-%d}" if days == 1 else f"on:{day:%Y-%m}")
    bench.store.close()
    assert set(found) == wanted


@tries(20, 1_000)
@given(SAMPLES, st.integers(-200, 400))
def test_before_and_after_never_contradict_the_occurrences(
    tmp_path_factory: pytest.TempPathFactory, texts: tuple[str, ...], offset: int
) -> None:
    bench = Bench(tmp_path_factory.mktemp("before"))
    bench.bring(calendar(*texts))
    day = FIRST + DAY * offset
    before, after = set(bench.titles(f"before:{day}")), set(bench.titles(f"after:{day}"))
    asked = (f"before:{day}", f"after:{day}", f"-before:{day}", f"-after:{day} before:2027", f"before:{day},2020")
    cold = [bench.titles(text) for text in asked]
    bench.ledger = Ledger(bench.store)
    bench.ledger.warm()
    assert [bench.titles(text) for text in asked] == cold, "remembered spans say otherwise than the index"
    bench.store.close()
    assert not before & after
    far = datetime.date(2036, 1, 1)
    for text in texts:
        read = Calendar.from_ical(calendar(text))
        title = str(read.walk("VEVENT")[0]["SUMMARY"])
        if title in before:
            assert not of(read).between(day, far), "something of it still happens"
        if title in after:
            assert not of(read).between(datetime.date(2020, 1, 1), day), "something of it happened earlier"
