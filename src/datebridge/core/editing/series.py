"""Edits of a series: this occurrence, this and all after it, or all; and what becomes of changed occurrences.

Afterwards the occurrences differ exactly where it was asked. What no rule can say is not said by one that is nearly
right: it is refused in words, or written as dates where that is wished.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Literal

from datebridge.core.editing.dates import (
    as_dates,
    ended,
    going_on,
    move_dates,
    numbered,
    only_early,
)
from datebridge.core.editing.fields import CannotEdit, Fields, end_wall_of, read_fields, set_times, shown_text, start_of
from datebridge.core.editing.groups import AsSeries, Edit, Group, Plan, SeriesMember, fields_at, first_slot
from datebridge.core.editing.moving import Across, Move, move_rule
from datebridge.core.editing.times import read_span, set_exact_length, value_of
from datebridge.core.editing.writing import FORMATTED, rewritten, touched
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.moments import Moment, from_wall_seconds, instant_at, wall_at
from datebridge.core.text.component import ComponentEditor, written

Scope = Literal["one", "following", "all"]
#: What a time of a series, in wall seconds on its clock, is on another.
Clocked = Callable[[int], int]


def edit(
    group: Group,
    target: int,
    slot: int | None,
    scope: Scope,
    after: Fields,
    stamp: str,
    fresh: str,
    listed: bool = False,
    clocks: tuple[Clocked, Clocked] | None = None,
) -> Plan:
    """Plan an edit of the occurrence of `target` in `slot` (None for a lone entry or an override itself).

    Args:
        after: the fields as they shall be, with the times of that occurrence.
        fresh: a UID for a series that starts again.
        listed: write a series as dates where no rule says what is wished.
        clocks: of an edit of all: what each start becomes on the clock of `after`, and the inverse; by as much as the
            one shown where they are not given.

    Raises:
        CannotEdit: where the fields make no entry, or no rule says what is wished.
    """
    member = group.member(target)
    master, series = group.master, group.series
    if slot is None or master is None or series is None:
        plan = Plan([Edit(member.id, rewritten(member.text, after, stamp, zones=group.zones), "Edited.")])
    elif scope == "one":
        plan = _one(group, series, slot, after, stamp)
    elif scope == "following" and slot != first_slot(series):
        plan = _following(group, series, slot, after, stamp, fresh, listed)
    else:
        plan = _all(group, master, slot, fields_at(master.text, slot, group.zones), after, stamp, listed, clocks)
    texts = {m.id: m.text for m in group.members}
    note = next((n for e in plan.edits if e.id in texts and e.text and (n := twin_note(texts[e.id], e.text))), "")
    plan.notes += [note] if note else []
    return plan


def remove(group: Group, target: int, slot: int | None, scope: Scope, stamp: str) -> Plan:
    """Plan taking an occurrence out, it and all after it, or everything.

    Raises:
        CannotEdit: where others would change with it.
    """
    member, master, series = group.member(target), group.master, group.series
    if slot is None and master is not None and member.id != master.id and scope == "one":
        if derive("VEVENT", member.text, group.zones).marks & Mark.FUTURE:
            raise CannotEdit(
                "This change holds for all that follow too (RANGE=THISANDFUTURE); without it they would go back to"
                " where they were. Delete this and all after it, or edit it."
            )
        slot = next((at for one, at in group.overrides if one.id == member.id), None)
    if slot is None or master is None or series is None or scope == "all":
        gone = [member] if scope == "one" or master is None else list(group.members)
        return Plan([Edit(one.id, None, "Deleted.") for one in gone])
    if scope == "one":
        lines = ComponentEditor(master.text)
        lines.add(written("EXDATE", *value_of(series.at(slot))))
        touched(lines, stamp, True)
        gone = [one for one, at in group.overrides if at == slot]
        return Plan(
            [
                Edit(master.id, lines.text, "One occurrence excluded."),
                *(Edit(one.id, None, "The excluded occurrence.") for one in gone),
            ]
        )
    if slot == first_slot(series):
        return Plan([Edit(member.id, None, "Deleted.") for member in group.members])
    after = [one for one, at in group.overrides if at >= slot]
    return Plan(
        [
            Edit(master.id, _ended(series, slot, stamp), "Ends before it."),
            *(Edit(one.id, None, "It came after.") for one in after),
        ]
    )


def twin_note(before: str, after: str) -> str:
    """What to say where an edit takes out a formatted copy of the notes; "" where it does not."""
    had, has = ([name for name in FORMATTED if next(ComponentEditor(text).own(name), None)] for text in (before, after))
    return "The formatted copy of the notes would be out of date; it is removed." if len(has) < len(had) else ""


# ---- one ----------------------------------------------------------------------------------------------


def _one(group: Group, series: AsSeries, slot: int, after: Fields, stamp: str) -> Plan:
    override = next((member for member, at in group.overrides if at == slot), None)
    after = replace(after, rule="", left_out=[])
    if override:
        return Plan(
            [Edit(override.id, rewritten(override.text, after, stamp, zones=group.zones), "One occurrence edited.")]
        )
    lines = standing_alone(series, slot)
    lines.lines.insert(1, written("RECURRENCE-ID", *value_of(series.at(slot))))
    return Plan([Edit(None, rewritten(lines.text, after, stamp, zones=group.zones), "One occurrence edited.")])


def standing_alone(series: AsSeries, slot: int) -> ComponentEditor:
    """The master's text as the one occurrence in a slot, as long as that."""
    lines = ComponentEditor(series.text)
    span = read_span(lines, series.zones)
    for name in ("RRULE", "RDATE", "EXDATE", "EXRULE"):
        lines.drop(name)
    start = series.at(slot)
    if slot != series.begin:
        lines.set("DTSTART", *value_of(start))
    long = series.shape.extra.get(slot)
    if long is not None:
        lines.drop("DTEND")
        set_exact_length(lines, start, None, long[1], long[0])
    elif span.form == "end" and slot != series.begin:
        set_exact_length(lines, start, span.end, span.exact)
    return lines


