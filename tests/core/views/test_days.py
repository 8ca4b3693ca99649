"""Which days a view shows."""

from __future__ import annotations

from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.views.days import View, bounds_of, days_of
from tests.depth import tries


@tries(60, 2_000)
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
