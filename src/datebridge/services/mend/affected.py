"""What a change set does to times: every occurrence it affects, before and after, on both clocks."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import NamedTuple

from datebridge.core.bulk.subject import kind_of
from datebridge.core.comparing.series import Difference, Point
from datebridge.core.ids import SetId
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.moments import Clock, wall_at
from datebridge.core.recurrence.starts import DAY
from datebridge.core.series.proving import compared
from datebridge.core.zones.meaning import NO_ZONES, Zones
from datebridge.store.changesets.sides import Sides, sides_of
from datebridge.store.database import Store
from datebridge.store.entries.zones import zones_of
from datebridge.store.remembered import Remembered

#: How many changes of a set are looked at, and so many occurrences are listed.
MOST_CHANGES, MOST_LISTED = 3_000, 20_000


class Row(NamedTuple):
    """An occurrence that is affected, with the clocks it goes by before and after.

    `clock_change`: ``skipped`` or ``twice``, where the clock is changed just then.
    """

    title: str
    one: Difference
    clocks: tuple[Clock | None, Clock | None]
    clock_change: str


@dataclass(slots=True)
class Affected:
    """What a set does to times.

    Attributes:
        rows: occurrences that change, in order of time within what belongs together.
        moved: how many are at another instant. renamed: how many entries only have another zone for the same instants.
        gone, new: how many are no more, or were not before. same: how many are touched and stay as they are.
        cut: there is more than was looked at.
    """

    rows: list[Row] = field(default_factory=list)
    moved: int = 0
    renamed: int = 0
    gone: int = 0
    new: int = 0
    same: int = 0
    clock_change: int = 0
    cut: bool = False


_KNOWN: Remembered[Affected] = Remembered(8)


def affected(store: Store, set_id: SetId) -> Affected:
    """Every occurrence a set affects; remembered, since a set does not change."""
    return _KNOWN.get((str(store.path), set_id), lambda: _look(store, set_id))


def _look(store: Store, set_id: SetId) -> Affected:
    sample = Affected()
    with store.read() as connection:
        sides, sample.cut = sides_of(connection, set_id, MOST_CHANGES)
        zones = {calendar: zones_of(connection, calendar) for calendar in {side.calendar for side in sides}}
    for side in sides:
        _add(sample, side, zones.get(side.calendar, NO_ZONES))
        if len(sample.rows) > MOST_LISTED:
            sample.cut = True
            break
    return sample


class _Side(NamedTuple):
    facts: Facts
    clock: Clock | None


def _read(texts: list[str], zones: Zones) -> list[_Side]:
    sides = []
    for text in texts:
        facts = derive(kind_of(text), text, zones)
        local = facts.marks & (Mark.ALL_DAY | Mark.FLOATING)
        sides.append(_Side(facts, None if local else facts.zone or zones.clock(facts.tzid)))
    return sides


def _add(into: Affected, sides: Sides, zones: Zones) -> None:
    before, after = _read(sides.before, zones), _read(sides.after, zones)
    same, differences = compared(sides.before, sides.after, zones)
    into.same += same
    names = [Counter(side.facts.tzid for side in some) for some in (before, after)]
    if not differences and names[0] != names[1]:
        into.renamed += 1
    for difference in differences:
        moved = difference.verdict == "changed" and difference.moved_by != 0
        into.moved += moved
        into.gone += difference.verdict == "missing"
        into.new += difference.verdict == "extra"
        row = _row(difference, before, after)
        into.clock_change += bool(row.clock_change)
        into.rows.append(row)


def _row(difference: Difference, before: list[_Side], after: list[_Side]) -> Row:
    left = before[difference.left.entry - 1] if difference.left is not None else None
    right = after[difference.right.entry - len(before) - 1] if difference.right is not None else None
    side = left or right
    clocks = left.clock if left else None, right.clock if right else None
    return Row(side.facts.summary if side is not None else "", difference, clocks, _odd(difference.right, right))


def _odd(point: Point | None, side: _Side | None) -> str:
    """Whether an occurrence falls into an hour that its clock skips, or shows twice."""
    if point is None or side is None or side.clock is None or point.all_day:
        return ""
    wall = wall_at(point.start, side.clock)
    if any(wall_at(point.start + by, side.clock) == wall for by in (3600, -3600, 1800, -1800, 7200, -7200)):
        return "twice"
    begin = side.facts.start_wall or 0
    plain = "BYHOUR" not in side.facts.recurrence and "+" not in side.facts.recurrence
    is_master = point.slot is not None and not side.facts.recurrence_id
    return "skipped" if is_master and plain and wall % DAY != begin % DAY else ""
