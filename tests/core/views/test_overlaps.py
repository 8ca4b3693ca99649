"""Overlaps, against comparing each with each."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.views.overlaps import overlaps
from tests.depth import tries

SPANS = st.lists(st.tuples(st.integers(0, 60), st.integers(0, 20)).map(lambda t: (t[0], t[0] + t[1])), max_size=25)


@tries(60, 2_000)
@given(SPANS, st.integers(1, 8))
def test_overlaps_are_those_of_comparing_each_with_each(spans: list[tuple[int, int]], least: int) -> None:
    found = [(min(a, b), max(a, b), long) for a, b, long in overlaps(spans, least)]
    each = [
        (b, a, min(spans[a][1], spans[b][1]) - max(spans[a][0], spans[b][0]))
        for a in range(len(spans))
        for b in range(a)
    ]
    assert sorted(found) == sorted(one for one in each if one[2] >= least)
