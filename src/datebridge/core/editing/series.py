"""Edits of a series: this occurrence, this and all after it, or all; and what becomes of changed occurrences."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Literal, NamedTuple

from datebridge.core.editing.fields import (
    CannotEdit,
    Fields,
    end_wall_of,
    moment_of,
    read_fields,
    set_times,
    start_of,
    wall_of,
)
from datebridge.core.editing.lines import Lines, written
from datebridge.core.editing.writing import rewritten, touched, value_of, written_rule
from datebridge.core.events import derive
from datebridge.core.ics.lines import ContentLine
from datebridge.core.moments import Clock, Moment, NotAMoment, from_wall_seconds, parse_moment
from datebridge.core.recurrence.occurrences import slot_of
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.recurrence.rules import WEEKDAYS, parse_rule

Scope = Literal["one", "following", "all"]


class Member(NamedTuple):
    """One entry of a UID: what it is stored as, and its text."""

    id: int
    text: str


class Edit(NamedTuple):
    """What becomes of an entry: `text` None if it goes, `id` None if it is new."""

    id: int | None
    text: str | None
    reason: str


@dataclass(slots=True)
class Plan:
    """The edits, and sentences that say what else they do."""

    edits: list[Edit] = field(default_factory=list)
    said: list[str] = field(default_factory=list)


@dataclass(slots=True)
class Group:
    """A series (or a lone entry) with its overrides. `clock` is what its master goes by."""

    members: Sequence[Member]
    clock: Clock | None = None

    @property
    def master(self) -> Member | None:
        return next((m for m in self.members if not Lines(m.text).value("RECURRENCE-ID")), None)

    @property
    def overrides(self) -> list[tuple[Member, int]]:
        """Overrides with the slots they stand for."""
        found = []
        for member in self.members:
            key = derive("VEVENT", member.text).recurrence_id
            slot = slot_of(key, self.clock) if key else None
            if slot is not None:
                found.append((member, slot))
        return found

    def member(self, wanted: int) -> Member:
        for member in self.members:
            if member.id == wanted:
                return member
        raise CannotEdit("This entry is not there any more.")


def fields_at(text: str, slot: int | None) -> Fields:
    """The fields of an entry; of a series, with the times of the occurrence in a slot."""
    fields = read_fields(text)
    if slot is not None and fields.start:
        begin = start_of(fields).wall
        length = end_wall_of(fields) - begin
        start = from_wall_seconds(slot)
        set_times(fields, slot, Moment(start + length).wall_seconds)
    return fields


def edit(group: Group, target: int, slot: int | None, scope: Scope, after: Fields, stamp: str, fresh: str) -> Plan:
    """Plan an edit of the occurrence of `target` in `slot` (None for a lone entry or an override itself).

    Args:
        after: the fields as they shall be, with the times of that occurrence.
        fresh: a UID for a series that begins anew.

    Raises:
        CannotEdit: where the fields make no entry.
    """
    member = group.member(target)
    master = group.master
    if slot is None or master is None or not _is_series(master.text):
        return Plan([Edit(member.id, rewritten(member.text, after, stamp), "Edited.")])
    if scope == "one":
        return _one(group, master, slot, after, stamp)
    if scope == "following" and slot != _start(master.text):
        return _following(group, master, slot, after, stamp, fresh)
    return _all(group, master, fields_at(master.text, slot), after, stamp)


def remove(group: Group, target: int, slot: int | None, scope: Scope, stamp: str) -> Plan:
    """Plan taking an occurrence out, it and all after it, or everything."""
    member, master = group.member(target), group.master
    if slot is None and master is not None and member.id != master.id and scope == "one":
        slot = next((at for one, at in group.overrides if one.id == member.id), None)
    if slot is None or master is None or not _is_series(master.text) or scope == "all":
        gone = [member] if scope == "one" or master is None else list(group.members)
        return Plan([Edit(one.id, None, "Deleted.") for one in gone])
    if scope == "one":
        lines = Lines(master.text)
        value, params = value_of(_moment_at(master.text, slot))
        lines.add(written(ContentLine("EXDATE", (), ""), value, params))
        touched(lines, stamp, True)
        gone = [one for one, at in group.overrides if at == slot]
        return Plan([Edit(master.id, lines.text, "One occurrence left out."),
                     *(Edit(one.id, None, "The left-out occurrence.") for one in gone)])  # fmt: skip
    if slot == _start(master.text):
        return Plan([Edit(one.id, None, "Deleted.") for one in group.members])
    after = [one for one, at in group.overrides if at >= slot]
    return Plan([Edit(master.id, _ended(master.text, slot, stamp), "Ends before it."),
                 *(Edit(one.id, None, "It came after.") for one in after)])  # fmt: skip


def _is_series(text: str) -> bool:
    return bool(derive("VEVENT", text).recurrence)


def _start(text: str) -> int:
    return derive("VEVENT", text).start_wall or 0


def _moment_at(text: str, slot: int) -> Moment:
    """A slot as a moment of the series, as its DTSTART is written."""
    return start_of(read_fields(text))._replace(wall=from_wall_seconds(slot))


# ---- one ----------------------------------------------------------------------------------------------


def _one(group: Group, master: Member, slot: int, after: Fields, stamp: str) -> Plan:
    known = next((one for one, at in group.overrides if at == slot), None)
    after = replace(after, rule="", left_out=[])
    if known:
        return Plan([Edit(known.id, rewritten(known.text, after, stamp), "One occurrence edited.")])
    lines = Lines(_standing_alone(master.text, slot))
    lines.lines.insert(1, written(ContentLine("RECURRENCE-ID", (), ""), *value_of(_moment_at(master.text, slot))))
    return Plan([Edit(None, rewritten(lines.text, after, stamp), "One occurrence edited.")])


def _standing_alone(text: str, slot: int) -> str:
    """The master's text as the one occurrence in a slot."""
    lines = Lines(text)
    for name in ("RRULE", "RDATE", "EXDATE", "EXRULE"):
        lines.drop(name)
    fields = fields_at(text, slot)
    return rewritten(lines.text, replace(fields, rule="", left_out=[]), "", touch=False)