# ---- all ----------------------------------------------------------------------------------------------


def _all(
    group: Group,
    master: SeriesMember,
    slot: int,
    shown: Fields,
    after: Fields,
    stamp: str,
    listed: bool,
    clocks: tuple[Clocked, Clocked] | None = None,
) -> Plan:
    """Edit a whole series: what was shown at one slot and is now otherwise is otherwise at every slot."""
    zones = group.zones
    series = AsSeries(master.text, zones)
    text = master.text
    if after.left_out != shown.left_out:
        text = rewritten(text, replace(series.fields, left_out=after.left_out), stamp, zones=zones)
        series = AsSeries(text, zones)
    new = start_of(after, zones)
    move = Move(series.start, new._replace(wall=from_wall_seconds(Move(series.at(slot), new).of(series.begin))))
    if clocks is not None:
        move = Across(series.start, new._replace(wall=from_wall_seconds(clocks[0](series.begin))), *clocks)
    moved = move.old != move.new or clocks is not None
    wanted, exact = _whole_request(series, shown, after, move)
    wanted.left_out = series.fields.left_out
    by_hand = after.rule != shown.rule
    wanted.rule = after.rule if by_hand else series.fields.rule
    plan = Plan([])
    if moved and not by_hand:
        text = _moved(series, move, wanted, exact, stamp, listed, plan)
    else:
        text = rewritten(text, wanted, stamp, zones=zones, exact=exact)
        if moved:
            lines = ComponentEditor(text)
            old = [line.value for _, line in ComponentEditor(series.text).own("RRULE")]
            move_dates(lines, series.start, move, zones, series.shape, old)
            text = lines.text
    plan.edits.append(Edit(master.id, text, "The whole series edited."))
    _overrides_after(group, AsSeries(text, zones), move, moved, stamp, plan)
    return plan


def _whole_request(series: AsSeries, shown: Fields, after: Fields, move: Move) -> tuple[Fields, int | None]:
    """The fields of the whole series from those of one occurrence, and its length in seconds if that is to be kept."""
    wanted = replace(after)
    before = series.fields
    span = read_span(ComponentEditor(series.text), series.zones)
    begin = move.of(series.begin)
    wanted.start = shown_text(from_wall_seconds(begin), after.whole)
    long = end_wall_of(after) - start_of(after).wall
    as_long = long == end_wall_of(shown) - start_of(shown).wall and after.whole == shown.whole
    if move.old == move.new and as_long:
        wanted.start, wanted.end = before.start, before.end
        return wanted, None
    clock = move.new.zone
    exact: int | None = None
    if as_long and span.form == "end" and clock and not after.whole:
        exact = span.exact
    elif not as_long and clock and not after.whole:
        ends = [Moment(wall).wall_seconds for wall in (start_of(after).wall, end_wall_of(after))]
        exact = max(0, instant_at(ends[1], clock) - instant_at(ends[0], clock))
        if ends[1] < ends[0]:
            raise CannotEdit("The end is before the start.")
    if exact is not None and clock:
        end = wall_at(instant_at(begin, clock) + exact, clock)
    else:
        own = end_wall_of(before) - start_of(before).wall if as_long else long
        end = begin + int(own.total_seconds())
    set_times(wanted, begin, end)
    return wanted, exact


