"""Shifting a series without reasoning about its rule, where no rule could turn out otherwise.

A rule that puts nothing on hours of its own gives the same days at whatever hour its start stands. So where a shift
leaves the start on its day, or is by whole weeks and the rule goes by days or weeks, the rule stays as it is, and only
times are rewritten: the start, the end, UNTIL, extra and exception dates, and those of its changed occurrences.
Everything else is left to `core.editing.series`.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from datebridge.core.bulk.subject import CannotChange, Subject
from datebridge.core.editing.times import moment_in, value_of
from datebridge.core.moments import (
    Moment,
    NotAMoment,
    basic_date,
    from_wall_seconds,
    instant_at,
    parse_moment,
    wall_at,
)
from datebridge.core.recurrence.rules import NotARule, Rule, parse_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.text.component import ComponentEditor, parsed
from datebridge.core.text.lines import ContentLine

_BY_DAY = frozenset({"DAILY", "WEEKLY", "MONTHLY", "YEARLY"})
_HOURS = frozenset({"BYHOUR", "BYMINUTE", "BYSECOND"})
_DAY = 1440


class _NotQuick(Exception):
    """Something that has to be reasoned about."""


def shifted_series(subject: Subject, by: int) -> dict[int, str] | None:
    """The texts of a series and its changed occurrences, later by minutes, by key; None where it takes reasoning."""
    master = subject.master
    if master is None or master.text is None:
        return None
    try:
        start = _moment(ComponentEditor(master.text), "DTSTART", subject)
        _demand_same_length(ComponentEditor(master.text), start, by, subject)
        made = {master.key: _master(master.text, start, by)}
        for member in subject.living:
            if member is not master:
                made[member.key] = _override(member.text or "", start, by)
    except (_NotQuick, NotAMoment, NotARule, OverflowError):
        return None
    return made


def _demand_same_length(lines: ComponentEditor, start: Moment, by: int, subject: Subject) -> None:
    """Every occurrence is as long as the first (RFC 5545 §3.8.5.3), so that one may not cross the clocks otherwise."""
    if next(lines.own("DTEND"), None) is None or not start.zone:
        return
    end = _moment(lines, "DTEND", subject)
    clock, own = subject.clock_of(lines.text), end.zone
    if clock is None or not own:
        return

    def length(later: int) -> int:
        return instant_at(end.wall_seconds + later, own) - instant_at(start.wall_seconds + later, clock)

    if length(0) != length(by * 60):
        raise _NotQuick


def _moment(lines: ComponentEditor, name: str, subject: Subject) -> Moment:
    lines_of_name = list(lines.own(name))
    if len(lines_of_name) != 1:
        raise _NotQuick
    return moment_in(lines_of_name[0][1], subject.zones)


def _master(text: str, start: Moment, by: int) -> str:
    lines = ComponentEditor(text)
    rules = list(lines.own("RRULE"))
    if len(rules) != 1 or next(lines.own("EXRULE"), None) is not None:
        raise _NotQuick
    rule = parse_rule(rules[0][1].value.strip())
    if not _keeps_its_days(rule, start, by):
        raise _NotQuick
    if rule.until is not None:
        lines.change(rules[0][0], str(RuleText.of(rules[0][1].value).with_until(_until(rule.until, start, by), start)))
    for name in ("EXDATE", "RDATE"):
        for index, line in list(lines.own(name)):
            lines.change(index, ",".join(_dates(line, start, by)))
    return shifted_times(lines.text, by)


def _keeps_its_days(rule: Rule, start: Moment, by: int) -> bool:
    if rule.freq not in _BY_DAY or not _HOURS.isdisjoint(rule.by) or rule.other:
        return False
    if start.is_date and by % _DAY:
        return False
    if by % (7 * _DAY) == 0:
        return rule.freq in ("DAILY", "WEEKLY") and not rule.by and rule.interval == 1 and not start.is_date
    return (start.wall + timedelta(minutes=by)).date() == start.wall.date()


def _until(until: Moment, start: Moment, by: int) -> Moment:
    """An UNTIL as much later, on the clock of the series."""
    if until.is_date:
        if not start.is_date:
            raise _NotQuick
        return until._replace(wall=until.wall + timedelta(minutes=by))
    if until.zone != "UTC" or not start.zone:
        raise _NotQuick
    wall = wall_at(until.wall_seconds, start.zone)
    if instant_at(wall, start.zone) != until.wall_seconds:
        raise _NotQuick  # in an hour that comes twice
    return start._replace(wall=from_wall_seconds(wall + by * 60))


def _dates(line: ContentLine, start: Moment, by: int) -> list[str]:
    tzid = line.param("TZID") or ""
    made = []
    for item in line.value.split(","):
        moment = parse_moment(item.strip(), tzid)
        if moment.is_date != start.is_date or moment.tzid != start.tzid:
            raise _NotQuick
        made.append(value_of(moment._replace(wall=_later(moment.wall, by)))[0])
    return made


def _later(wall: datetime, by: int) -> datetime:
    return wall + timedelta(minutes=by)


def _override(text: str, start: Moment, by: int) -> str:
    lines = ComponentEditor(text)
    ids = list(lines.own("RECURRENCE-ID"))
    if len(ids) != 1 or ids[0][1].param("RANGE"):
        raise _NotQuick
    index, line = ids[0]
    moment = parse_moment(line.value.strip(), line.param("TZID") or "")
    if moment.is_date != start.is_date or moment.tzid != start.tzid:
        raise _NotQuick
    lines.change(index, value_of(moment._replace(wall=_later(moment.wall, by)))[0])
    return shifted_times(lines.text, by)


def shifted_times(text: str, by: int, names: tuple[str, ...] = ("DTSTART", "DTEND", "DUE", "TRIGGER")) -> str:
    """A text whose own times (and alarms at fixed times) are later by minutes; no other line changes.

    Raises:
        CannotChange: where hours do not apply, there is no time, or it would lie outside the years there are.
    """
    lines, shifted = ComponentEditor(text), False
    for index, raw in enumerate(lines.lines):
        if not raw[:7].upper().startswith(names):
            continue
        line = parsed(raw)
        if line is None or line.name not in names:
            continue
        if line.name == "TRIGGER" and (line.param("VALUE") or "").upper() != "DATE-TIME":
            continue
        try:
            moment = parse_moment(line.value.strip(), line.param("TZID") or "", "")
            if moment.is_date and by % _DAY:
                raise CannotChange("It is all-day; hours and minutes do not apply.")
            later = moment._replace(wall=moment.wall + timedelta(minutes=by))
        except NotAMoment:
            continue
        except OverflowError:
            raise CannotChange("It would be outside the supported years.") from None
        lines.change(index, basic_date(later.wall) if later.is_date else value_of(later)[0])
        shifted = shifted or line.name != "TRIGGER"
    if not shifted and names[0] != "TRIGGER":
        raise CannotChange("Its start cannot be read.")
    return lines.text
