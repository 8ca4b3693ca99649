"""The rule of a series that is moved: every start by as much, or it is said that no rule says so.

>>> monday, tuesday = Moment(datetime(2026, 11, 23)), Moment(datetime(2026, 11, 24))
>>> move_rule("FREQ=WEEKLY;BYDAY=MO,WE", Move(monday, tuesday))
'FREQ=WEEKLY;BYDAY=TU,TH'

A rule is not moved by reasoning alone: ways to say the move are tried, and one counts only if its starts are those
of the old rule, each moved.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from itertools import islice, product, zip_longest

from datebridge.core.moments import Moment, from_wall_seconds
from datebridge.core.recurrence.rules import WEEKDAYS, NotARule, Rule, on_clock_of, read_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.recurrence.starts import DAY, starts

#: How many starts are compared from the beginning, and some again after so many days.
_COMPARED, _LATER, _AFTER = 400, 100, (400, 1_500, 15_000)
_END = Moment(datetime(9999, 12, 31)).wall_seconds  # noqa: DTZ001


@dataclass(frozen=True, slots=True)
class Move:
    """From one start to another: how far, in wall seconds, and what becomes of a time of the series."""

    old: Moment
    new: Moment

    @property
    def shift(self) -> int:
        """By how many seconds on the clock the start moves."""
        return self.new.wall_seconds - self.old.wall_seconds

    def of(self, wall: int) -> int:
        """Where a time of the series goes. Between days and hours the day moves, and all get the new start's hour."""
        if self.old.is_date == self.new.is_date:
            return wall + self.shift
        days = self.new.wall_seconds // DAY - self.old.wall_seconds // DAY
        return (wall // DAY + days) * DAY + self.new.wall_seconds % DAY

    def back(self, wall: int) -> int:
        """Where a time of the moved series was."""
        return wall - self.of(0)

    def moment(self, wall: int) -> Moment:
        """The same as a moment on the clock the series goes by then."""
        return self.new._replace(wall=from_wall_seconds(self.of(wall)))


@dataclass(frozen=True, slots=True)
class Across(Move):
    """A move that takes times from one clock to another, so that not all are moved by as much.

    Attributes:
        there: what a time of the series becomes, in wall seconds; `here` is its inverse.
    """

    there: Callable[[int], int] = int
    here: Callable[[int], int] = int

    def of(self, wall: int) -> int:
        """Where a time of the series goes."""
        return self.there(wall)

    def back(self, wall: int) -> int:
        """Where a time of the moved series was."""
        return self.here(wall)


def rule_starts(text: str, start: Moment, low: int | None = None) -> Iterator[int]:
    """The starts a rule gives a series, from wall seconds on; none if it is no rule."""
    try:
        rule = on_clock_of(read_rule(text)[0], start)
    except NotARule:
        return iter(())
    begin = start.wall_seconds
    return starts(rule, begin, begin if low is None else low, _END)


def follows(
    text: str, start: Moment, wanted: Callable[[int | None], Iterator[int]], back: Callable[[int], int]
) -> bool:
    """Whether a rule gives the wanted starts. `wanted` gives those from a moment on, `back` says what a time was."""
    if not _same(rule_starts(text, start), wanted(None), _COMPARED):
        return False
    for days in _AFTER:
        low = start.wall_seconds + days * DAY
        if not _same(rule_starts(text, start, low), wanted(back(low)), _LATER):
            return False
    return True


def _same(numbers: Iterable[int], wanted: Iterable[int], most: int) -> bool:
    return all(a == b for a, b in islice(zip_longest(numbers, wanted), most))


def move_rule(text: str, move: Move) -> str | None:
    """The rule that gives each start moved; None where none does.

    UNTIL goes along, and is written as RFC 5545 §3.3.10 wants it beside the new start.
    """
    try:
        rule, _ = read_rule(text)
    except NotARule:
        return text  # it counted for nothing, and does so still

    def wanted(low: int | None) -> Iterator[int]:
        return _distinct(move.of(wall) for wall in rule_starts(text, move.old, low))

    if move.old.is_date == move.new.is_date:
        for candidate in _candidates(text, rule, move):
            if follows(candidate, move.new, wanted, move.back):
                return candidate
        return None
    for candidate in _candidates(text, rule, move):
        if rule.count is not None:
            number = sum(1 for _ in islice(wanted(None), 10_001))
            candidate = str(RuleText.of(candidate).with_values(COUNT=str(number)))
        if _same(rule_starts(candidate, move.new), wanted(None), _COMPARED):
            return candidate
    return None


def _distinct(moments: Iterable[int]) -> Iterator[int]:
    last = None
    for moment in moments:
        if moment != last:
            yield moment
        last = moment


def _candidates(text: str, rule: Rule, move: Move) -> Iterator[str]:
    """Ways to say a moved rule, the plainest first."""
    until = _until(rule, move)
    seen = set()
    for changes in _ways(rule, move):
        moved = RuleText.of(text).with_values(**changes)
        words = str(moved if until is None else moved.with_until(until, move.new))
        if words not in seen:
            seen.add(words)
            yield words


def _until(rule: Rule, move: Move) -> Moment | None:
    """UNTIL where the last start it allows goes."""
    if rule.until is None:
        return None
    until = on_clock_of(rule, move.old).until if not _too_quick(rule, move.old) else rule.until
    assert until is not None  # noqa: S101
    wall = until.wall_seconds + (DAY - 1 if until.is_date and not move.old.is_date else 0)
    if move.of(wall) == wall and move.new == move.old:
        return rule.until
    return move.new._replace(wall=from_wall_seconds(move.of(wall)))


def _too_quick(rule: Rule, start: Moment) -> bool:
    return start.is_date and rule.freq in ("SECONDLY", "MINUTELY", "HOURLY")


def _ways(rule: Rule, move: Move) -> Iterator[dict[str, str]]:
    """The parts that may have to change, each way with its values; "" takes a part out."""
    whole = dict.fromkeys(("BYHOUR", "BYMINUTE", "BYSECOND"), "") if move.new.is_date else {}
    before, after = move.old.wall, move.new.wall
    days = (after.date() - before.date()).days
    yield whole
    if days:
        yield {**whole, **_by_place(rule, before, after, days)}
    if not move.new.is_date:
        timed, days = _times(rule, move, days)
        whole = {**whole, **timed}
        yield whole
    months = after.year * 12 + after.month - before.year * 12 - before.month
    for change in (_rotated(rule, days), _by_days(rule, days), _in_month(rule, days)):
        for by in dict.fromkeys((0, months, 1, -1)):
            shifted = {"BYMONTH": _numbers((m - 1 + by) % 12 + 1 for m in rule.by.get("BYMONTH", ()))}
            yield {**whole, **change, **(shifted if by and "BYMONTH" in rule.by else {})}


def _numbers(numbers: Iterable[int]) -> str:
    return ",".join(map(str, sorted(set(numbers))))


def _by_place(rule: Rule, before: datetime, after: datetime, days: int) -> dict[str, str]:
    """As the new start would be described: the third Tuesday instead of the second Monday."""
    by_place = {}
    if rule.byday and rule.freq == "WEEKLY":
        by_place["BYDAY"] = _weekdays(rule, days)
    elif len(rule.byday) == 1:
        nth, day = rule.byday[0]
        if WEEKDAYS.index(day) == before.weekday():
            nth = (after.day - 1) // 7 + 1 if nth > 0 else nth
            by_place["BYDAY"] = f"{nth or ''}{WEEKDAYS[after.weekday()]}"
    if rule.by.get("BYMONTHDAY") == (before.day,):
        by_place["BYMONTHDAY"] = str(after.day)
    if rule.by.get("BYMONTH") == (before.month,) and rule.freq == "YEARLY":
        by_place["BYMONTH"] = str(after.month)
    return by_place


def _weekdays(rule: Rule, days: int) -> str:
    return ",".join(f"{nth or ''}{WEEKDAYS[(WEEKDAYS.index(day) + days) % 7]}" for nth, day in rule.byday)


def _times(rule: Rule, move: Move, days: int) -> tuple[dict[str, str], int]:
    """BYHOUR, BYMINUTE and BYSECOND moved, and by how many days that takes the starts along."""
    names = ("BYHOUR", "BYMINUTE", "BYSECOND")
    if not any(name in rule.by for name in names):
        return {}, days
    wall = move.old.wall
    if move.old.is_date:
        return dict.fromkeys(names, ""), days
    given = [rule.by.get(name, (own,)) for name, own in zip(names, (wall.hour, wall.minute, wall.second), strict=True)]
    if rule.freq in ("HOURLY", "MINUTELY", "SECONDLY"):  # what limits them goes round the clock
        hours = [(h + move.shift // 3600) % 24 for h in rule.by.get("BYHOUR", ())]
        minutes = [(m + move.shift // 60) % 60 for m in rule.by.get("BYMINUTE", ())]
        seconds = [(s + move.shift) % 60 for s in rule.by.get("BYSECOND", ())]
        return {n: _numbers(v) for n, v in zip(names, (hours, minutes, seconds), strict=True) if n in rule.by}, days
    times = [h * 3600 + m * 60 + min(s, 59) + move.shift for h, m, s in product(*given)]
    shown = [time % DAY for time in times]
    parts = [{t // 3600 for t in shown}, {t // 60 % 60 for t in shown}, {t % 60 for t in shown}]
    kept = {name: _numbers(part) for name, part in zip(names, parts, strict=True) if name in rule.by or len(part) > 1}
    return kept, times[0] // DAY


def _rotated(rule: Rule, days: int) -> dict[str, str]:
    """Weekdays moved, and with them the day a week begins on, so that weeks keep their step."""
    if rule.freq not in ("WEEKLY", "DAILY"):
        return {}
    rotated = {"BYDAY": _weekdays(rule, days)} if rule.byday else {}
    if rule.freq == "WEEKLY":
        rotated["WKST"] = WEEKDAYS[(WEEKDAYS.index(rule.wkst) + days) % 7]
    return rotated


def _moved_day(day: int, days: int) -> int:
    """A day of a month or year, counted from either end; past that end it counts from the other."""
    moved = day + days
    if day > 0:
        return moved if moved > 0 else moved - 1
    return moved if moved < 0 else moved + 1


def _by_days(rule: Rule, days: int) -> dict[str, str]:
    """Days of months and years moved by their number, weekdays among them along with them."""
    parts: dict[str, str] = {}
    for name in ("BYMONTHDAY", "BYYEARDAY"):
        if name in rule.by:
            parts[name] = _numbers(_moved_day(day, days) for day in rule.by[name])
    if rule.byday and not any(nth for nth, _ in rule.byday):
        parts["BYDAY"] = _weekdays(rule, days)
    return parts


def _in_month(rule: Rule, days: int) -> dict[str, str]:
    """The day after the second Monday is a Tuesday from the 9th to the 15th."""
    places = {nth for nth, _ in rule.byday}
    if len(places) != 1 or 0 in places or "BYMONTHDAY" in rule.by or rule.freq not in ("MONTHLY", "YEARLY"):
        return {}
    if rule.freq == "YEARLY" and "BYMONTH" not in rule.by:
        return {}
    nth = places.pop()
    begin = 7 * (nth - 1) + 1 if nth > 0 else 7 * nth
    names = ",".join(WEEKDAYS[(WEEKDAYS.index(day) + days) % 7] for _, day in rule.byday)
    numbers = [_moved_day(day, days) for day in range(begin, begin + 7)]
    return {"BYDAY": names, "BYMONTHDAY": _numbers(n for n in numbers if -31 <= n <= 31 and n)}
