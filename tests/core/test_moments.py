"""Dates, times and durations as the standard writes them."""

from __future__ import annotations

import pytest

from datebridge.core.moments import NotAMoment, parse_duration, parse_moment


def test_a_time_the_clocks_skip_has_the_offset_before_the_gap() -> None:
    # Halifax, 8 March 2026: 02:00 becomes 03:00 (RFC 5545 §3.3.5)
    assert parse_moment("20260308T023000", "America/Halifax").key() == "20260308T063000Z"


def test_a_time_that_comes_twice_is_the_first() -> None:
    assert parse_moment("20261101T013000", "America/Halifax").key() == "20261101T043000Z"


@pytest.mark.parametrize(
    "value", ["20261301", "2026112", "20261124T2500", "20261124T256000Z", "today", "20261124T080000X"]
)
def test_what_is_no_date_is_refused(value: str) -> None:
    with pytest.raises(NotAMoment):
        parse_moment(value)


def test_durations_add_their_parts() -> None:
    assert parse_duration("-P1W") == (-7, 0)
    with pytest.raises(NotAMoment):
        parse_duration("PT")