# ---- all ----------------------------------------------------------------------------------------------


def _all(group: Group, master: Member, shown: Fields, after: Fields, stamp: str) -> Plan:
    """Edit a whole series: what was shown at one slot and is now otherwise is otherwise at every slot."""
    before = read_fields(master.text)
    shift = start_of(after).wall - start_of(shown).wall
    begin = start_of(before).wall + shift
    wanted = replace(after)
    wanted.start, wanted.end = "", ""
    set_times(wanted, Moment(begin).wall_seconds, Moment(begin + _length(after)).wall_seconds)
    own_left_out = shown.left_out == after.left_out
    moved = bool(shift) or (after.whole, after.zone) != (before.whole, before.zone)
    if moved and own_left_out:
        wanted.left_out = [_moved_text(text, before, after, shift) for text in before.left_out]
    if after.rule == before.rule and after.rule:
        wanted.rule = moved_rule(before.rule, start_of(before).wall, begin)
    text = _moved(master.text, before, wanted, shift, stamp) if moved else rewritten(master.text, wanted, stamp)
    plan = Plan([Edit(master.id, text, "The whole series edited.")])
    facts, shape = derive("VEVENT", text), pattern(derive("VEVENT", text).recurrence)
    stay = gone = 0
    for one, at in group.overrides:
        slot = Moment(from_wall_seconds(at) + shift).wall_seconds
        if facts.start_wall is None or slot not in shape.slots(facts.start_wall, slot, slot + 1):
            gone += 1
            plan.edits.append(Edit(one.id, None, "The series does not happen there any more."))
        elif moved:
            stay += 1
            lines = Lines(one.text)
            moment = start_of(wanted)._replace(wall=from_wall_seconds(slot))
            lines.set("RECURRENCE-ID", *value_of(moment))
            touched(lines, stamp, False)
            plan.edits.append(Edit(one.id, lines.text, "Stands for the same occurrence of the moved series."))
        else:
            stay += 1
    if stay:
        plan.said.append(f"{_counted(stay)} keep{'s' if stay == 1 else ''} what was changed, and when.")
    if gone:
        plan.said.append(
            f"{_counted(gone)} no longer fall{'s' if gone == 1 else ''} in the series and will be deleted."
        )
    return plan


