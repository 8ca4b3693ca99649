"""The time of day: the one place that asks the machine for it. Elsewhere ruff refuses to (`TID251`, pyproject.toml).

>>> with starting_at(1_795_600_000):
...     print(this_moment().date())
2026-11-25

Tests run at other moments: `starting_at` sets this clock within a process, `processes.start` hands it on, and
DATE_BRIDGE_CLOCK_AHEAD says it to a program. Durations and deadlines go by `time.monotonic` instead.
"""

from __future__ import annotations

import datetime
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager

#: Seconds by which the clock of a program is ahead of the machine's.
AHEAD = "DATE_BRIDGE_CLOCK_AHEAD"
_ahead = float(os.environ.get(AHEAD) or 0)


def now() -> int:
    """Whole seconds since the epoch."""
    return int(time.time() + _ahead)  # noqa: TID251


def this_moment() -> datetime.datetime:
    """The same as a date and time in UTC."""
    return datetime.datetime.fromtimestamp(now(), datetime.UTC)


def this_day() -> datetime.date:
    """Today in the zone of this machine, for words such as ``today`` in a filter."""
    return this_moment().astimezone().date()


def ahead() -> float:
    """Seconds by which this clock is ahead of the machine's."""
    return _ahead


def set_ahead(seconds: float) -> None:
    """Have this clock ahead of the machine's by so many seconds; behind it for less than 0."""
    global _ahead
    _ahead = seconds


@contextmanager
def starting_at(moment: float) -> Iterator[None]:
    """Have this clock begin at a moment, in seconds since the epoch, and go on from there until the block ends."""
    before = _ahead
    set_ahead(moment - time.time())  # noqa: TID251
    try:
        yield
    finally:
        set_ahead(before)
