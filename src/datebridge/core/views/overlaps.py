"""Which occurrences overlap: one sweep over time.

>>> [(a, b, long) for a, b, long in overlaps([(0, 60), (30, 90), (60, 70)])]
[(0, 1, 30), (1, 2, 10)]
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from heapq import heappop, heappush

from datebridge.core.recurrence.days import Steps


def overlaps(
    spans: Sequence[tuple[int, int]], least: int = 1, steps: Steps | None = None
) -> Iterator[tuple[int, int, int]]:
    """Pairs of spans [start, end) that share `least` units at least, with how much, in order of the later start.

    The first of a pair begins first. What has no length overlaps nothing. The work grows as n log n and with the
    number of pairs; it ends early once the steps are spent.
    """
    order = sorted((start, -end, number) for number, (start, end) in enumerate(spans) if end - start >= least)
    running: list[tuple[int, int]] = []
    for start, negative, number in order:
        while running and running[0][0] < start + least:
            heappop(running)
        end = -negative
        if steps is not None and not steps.take(len(running) + 1):
            return
        for until, other in running:
            shared = min(until, end) - start
            if shared >= least:
                yield other, number, shared
        heappush(running, (end, number))