def _counted(number: int) -> str:
    return f"{number} changed occurrence{'s' if number > 1 else ''}"


def _length(fields: Fields) -> timedelta:
    return end_wall_of(fields) - start_of(fields).wall


def _moved_text(text: str, before: Fields, after: Fields, shift: timedelta) -> str:
    wall = wall_of(text) + shift
    if after.whole:
        return f"{wall:%Y-%m-%d}"
    if before.whole or len(text) == 10:
        return f"{datetime.combine(wall.date(), wall_of(after.start).time()):%Y-%m-%dT%H:%M}"
    return f"{wall:%Y-%m-%dT%H:%M}"


def _moved(text: str, before: Fields, wanted: Fields, shift: timedelta, stamp: str) -> str:
    """A series written at other times, its left-out and extra dates on the clock it then goes by."""
    lines = Lines(text)
    lines.drop("EXDATE")
    clock = start_of(wanted)
    params = value_of(clock)[1]
    for index, line in list(lines.own("RDATE")):
        values = []
        for item in line.value.split(","):
            first, slash, rest = item.partition("/")
            try:
                wall = parse_moment(first.strip(), line.param("TZID") or "").on_clock_of(start_of(before)) + shift
                values.append(value_of(clock._replace(wall=wall))[0] + slash + rest)
            except NotAMoment:
                values.append(item)
        named = {"TZID": params["TZID"]} if "/" in line.value else params
        lines.lines[index] = written(line, ",".join(values), named)
    lines = Lines(rewritten(lines.text, replace(wanted, left_out=[]), stamp))
    for left in wanted.left_out:
        value, named = value_of(moment_of(left, wanted))
        lines.add(written(ContentLine("EXDATE", (), ""), value, named))
    return lines.text


def moved_rule(text: str, before: datetime, after: datetime) -> str:
    """The rule of a series whose start is moved: weekdays and days of the month go along, UNTIL too.

    >>> moved_rule("FREQ=WEEKLY;BYDAY=MO,WE", datetime(2026, 11, 23), datetime(2026, 11, 24))
    'FREQ=WEEKLY;BYDAY=TU,TH'
    """
    rule = parse_rule(text)
    days = (after.date() - before.date()).days
    parts = []
    for part in text.strip().rstrip(";").split(";"):
        name, _, value = part.partition("=")
        name = name.upper()
        if name == "UNTIL" and rule.until is not None and before != after:
            until = rule.until.wall + (after - before)
            value = f"{until:%Y%m%d}" if rule.until.is_date else f"{until:%Y%m%dT%H%M%S}" + value[15:]
        elif name == "BYDAY" and days and rule.freq == "WEEKLY":
            value = ",".join(WEEKDAYS[(WEEKDAYS.index(day) + days) % 7] for _, day in rule.byday)
        elif name == "BYDAY" and days and len(rule.byday) == 1:
            nth, day = rule.byday[0]
            if WEEKDAYS.index(day) == before.weekday():
                nth = (after.day - 1) // 7 + 1 if nth > 0 else nth
                value = f"{nth or ''}{WEEKDAYS[after.weekday()]}"
        elif name == "BYMONTHDAY" and days and rule.by.get("BYMONTHDAY") == (before.day,):
            value = str(after.day)
        elif name == "BYMONTH" and days and rule.by.get("BYMONTH") == (before.month,) and rule.freq == "YEARLY":
            value = str(after.month)
        parts.append(f"{name}={value}")
    return ";".join(parts)


