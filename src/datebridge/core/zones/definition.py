"""A VTIMEZONE made from the zone data, for the years in use (RFC 5545 §3.6.5).

Each change of the clocks in these years is said: changes that come alike from year to year as a yearly rule, all
others by their dates. Rules that go on after the last year are left open, so that series without end keep their hour.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from datebridge.core.moments import basic
from datebridge.core.recurrence.rules import WEEKDAYS
from datebridge.core.tzids import zone_info

#: No zone has two changes within so short a time; some have changed theirs for a week only.
_STEP = timedelta(days=3)
#: Years after the last one that are said as well: entries are moved, and series go on.
_AHEAD = 10
#: The zone database follows rules that change from year to year no further than some decades.
_FIRST, _LAST = 1880, 2100
#: Fewer years alike are dates, not a rule.
_RUN = 3


@dataclass(frozen=True, slots=True)
class Transition:
    """The clocks change at `instant` (UTC) from one offset to another."""

    instant: datetime
    before: timedelta
    after: timedelta
    name: str
    daylight: bool

    @property
    def wall(self) -> datetime:
        """What the clocks showed when they were changed (RFC 5545 §3.6.5: DTSTART of an observance)."""
        return (self.instant + self.before).replace(tzinfo=None)


@lru_cache(maxsize=256)
def _moments_of(year: int) -> list[datetime]:
    """Moments of a year in UTC, no further apart than `_STEP`, the end of the year included."""
    first, end = datetime(year, 1, 1, tzinfo=UTC), datetime(year + 1, 1, 1, tzinfo=UTC)
    return [*(first + _STEP * number for number in range((end - first) // _STEP + 1)), end]


@lru_cache(maxsize=32_768)
def changes_of(zone: str, year: int) -> tuple[Transition, ...]:
    """Every change of offset, name or daylight saving of a zone in a year of UTC.

    The offset is asked at every step, the rest now and then.
    """
    info, days = zone_info(zone), _moments_of(year)
    offsets = [day.astimezone(info).utcoffset() for day in days]
    transitions = []
    low, state = days[0], _state(info, days[0])
    for number, (high, before, after) in enumerate(zip(days[1:], offsets, offsets[1:], strict=False)):
        if before == after and (number % 5 and high is not days[-1]):
            continue
        while _state(info, high) != state:  # twice where the name had changed before the offset did
            left, right = low if before == after or state[0] != before else max(low, high - _STEP), high
            while right - left > timedelta(seconds=1):
                middle = left + timedelta(seconds=int((right - left).total_seconds()) // 2)
                left, right = (middle, right) if _state(info, middle) == state else (left, middle)
            changed = _state(info, right)
            if right < days[-1]:
                transitions.append(Transition(right, state[0], changed[0], changed[2], bool(changed[1])))
            low, state = right, changed
            if right == high:
                break
        low = high
    return tuple(transitions)


def _state(zone: ZoneInfo, instant: datetime) -> tuple[timedelta, timedelta, str]:
    local = instant.astimezone(zone)
    return local.utcoffset() or timedelta(), local.dst() or timedelta(), local.tzname() or ""


@lru_cache(maxsize=512)
def define(tzid: str, zone: str, first_year: int, last_year: int) -> str:
    """The VTIMEZONE for `zone` under the name `tzid`, as unfolded lines joined by LF.

    It tells the time as the zone data does from the first year to ten years past the last, and where the zone goes
    by a yearly rule then, for good.
    """
    first = min(max(first_year, _FIRST), 9_980)
    last = min(max(last_year, first) + _AHEAD, max(_LAST, first + _AHEAD))
    start = datetime(first, 1, 1, tzinfo=UTC)
    offset, dst, name = _state(zone_info(zone), start)
    wall = (start + offset).replace(tzinfo=None)
    lines = ["BEGIN:VTIMEZONE", f"TZID:{tzid}"]
    lines += _observance("DAYLIGHT" if dst else "STANDARD", wall, offset, offset, name)
    transitions = [change for year in range(first, last + 1) for change in changes_of(zone, year)]
    coming = {_alike(change) for change in changes_of(zone, last + 1)}
    coming &= {_alike(change) for change in changes_of(zone, last + 2)}
    kinds: dict[tuple[object, ...], list[Transition]] = {}
    for change in transitions:
        kinds.setdefault((change.before, change.after, change.name, change.daylight), []).append(change)
    for group in kinds.values():
        single = []
        for run in _runs(group):
            if len(run) < _RUN:
                single += run
            else:
                ends = run[-1].instant.year < last or _alike(run[-1]) not in coming
                lines += _change(run[0], _rule_of(run), run[-1].instant if ends else None)
        if single:
            lines += _change(single[0], dates=[change.wall for change in single[1:]])
    lines.append("END:VTIMEZONE")
    return "\n".join(lines)


def _alike(change: Transition) -> tuple[str, timedelta, timedelta, str]:
    """What makes a change the same as that of another year."""
    return _rule(change), change.before, change.after, change.name


def _rule(change: Transition, from_end: bool | None = None) -> str:
    """Which weekday of which month a change falls on, and when, as a yearly rule."""
    wall = change.wall
    if from_end is None:
        from_end = (wall + timedelta(days=7)).month != wall.month
    nth = -1 if from_end else (wall.day - 1) // 7 + 1
    return f"FREQ=YEARLY;BYMONTH={wall.month};BYDAY={nth}{WEEKDAYS[wall.weekday()]}|{wall:%H%M%S}"


def _rule_of(run: list[Transition]) -> str:
    return _rule(run[0], _in_last_week(run)).partition("|")[0]


def _in_last_week(run: list[Transition]) -> bool:
    """Whether all of a run fall into the last week of their month; else into the same, counted from the first."""
    return all(_is_last(change) for change in run)


def _runs(changes: list[Transition]) -> Iterator[list[Transition]]:
    """Changes one a year that a single rule says, as long as they go on."""
    run: list[Transition] = []
    last = same = True
    for change in changes:
        if run:
            last, same = last and _is_last(change), same and _week(change) == _week(run[0])
            goes_on = change.wall.year == run[-1].wall.year + 1 and _when(change) == _when(run[0])
            if not (goes_on and (last or same)):
                yield run
                run = []
        if not run:
            last, same = _is_last(change), True
        run.append(change)
    if run:
        yield run


def _when(change: Transition) -> tuple[int, int, time]:
    wall = change.wall
    return wall.month, wall.weekday(), wall.time()


def _week(change: Transition) -> int:
    return (change.wall.day - 1) // 7


def _is_last(change: Transition) -> bool:
    """Whether it falls into the last week of its month."""
    return (change.wall + timedelta(days=7)).month != change.wall.month


def _change(
    change: Transition, rule: str = "", until: datetime | None = None, dates: Sequence[datetime] = ()
) -> list[str]:
    kind = "DAYLIGHT" if change.daylight else "STANDARD"
    if rule and until is not None:
        rule += f";UNTIL={basic(until.replace(tzinfo=None))}Z"
    return _observance(kind, change.wall, change.before, change.after, change.name, rule, dates)


def _observance(
    kind: str,
    start: datetime,
    before: timedelta,
    after: timedelta,
    name: str,
    rule: str = "",
    dates: Sequence[datetime] = (),
) -> list[str]:
    lines = [f"BEGIN:{kind}", f"DTSTART:{basic(start)}"]
    if rule:
        lines.append(f"RRULE:{rule}")
    lines += ["RDATE:" + ",".join(map(basic, dates))] if dates else []
    lines += [f"TZOFFSETFROM:{_offset(before)}", f"TZOFFSETTO:{_offset(after)}"]
    lines += [f"TZNAME:{name}"] if name else []
    return [*lines, f"END:{kind}"]


def _offset(offset: timedelta) -> str:
    seconds = int(offset.total_seconds())
    sign, seconds = ("-", -seconds) if seconds < 0 else ("+", seconds)
    text = f"{sign}{seconds // 3600:02d}{seconds // 60 % 60:02d}"
    return text + (f"{seconds % 60:02d}" if seconds % 60 else "")
