"""The same meeting at a shifted time: read on the clock of another zone, or a day beside its hours.

An offset says little about two entries, for meetings an hour or four apart are common. It says much about two
calendars: where it explains nearly all that is in both but not together, through summer and winter, somebody read
the one on the clock of the other. So what could explain two entries is gathered by calendars first, and decided there.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Hashable, Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from datebridge.core.matching.candidates import by_title
from datebridge.core.matching.item import Item
from datebridge.core.matching.judging import Evidence
from datebridge.core.matching.titles import words
from datebridge.core.moments import Clock, instant_at, wall_at

_DAY = 86_400
#: No two zones are further apart (Etc/GMT+12 and Pacific/Kiritimati).
_REACH = 26 * 3600
#: How many of one title are compared with each that comes after it.
_NEXT = 6
#: An offset between two zones counts from so many titles on, if it explains this part of what is near.
_LEAST, _PART = 3, 0.6
#: Zones that are tried; those that most entries are in.
_ZONES = 12


class Explained(NamedTuple):
    """How one time became another.

    Attributes:
        how: ``wall``: the same hour on two clocks; ``zones``: as far apart as two zones are; ``hours``: a day, and its
            hours; ``early``: a day early.
        names: the zones, or the side that is early.
    """

    how: str
    names: tuple[str, ...] = ()


class Near(NamedTuple):
    """Two entries of one title, near each other."""

    first: int
    second: int
    apart: int


@dataclass(frozen=True, slots=True)
class Shift:
    """Two entries, and what explains that they stand apart."""

    first: int
    second: int
    evidence: Evidence


def shifts(items: Sequence[Item[Hashable]], met: Collection[tuple[int, int]]) -> Iterator[Shift]:
    """What stands apart by something that explains it.

    Args:
        met: entries that are one meeting already, with the calendar in which they are: those are not asked for.
    """
    zones = _zones(items)
    near: defaultdict[tuple[int, int], list[Near]] = defaultdict(list)
    for one in _near(items):
        first, second = items[one.first], items[one.second]
        if (one.first, second.calendar) not in met and (one.second, first.calendar) not in met:
            near[first.calendar, second.calendar].append(one)
    for (left, right), pairs in near.items():
        yield from _of_calendars(items, pairs, zones, left == right)


def _near(items: Sequence[Item[Hashable]]) -> Iterator[Near]:
    """Entries of one title that begin within a day or so of each other, by calendars."""
    for numbers in by_title(items).values():
        if len(numbers) < 2:
            continue
        ordered = sorted(numbers, key=lambda n: _start(items[n]))
        for k, a in enumerate(ordered):
            for b in ordered[k + 1 : k + 1 + _NEXT]:
                apart = _start(items[b]) - _start(items[a])
                if apart > _REACH:
                    break
                one, other = (a, b) if items[a].calendar <= items[b].calendar else (b, a)
                if items[a].is_series == items[b].is_series:
                    yield Near(one, other, _start(items[other]) - _start(items[one]))


def _start(item: Item[Hashable]) -> int:
    return item.start if item.start is not None else 0


def _zones(items: Sequence[Item[Hashable]]) -> list[str]:
    used = Counter(item.zone for item in items if item.zone)
    return sorted({"UTC", *(zone for zone, _ in used.most_common(_ZONES))})


def _of_calendars(
    items: Sequence[Item[Hashable]], near_pairs: list[Near], zones: list[str], one_calendar: bool
) -> Iterator[Shift]:
    by: defaultdict[Explained, list[Near]] = defaultdict(list)
    offsets: dict[int, dict[int, list[tuple[str, str]]]] = {}
    for near in near_pairs:
        for explained in _explanations(items[near.first], items[near.second], near.apart, zones, offsets, one_calendar):
            by[explained].append(near)
    taken: set[int] = set()
    # What needs fewest words first: the same hour on two clocks, a day and its hours; then what explains most.
    order = {"hours": 0, "wall": 1, "early": 2, "zones": 3}
    for explained, pairs in sorted(by.items(), key=lambda item: (order[item[0].how], -len(item[1]), item[0].names)):
        own = _one_to_one([near for near in pairs if near.first not in taken and near.second not in taken])
        seasons = len({near.apart for near in own})
        titles = len({words(items[near.first].title) for near in own})
        # One meeting in the morning and one at noon, day after day, are no shift; what keeps to two zones' summer is.
        told = titles >= _LEAST or (seasons > 1 and len(own) >= 2 * _LEAST)
        if explained.how in ("zones", "early") and not (told and len(own) >= _PART * _partners(near_pairs, taken)):
            continue
        for near in own:
            taken.update((near.first, near.second))
            yield Shift(near.first, near.second, _evidence(explained, near, len(own), seasons))


def _partners(near_pairs: list[Near], taken: set[int]) -> int:
    """How many could have a partner at most: as many as the side has that has fewer."""
    left = {near.first for near in near_pairs if near.first not in taken}
    right = {near.second for near in near_pairs if near.second not in taken}
    return min(len(left), len(right))


def _one_to_one(pairs: list[Near]) -> list[Near]:
    """Each at most once; the nearest first."""
    used: set[int] = set()
    nearby = []
    for near in sorted(pairs, key=lambda near: abs(near.apart)):
        if near.first not in used and near.second not in used:
            used.update((near.first, near.second))
            nearby.append(near)
    return nearby


def _explanations(
    one: Item[Hashable],
    other: Item[Hashable],
    apart: int,
    zones: list[str],
    offsets: dict[int, dict[int, list[tuple[str, str]]]],
    one_calendar: bool,
) -> Iterator[Explained]:
    if one.all_day != other.all_day:
        day, hours = (one, other) if one.all_day else (other, one)
        if _is_whole(day, hours, zones):
            yield Explained("hours")
        return
    if one.length != other.length:
        return
    if one.all_day:
        if abs(apart) == _DAY and not one_calendar and one.recurrence == other.recurrence:
            yield Explained("early", ("left" if apart > 0 else "right",))
        return
    if apart and one.wall == other.wall and one.zone != other.zone:
        yield Explained("wall", (one.zone or "floating", other.zone or "floating"))
        return
    if one_calendar or not apart or one.no_clock or other.no_clock or apart % 900:
        return
    today = _start(one) // _DAY
    if today not in offsets:
        offsets[today] = _between(zones, _start(one))
    for x, y in offsets[today].get(apart, ()):
        yield Explained("zones", (x, y))


def _between(zones: list[str], moment: int) -> dict[int, list[tuple[str, str]]]:
    """By how much zones are apart at a moment."""
    ahead = {zone: wall_at(moment, zone) - moment for zone in zones}
    by_distance: defaultdict[int, list[tuple[str, str]]] = defaultdict(list)
    for x in zones:
        for y in zones:
            if ahead[x] != ahead[y]:
                by_distance[ahead[x] - ahead[y]].append((x, y))
    return by_distance


def _is_whole(day: Item[Hashable], hours: Item[Hashable], zones: list[str]) -> bool:
    """Whether hours are the whole of these days, on some clock: from midnight to midnight, or to a minute before."""
    short = day.length - hours.length
    if not 0 <= short <= 60 or (day.is_series or hours.is_series):
        return False
    if hours.wall == day.wall:
        return True
    if hours.no_clock or hours.start is None:
        return False
    start = hours.start
    clocks: list[Clock] = list(zones)
    return any(instant_at(day.wall, clock) == start for clock in clocks)


_Said = Callable[[tuple[str, ...]], str]
_SAID: dict[str, _Said] = {
    "wall": lambda names: f"the same hour, once on the clock of {names[0]}, once of {names[1]}",
    "zones": lambda names: f"as far apart as {names[0]} and {names[1]} are on that day",
    "hours": lambda names: "a whole day, and the hours of that day from midnight on",
    "early": lambda names: "the same days, one a day early",
}


def _evidence(explained: Explained, near: Near, number: int, seasons: int) -> Evidence:
    text = _SAID[explained.how](explained.names)
    if explained.how == "hours":
        return Evidence(1.5, text)
    more = f", as are {number - 1} others" if number > 1 else ""
    if explained.how == "wall":
        return Evidence(1.0 + min(1.5, 0.3 * (number - 1)), text + more)
    weight = min(3.0, 0.4 * number) + (1.0 if seasons > 1 else 0.0)
    return Evidence(weight, text + more + (", in summer and winter" if seasons > 1 else ""))