# ---- this and all after -------------------------------------------------------------------------------


def _ended(text: str, slot: int, stamp: str) -> str:
    """A series that ends before a slot."""
    lines = Lines(text)
    start = _moment_at(text, slot)
    last = start._replace(wall=start.wall - (timedelta(days=1) if start.is_date else timedelta(seconds=1)))
    for index, line in list(lines.own("RRULE")):
        parts = [p for p in line.value.split(";") if not p.upper().startswith(("UNTIL=", "COUNT="))]
        until = f"UNTIL={last.wall:%Y%m%d}" if start.is_date else f"UNTIL={last.wall:%Y%m%dT%H%M%S}"
        lines.lines[index] = written(line, written_rule(";".join([*parts, until]), start))
    _keep_dates(lines, start, lambda wall: wall < slot)
    touched(lines, stamp, True)
    return lines.text


def _keep_dates(lines: Lines, start: Moment, keep) -> None:  # type: ignore[no-untyped-def]
    """Leave only the extra and left-out dates whose slot is to be kept."""
    for name in ("EXDATE", "RDATE"):
        for index, line in reversed(list(lines.own(name))):
            stay = []
            for item in line.value.split(","):
                try:
                    moment = parse_moment(item.partition("/")[0].strip(), line.param("TZID") or "")
                except NotAMoment:
                    stay.append(item)
                    continue
                if keep(Moment(moment.on_clock_of(start)).wall_seconds):
                    stay.append(item)
            if not stay:
                del lines.lines[index]
            elif len(stay) < len(line.value.split(",")):
                lines.lines[index] = written(line, ",".join(stay))


def _following(group: Group, master: Member, slot: int, after: Fields, stamp: str, fresh: str) -> Plan:
    """Split a series: the old one ends before the slot, a new one goes on from it."""
    old = derive("VEVENT", master.text)
    lines = Lines(master.text)
    lines.set("UID", fresh)
    start = _moment_at(master.text, slot)
    _keep_dates(lines, start, lambda wall: wall >= slot)
    shown = fields_at(master.text, slot)
    for index, line in list(lines.own("RRULE")):
        rule = parse_rule(line.value)
        if rule.count is not None and old.start_wall is not None:
            before = len(list(pattern(rule.text).each(old.start_wall, old.start_wall, slot)))
            parts = [p for p in line.value.split(";") if not p.upper().startswith("COUNT=")]
            lines.lines[index] = written(line, ";".join([*parts, f"COUNT={max(1, rule.count - before)}"]))
    base = rewritten(lines.text, replace(read_fields(lines.text), start=shown.start, end=shown.end), stamp, touch=False)
    own = read_fields(base)
    wanted = replace(after, rule=own.rule if after.rule == shown.rule else after.rule)
    if after.left_out == shown.left_out:
        wanted.left_out = own.left_out
    later = [Member(one.id, one.text) for one, at in group.overrides if at >= slot]
    moved = _all(Group([Member(-1, base), *later], group.clock), Member(-1, base), own, wanted, stamp)
    plan = Plan([Edit(master.id, _ended(master.text, slot, stamp), "Ends before the change.")], moved.said)
    texts = {made.id: made for made in moved.edits}
    plan.edits.append(Edit(None, texts[-1].text, "Goes on with the change."))
    for one in later:
        made = texts.get(one.id, Edit(one.id, one.text, ""))
        plan.edits.append(Edit(one.id, None, "Goes on with the new series."))
        if made.text is not None:
            renamed = Lines(made.text)
            renamed.set("UID", fresh)
            plan.edits.append(Edit(None, renamed.text, "Goes on with the new series."))
    return plan
