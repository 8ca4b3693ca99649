"""The dates and rules of a series, taken over when it is split or moved.

Everything here works on walls: wall seconds on the clock of the series before the edit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import islice

from datebridge.core.editing.fields import CannotEdit, clock_named
from datebridge.core.editing.moving import Move, follows, rule_starts
from datebridge.core.editing.times import length_text, read_span, set_exact_length, value_of
from datebridge.core.moments import (
    Moment,
    NotAMoment,
    from_wall_seconds,
    instant_at,
    last_wall,
    parse_duration,
    parse_moment,
)
from datebridge.core.recurrence.pattern import Pattern
from datebridge.core.recurrence.rules import WEEKDAYS, Rule, on_clock_of, read_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.recurrence.starts import DAY, last_counted
from datebridge.core.text.component import ComponentEditor, Params, written
from datebridge.core.text.lines import ContentLine
from datebridge.core.zones.meaning import Zones

#: A series of more dates than this is not written date by date.
MOST_LISTED = 1_000
#: How far back the last start before a slot is looked for: a rule of seconds has one in the hour before.
_BACK = (3600, DAY, 8 * DAY, 32 * DAY, 400 * DAY, 3660 * DAY)
#: How many starts are counted to say how many are left; past that, an UNTIL says it.
_MOST_COUNTED = 10_000


def numbered(number: int, noun: str) -> str:
    """A number of things: ``1 date``, ``1,200 dates``."""
    return f"{number:,} {noun}{'' if number == 1 else 's'}"


@dataclass(frozen=True, slots=True)
class DateItem:
    """One value of an EXDATE or RDATE: where it is on the clock of the series; `rest` of a PERIOD as written."""

    text: str
    wall: int | None
    whole: bool
    start: Moment | None
    rest: str


def items_of(line: ContentLine, start: Moment, zones: Zones) -> Iterator[DateItem]:
    """The values of an EXDATE or RDATE."""
    tzid = line.param("TZID") or ""
    for item in line.value.split(","):
        first, _, rest = item.strip().partition("/")
        try:
            moment = parse_moment(first.strip(), tzid, clock_named(tzid, zones, start.wall.year))
        except NotAMoment:
            yield DateItem(item, None, False, None, rest)
            continue
        wall = Moment(moment.on_clock_of(start)).wall_seconds
        yield DateItem(item, wall, moment.is_date, moment, rest)


def _keep(lines: ComponentEditor, start: Moment, zones: Zones, keep: Callable[[int, bool], bool]) -> None:
    """Leave only the extra and exception dates that are to be kept, by their wall and whether each is a whole day."""
    gone = set()
    for name in ("EXDATE", "RDATE"):
        for index, line in lines.own(name):
            items = list(items_of(line, start, zones))
            stay = [item.text for item in items if item.wall is None or keep(item.wall, item.whole)]
            if not stay:
                gone.add(index)
            elif len(stay) < len(items):
                lines.change(index, ",".join(stay))
    lines.lines = [raw for index, raw in enumerate(lines.lines) if index not in gone]


# ---- a series that ends earlier -------------------------------------------------------------------------


def ended(lines: ComponentEditor, start: Moment, zones: Zones, slot: int) -> None:
    """End a series before a slot. A rule that is over by then stays as it is."""
    for index, line in lines.own("RRULE"):
        if next(rule_starts(line.value, start, slot), None) is None:
            continue
        last = _last_before(line.value, start, slot)
        until = _before(start, slot if last is None else last + (DAY if start.is_date else 1))
        lines.change(index, str(RuleText.of(line.value).without("COUNT").with_until(until, start)))
    _keep(
        lines, start, zones, lambda wall, whole: wall < slot - (slot % DAY if whole else 0) or (whole and wall < slot)
    )


def _last_before(rule: str, start: Moment, slot: int) -> int | None:
    """The last start of a rule before a slot; None where none is found in the ten years before it."""
    for back in _BACK:
        last = None
        for wall in rule_starts(rule, start, slot - back):
            if wall >= slot:
                break
            last = wall
        if last is not None:
            return last
    return None


def _before(start: Moment, slot: int) -> Moment:
    """An UNTIL that allows what begins before a slot, on the clock of the series."""
    wall = slot - (DAY if start.is_date else 1)
    while start.zone and not start.is_date and last_wall(instant_at(wall, start.zone), start.zone) >= slot:
        wall -= 900  # the slot is a time the clocks skip
    return start._replace(wall=from_wall_seconds(wall))


def only_early(lines: ComponentEditor, start: Moment, zones: Zones, slot: int) -> None:
    """Leave nothing of a series but extra dates that lie before its start."""
    lines.drop("RRULE")
    _keep(lines, start, zones, lambda wall, whole: wall < slot)
    lines.add(written("EXDATE", *value_of(start)))


# ---- a series that goes on --------------------------------------------------------------------------------


def going_on(lines: ComponentEditor, start: Moment, zones: Zones, shape: Pattern, begin: int, slot: int) -> list[str]:
    """Make a series out of what it does from a slot on; returns what has to be said of it.

    It begins where its rules go on, so that they mean what they meant. An extra date may lie before that.

    Raises:
        CannotEdit: where rules of it need another beginning each, and cannot be written as dates.
    """
    rules = [(index, line.value) for index, line in lines.own("RRULE")]
    live = [(index, text, next(rule_starts(text, start, slot), None)) for index, text in rules]
    firsts = [first for _, _, first in live if first is not None]
    span = read_span(lines, zones)
    if begin >= slot:
        new = begin
    elif firsts:
        new = min(firsts)
    else:
        left = [wall for wall in shape.extra if wall >= slot and shape.has(begin, wall)]
        new = min((wall for wall in left if shape.extra[wall] is None), default=min(left, default=slot))
    new_start = start._replace(wall=from_wall_seconds(new))
    notes, dates, gone = [], set(), set()
    for index, text, first in live:
        if first is None:
            gone.add(index)
            continue
        rule = _continued(text, start, new_start, slot)
        if rule is not None:
            if rule != text:
                lines.change(index, rule)
            continue
        slots = list(islice(rule_starts(text, start, slot), MOST_LISTED + 1))
        if len(slots) > MOST_LISTED:
            raise CannotEdit("The series goes by several rules, which cannot start again together. Edit all of it.")
        gone.add(index)
        dates |= set(slots)
        notes.append(
            f"One of its rules is written as {numbered(len(slots), 'date')}, since it needs another beginning."
        )
    lines.lines = [raw for index, raw in enumerate(lines.lines) if index not in gone]
    only = new if not firsts else None
    _keep(lines, start, zones, lambda wall, whole: (wall >= slot - (slot % DAY if whole else 0)) and wall != only)
    if new != begin:
        lines.set("DTSTART", *value_of(new_start))
        own = shape.extra.get(new) if not firsts else None
        if own is not None:
            lines.drop("DTEND")
            set_exact_length(lines, new_start, None, own[1], own[0])
        elif span.form == "end":
            set_exact_length(lines, new_start, span.end, span.exact)
    for wall in sorted(dates - {new}):
        lines.add(written("RDATE", *value_of(start._replace(wall=from_wall_seconds(wall)))))
    return notes


def _continued(text: str, start: Moment, new: Moment, slot: int) -> str | None:
    """A rule as a series that starts again has to say it; None where no rule does."""
    rule, _ = read_rule(text)
    begin = start.wall_seconds

    def wanted(low: int | None) -> Iterator[int]:
        return rule_starts(text, start, slot if low is None else max(low, slot))

    shortened = RuleText.of(text)
    if rule.count is not None and begin < slot:
        used = 0
        for wall in rule_starts(text, start):
            if wall >= slot or used > _MOST_COUNTED:
                break
            used += 1
        used += next(rule_starts(text, start), None) != begin  # the start counts, whether it fits or not
        if used <= _MOST_COUNTED and next(wanted(None), None) == new.wall_seconds:
            shortened = shortened.with_values(COUNT=str(max(1, rule.count - used)))
        else:  # too many to be counted, or not from the new start on: programs differ in whether that one counts
            last, _ = last_counted(on_clock_of(rule, start), begin)
            shortened = shortened.without("COUNT")
            if last is not None:
                shortened = shortened.with_until(_before(start, last + (DAY if start.is_date else 1)), start)
    for more in ({}, _implied(rule, start)):
        continued = str(shortened.with_values(**more))
        if follows(continued, new, wanted, lambda wall: wall):
            return continued
    return None


def _implied(rule: Rule, start: Moment) -> dict[str, str]:
    """What a rule takes from its start, said by itself (RFC 5545 §3.3.10)."""
    wall, implied = start.wall, {}
    placed = rule.byday or any(name in rule.by for name in ("BYMONTHDAY", "BYYEARDAY"))
    if (rule.freq == "WEEKLY" and not rule.byday) or (
        rule.freq == "YEARLY" and "BYWEEKNO" in rule.by and not rule.byday
    ):
        implied["BYDAY"] = WEEKDAYS[wall.weekday()]
    elif rule.freq in ("MONTHLY", "YEARLY") and not placed:
        implied["BYMONTHDAY"] = str(wall.day)
        if rule.freq == "YEARLY" and "BYMONTH" not in rule.by:
            implied["BYMONTH"] = str(wall.month)
    if not start.is_date:
        units = (
            ("BYHOUR", wall.hour, ("HOURLY", "MINUTELY", "SECONDLY")),
            ("BYMINUTE", wall.minute, ("MINUTELY", "SECONDLY")),
            ("BYSECOND", wall.second, ("SECONDLY",)),
        )
        implied |= {name: str(own) for name, own, quick in units if name not in rule.by and rule.freq not in quick}
    return implied


# ---- dates that move along --------------------------------------------------------------------------------


def move_dates(
    lines: ComponentEditor, start: Moment, move: Move, zones: Zones, shape: Pattern, rules: list[str]
) -> None:
    """Move extra and exception dates along with their series. What cannot be read stays as it is.

    `rules` and `shape` are those of the series before it was moved.
    """
    for index, line in list(lines.own("RDATE")):
        values, params = [], value_of(move.new)[1]
        for item in items_of(line, start, zones):
            values.append(item.text if item.wall is None else _moved_date(item, move))
        if any("/" in value for value in values):
            params = {**params, "VALUE": "PERIOD"}
        lines.change(index, ",".join(values), params)
    gone = set()
    for index, line in list(lines.own("EXDATE")):
        values = []
        for item in items_of(line, start, zones):
            values += [item.text] if item.wall is None else _left_out(item, start, move, shape, rules)
        if values:
            lines.change(index, ",".join(dict.fromkeys(values)), value_of(move.new)[1])
        else:
            gone.add(index)
    lines.lines = [raw for index, raw in enumerate(lines.lines) if index not in gone]


def _moved_date(item: DateItem, move: Move) -> str:
    value = value_of(move.moment(item.wall or 0))[0]
    if not item.rest or move.new.is_date:
        return value
    try:
        parse_duration(item.rest)
        return f"{value}/{item.rest}"
    except NotAMoment:
        pass
    try:
        end = parse_moment(item.rest, item.start.tzid if item.start and item.start.tzid != "UTC" else "")
    except NotAMoment:
        return f"{value}/{item.rest}"
    assert item.start is not None  # noqa: S101
    end = end._replace(zone=item.start.zone) if end.zone != "UTC" else end
    begun, over = item.start.instant(), end.instant()
    long = over - begun if begun is not None and over is not None else end.wall_seconds - item.start.wall_seconds
    return f"{value}/{length_text(0, max(0, long))}"


def _left_out(item: DateItem, start: Moment, move: Move, shape: Pattern, rules: list[str]) -> list[str]:
    """What an exception date becomes: of a whole day with hours, every time of the series on it."""
    assert item.wall is not None  # noqa: S101
    begin = start.wall_seconds
    day = item.wall // DAY * DAY
    if item.whole and not start.is_date:
        walls = {wall for wall in (begin, *shape.extra) if day <= wall < day + DAY}
        for rule in rules:
            for wall in rule_starts(rule, start, day):
                if wall >= day + DAY:
                    break
                walls.add(wall)
    else:
        walls = {day if start.is_date else item.wall}
    if move.new.is_date and not start.is_date and next(shape.each(begin, day, day + DAY), None) is not None:
        return []  # something else happens that day
    return [value_of(move.moment(wall))[0] for wall in sorted(walls)]


def as_dates(lines: ComponentEditor, start: Moment, move: Move, zones: Zones, shape: Pattern, begin: int) -> int:
    """Write a moved series date by date; returns how many there are."""
    first = min(begin, shape.first_extra if shape.first_extra is not None else begin)
    slots = shape.slots(begin, first, 1 << 40)
    periods: dict[int, DateItem] = {}
    for _, line in lines.own("RDATE"):
        periods |= {i.wall: i for i in items_of(line, start, zones) if i.rest and i.wall is not None}
    for name in ("RRULE", "RDATE", "EXDATE"):
        lines.drop(name)
    walls = {move.of(slot): slot for slot in slots}
    for wall in sorted(walls):
        slot = walls[wall]
        params: Params = value_of(move.new)[1]
        if slot in periods and not move.new.is_date:
            lines.add(written("RDATE", _moved_date(periods[slot], move), {**params, "VALUE": "PERIOD"}))
        else:
            lines.add(written("RDATE", value_of(move.moment(slot))[0], params))
    if begin not in slots:
        lines.add(written("EXDATE", *value_of(move.new)))
    return len(walls)
