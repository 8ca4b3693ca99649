"""Windows as the store reads them, against the engine that is given everything there is."""

from __future__ import annotations

import random
from collections.abc import Iterator
from datetime import datetime, timedelta

import pytest

from datebridge.core.moments import wall_seconds_of
from datebridge.core.occurrences.expanding import Timed, occurrences
from datebridge.core.recurrence.starts import DAY
from datebridge.store.entries.occurrences import OccurrenceReader
from tests.conftest import Bench, calendar, event
from tests.depth import depth

FIRST = datetime(2026, 1, 5, 9)
RULES = ("FREQ=DAILY;COUNT=40", "FREQ=WEEKLY", "FREQ=WEEKLY;UNTIL=20260401T000000Z", "FREQ=MONTHLY;BYMONTHDAY=5")


def _series(draw: random.Random, number: int) -> Iterator[str]:
    """A series with occurrences that were moved anywhere, some with all that follow; now and then a long one."""
    start = FIRST + timedelta(days=draw.randrange(60))
    rule, hours = draw.choice(RULES), draw.choice((1, 30, 24 * 20))
    uid = f"{draw.choice('abc')}{number // 2}"  # now and then two of one UID
    yield event(uid, "Series", f"{start:%Y%m%dT%H%M%SZ}", f"DURATION:PT{hours}H", f"RRULE:{rule}")
    for _ in range(draw.randrange(4)):
        slot = start + timedelta(days=draw.choice((1, 7, 14, 31)) * draw.randrange(20))
        moved = slot + timedelta(days=draw.choice((0, 0, 1, -3, 60, -90)), hours=draw.randrange(5))
        following = ";RANGE=THISANDFUTURE" if draw.random() < 0.3 else ""
        key = f"RECURRENCE-ID{following}:{slot:%Y%m%dT%H%M%SZ}"
        yield event(uid, "Moved", f"{moved:%Y%m%dT%H%M%SZ}", key, "DURATION:PT2H")


@pytest.mark.parametrize("seed", range(depth(6, 200)))
def test_a_window_holds_what_it_would_if_everything_were_read(bench: Bench, seed: int) -> None:
    draw = random.Random(seed)  # noqa: S311
    for name in ("Tides", "Berths"):
        bench.bring(calendar(*(line for number in range(12) for line in _series(draw, number))), name)
    with bench.store.read() as connection:
        everything = [
            Timed(*row)
            for row in connection.exec_driver_sql(
                "SELECT id, calendar_id, uid, recurrence_id, start_wall, end_wall, until_wall, tzid, zone, marks,"
                " recurrence FROM entry WHERE listed = 1"
            )
        ]
    reader = OccurrenceReader(bench.store)
    for _ in range(30):
        low = wall_seconds_of(FIRST.date()) + DAY * draw.randrange(-120, 400)
        high = low + DAY * draw.choice((1, 7, 42))
        of = draw.choice(([1], [2], [1, 2]))
        expected = occurrences([one for one in everything if one.calendar in of], low, high)
        assert sorted(reader.window(low, high, "UTC", of).occurrences) == sorted(expected)