def _moved(
    series: AsSeries, move: Move, wanted: Fields, exact: int | None, stamp: str, listed: bool, plan: Plan
) -> str:
    """A series written at other times, its rules, extra and exception dates with it."""
    rules = {}
    unsaid = None
    old = [line.value for _, line in ComponentEditor(series.text).own("RRULE")]
    for index, line in ComponentEditor(series.text).own("RRULE"):
        rules[index] = move_rule(line.value, move)
        unsaid = line.value if rules[index] is None else unsaid
    if unsaid is not None and not (listed and series.dates):
        raise _cannot_say(series, unsaid)
    lines = ComponentEditor(series.text)
    if unsaid is not None:
        number = as_dates(lines, series.start, move, series.zones, series.shape, series.begin)
        plan.notes.append(f"No rule can express this, so the series becomes {numbered(number, 'date')}, one by one.")
    else:
        for index, rule in rules.items():
            if rule is not None and rule != lines.lines[index].partition(":")[2]:
                lines.change(index, rule)
        move_dates(lines, series.start, move, series.zones, series.shape, old)
    # The dates stand where they belong; what remains is the start, the end, and everything else.
    left = read_fields(lines.text, series.zones)
    return rewritten(
        lines.text, replace(wanted, rule=left.rule, left_out=left.left_out), stamp, zones=series.zones, exact=exact
    )


def _cannot_say(series: AsSeries, rule: str) -> CannotEdit:
    number = series.dates
    offer = "Change this one alone, or give the series another rule."
    if number:
        offer = f"Write it as {numbered(number, 'date')}, one by one; or change this one alone."
    return CannotEdit(
        f"The series goes by {series.facts.repeats or rule}, and no such rule has every occurrence moved like this one."
        f" {offer}",
        number,
    )


def _overrides_after(group: Group, series: AsSeries, move: Move, moved: bool, stamp: str, plan: Plan) -> None:
    """What becomes of changed occurrences once the series is another."""
    stay = gone = 0
    for member, at in group.overrides:
        if group.series is not None and not group.series.has(at):
            continue  # it did not belong to the series before either, and is not taken away with it
        if not series.has(move.of(at)):
            gone += 1
            plan.edits.append(Edit(member.id, None, "The series does not happen there any more."))
            continue
        stay += 1
        if moved:
            lines = ComponentEditor(member.text)
            lines.set("RECURRENCE-ID", *value_of(move.moment(at)))
            touched(lines, stamp, False)
            plan.edits.append(Edit(member.id, lines.text, "Stands for the same occurrence of the moved series."))
    if stay:
        keep = "keeps" if stay == 1 else "keep"
        plan.notes.append(f"{numbered(stay, 'changed occurrence')} {keep} what was changed, and when.")
    if gone:
        fall = "falls" if gone == 1 else "fall"
        plan.notes.append(f"{numbered(gone, 'changed occurrence')} no longer {fall} in the series and will be deleted.")


# ---- this and all after -------------------------------------------------------------------------------


def _ended(series: AsSeries, slot: int, stamp: str) -> str:
    """A series that ends before a slot."""
    lines = ComponentEditor(series.text)
    if slot <= series.begin:
        only_early(lines, series.start, series.zones, slot)
    else:
        ended(lines, series.start, series.zones, slot)
    touched(lines, stamp, True)
    return lines.text


def _following(group: Group, series: AsSeries, slot: int, after: Fields, stamp: str, fresh: str, listed: bool) -> Plan:
    """Split a series: the old one ends before the slot, a new one goes on from it."""
    assert group.master is not None  # noqa: S101
    shown = fields_at(series.text, slot, series.zones)
    lines = ComponentEditor(series.text)
    lines.set("UID", fresh)
    notes = going_on(lines, series.start, series.zones, series.shape, series.begin, slot)
    base = lines.text
    own = fields_at(base, slot, series.zones)
    wanted = replace(after, rule=own.rule if after.rule == shown.rule else after.rule)
    if after.left_out == shown.left_out:
        wanted.left_out = own.left_out
    later = [SeriesMember(member.id, member.text) for member, at in group.overrides if at >= slot]
    rest = Group([SeriesMember(-1, base), *later], group.clock, group.zones)
    if rest.series is None:  # nothing but this one is left
        edits = [Edit(-1, rewritten(base, replace(wanted, rule=own.rule), stamp, zones=group.zones), "")]
        moved = Plan(edits)
    else:
        moved = _all(rest, SeriesMember(-1, base), slot, own, wanted, stamp, listed)
    plan = Plan([Edit(group.master.id, _ended(series, slot, stamp), "Ends before the change.")], notes + moved.notes)
    texts = {made.id: made for made in moved.edits}
    plan.edits.append(Edit(None, texts[-1].text, "Continues with the change."))
    for member in later:
        made = texts.get(member.id, Edit(member.id, member.text, ""))
        plan.edits.append(Edit(member.id, None, "Continues with the new series."))
        if made.text is not None:
            renamed = ComponentEditor(made.text)
            renamed.set("UID", fresh)
            plan.edits.append(Edit(None, renamed.text, "Continues with the new series."))
    return plan
