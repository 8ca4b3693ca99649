"""Times said as a rule with extra and exception dates: exactly those, and the plainest rule that does.

>>> monday = 20_780 * DAY + 9 * 3600  # 2026-11-23 09:00
>>> said = phrase("FREQ=WEEKLY", [monday + n * 7 * DAY for n in (0, 1, 3, 4)] + [monday + 8 * DAY])
>>> said.rule, said.left_out == (monday + 14 * DAY,), said.extra == (monday + 8 * DAY,)
('FREQ=WEEKLY;COUNT=5', True, True)
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from itertools import pairwise
from typing import NamedTuple

from datebridge.core.moments import from_wall_seconds
from datebridge.core.recurrence.rules import WEEKDAYS
from datebridge.core.recurrence.starts import DAY, Steps, fits, parse_rule, starts, weekday_of

__all__ = ["DAY", "Phrase", "candidates", "phrase"]

#: How many of the first times are tried as the one a rule begins with: those before it are extra dates.
_ANCHORS = 3
#: What a rule costs in words beside its dates: of two that say the same, the one with fewer parts is taken.
_PARTS = 0.25


class Phrase(NamedTuple):
    """Times, in wall seconds, as a series would say them.

    Attributes:
        rule: with a COUNT, so that it ends with the last of the times it gives.
        start: the first time that the rule gives.
        hits: the times it gives. `left_out`: those it gives and that are none. `extra`: those it does not give.
    """

    rule: str
    start: int
    hits: tuple[int, ...]
    left_out: tuple[int, ...]
    extra: tuple[int, ...]

    @property
    def cost(self) -> float:
        """How much there is to say."""
        return len(self.left_out) + len(self.extra) + _PARTS * self.rule.count("=")


def phrase(rule: str, times: Iterable[int]) -> Phrase | None:
    """Times as a rule without end says them best; None where it gives none of the first of them."""
    wanted = sorted(set(times))
    best: Phrase | None = None
    read = parse_rule(rule)
    for start in wanted[:_ANCHORS]:
        if not fits(read, start):
            continue
        wanted_slots = set(wanted)
        given = list(starts(read, start, start, wanted[-1] + 1, Steps(20 * len(wanted) + 4_000)))
        if len(given) > 4 * len(wanted) + 20:
            continue
        hits = tuple(time for time in given if time in wanted_slots)
        given = given[: given.index(hits[-1]) + 1]
        matched = set(hits)
        phrased = Phrase(
            f"{rule};COUNT={len(given)}",
            start,
            hits,
            tuple(time for time in given if time not in wanted_slots),
            tuple(time for time in wanted if time not in matched),
        )
        if best is None or phrased.cost < best.cost:
            best = phrased
    return best


def candidates(days: Collection[int]) -> list[str]:
    """The rules that days (since 1970) could go by, without an end; few, whatever the days."""
    ordered = sorted(set(days))
    if len(ordered) < 2:
        return []
    return list(dict.fromkeys([*_daily(ordered), *_weekly(ordered), *_monthly(ordered), *_yearly(ordered)]))


def _common(numbers: Iterable[int], most: int) -> list[int]:
    """The most frequent of numbers, the smaller first of those that are as frequent."""
    counted: dict[int, int] = {}
    for number in numbers:
        counted[number] = counted.get(number, 0) + 1
    return sorted(counted, key=lambda n: (-counted[n], n))[:most]


def _gaps(numbers: list[int]) -> list[int]:
    return [b - a for a, b in pairwise(numbers) if b > a]


def _rule(freq: str, interval: int, *parts: str) -> str:
    return ";".join([f"FREQ={freq}", *([f"INTERVAL={interval}"] if interval > 1 else []), *parts])


def _daily(days: list[int]) -> Iterable[str]:
    for gap in _common(_gaps(days), 2):
        if gap % 7 and gap < 60:
            yield _rule("DAILY", gap)


def _weekly(days: list[int]) -> Iterable[str]:
    by_weekday: dict[int, int] = {}
    for day in days:
        by_weekday[weekday_of(day)] = by_weekday.get(weekday_of(day), 0) + 1
    most = max(by_weekday.values())
    usual = sorted(weekday for weekday, number in by_weekday.items() if number >= max(2, most / 3))
    if not usual:
        return
    named = "BYDAY=" + ",".join(WEEKDAYS[weekday] for weekday in usual)
    own = [day for day in days if weekday_of(day) in usual]
    weeks = sorted({(day - weekday_of(day)) // 7 for day in own})
    for gap in dict.fromkeys([*_common(_gaps(weeks), 2), 1]):
        if gap <= 26:
            yield _rule("WEEKLY", gap, named)


def _monthly(days: list[int]) -> Iterable[str]:
    dates = [from_wall_seconds(day * DAY) for day in days]
    months = sorted({date.year * 12 + date.month for date in dates})
    gaps = _common(_gaps(months), 2)
    for gap in gaps:
        if gap > 11:
            continue
        for day in _common((date.day for date in dates), 1):
            yield _rule("MONTHLY", gap, f"BYMONTHDAY={day}")
        if all(map(_is_last_day, days)):
            yield _rule("MONTHLY", gap, "BYMONTHDAY=-1")
        for weekday in _common((date.weekday() for date in dates), 1):
            for nth in _common(((date.day - 1) // 7 + 1 for date in dates), 1):
                if nth < 5:
                    yield _rule("MONTHLY", gap, f"BYDAY={nth}{WEEKDAYS[weekday]}")
            yield _rule("MONTHLY", gap, f"BYDAY=-1{WEEKDAYS[weekday]}")


def _is_last_day(day: int) -> bool:
    return from_wall_seconds((day + 1) * DAY).day == 1


def _yearly(days: list[int]) -> Iterable[str]:
    dates = [from_wall_seconds(day * DAY) for day in days]
    years = sorted({date.year for date in dates})
    for gap in _common(_gaps(years), 1):
        for month in _common((date.month for date in dates), 1):
            for day in _common((date.day for date in dates), 1):
                yield _rule("YEARLY", gap, f"BYMONTH={month}", f"BYMONTHDAY={day}")
            for weekday in _common((date.weekday() for date in dates), 1):
                for nth in _common(((date.day - 1) // 7 + 1 for date in dates), 1):
                    yield _rule("YEARLY", gap, f"BYMONTH={month}", f"BYDAY={nth}{WEEKDAYS[weekday]}")
                yield _rule("YEARLY", gap, f"BYMONTH={month}", f"BYDAY=-1{WEEKDAYS[weekday]}")
