"""Changes in bulk: steps done to many entries, one after the other, each saying what it cannot do and why.

>>> recipe = [Categories("add", ["Lab"]), Status("CONFIRMED")]
>>> text = "BEGIN:VTODO\\nUID:1\\nSUMMARY:Tide\\nEND:VTODO"
>>> [outcome] = change(Subject([SubjectMember(1, text)]), recipe)
>>> outcome.text.split("\\n")[3], outcome.why_not
('CATEGORIES:Lab', ('status confirmed: A to-do cannot be confirmed.',))

Only the lines that a step concerns are written; all others keep their bytes. What is changed gets a new DTSTAMP and
LAST-MODIFIED, and a new SEQUENCE where people would have to be told.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import groupby
from typing import Any, NamedTuple

from datebridge.core.bulk import attachments, people, remedies, splitting, timing, wording, zoning
from datebridge.core.bulk.demands import demand
from datebridge.core.bulk.steps import (
    TIMING,
    Alarms,
    AllDay,
    BeginSeries,
    Busy,
    Categories,
    CategoryInTitle,
    DaysAgain,
    Delete,
    DropPeople,
    EndSeries,
    FetchLinks,
    Fix,
    KeepByServer,
    LeaveBehind,
    LinkAttachments,
    MapAddress,
    Misread,
    MoveTo,
    OnClock,
    OneAlarm,
    PlainNotes,
    Privacy,
    Property,
    Recipe,
    Replace,
    SayInNotes,
    SecondSeries,
    Shift,
    Status,
    Step,
    Strip,
    Timed,
    ZoneNames,
    step_in_words,
)
from datebridge.core.bulk.subject import CannotChange, Subject, SubjectMember, kind_of
from datebridge.core.checks import ALL, CHECKS, examine
from datebridge.core.editing.groups import Group
from datebridge.core.editing.groups import SeriesMember as InSeries
from datebridge.core.editing.writing import stamped
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.series.health import heal
from datebridge.core.text.component import ComponentEditor

__all__ = [
    "CannotChange",
    "Outcome",
    "Recipe",
    "Step",
    "Subject",
    "SubjectMember",
    "change",
    "demand",
    "needs_series",
    "step_in_words",
]

_PLAIN: dict[type, Callable[[ComponentEditor, Any], None]] = {
    Categories: wording.categories,
    Replace: wording.replace,
    Busy: wording.busy,
    Privacy: wording.privacy,
    Status: wording.status,
    Strip: wording.strip,
    Property: wording.turn,
    MapAddress: people.map_address,
    Alarms: people.alarms,
    SayInNotes: remedies.say_in_notes,
    OneAlarm: remedies.one_alarm,
    CategoryInTitle: remedies.category_in_title,
    PlainNotes: remedies.plain_notes,
    LinkAttachments: attachments.link_attachments,
    KeepByServer: lambda lines, _: attachments.keep_by_server(lines),
}
_TIMES: dict[type, Callable[[Subject, Any], None]] = {
    Shift: timing.shift,
    AllDay: timing.all_day,
    Timed: timing.timed,
    EndSeries: timing.end_series,
    BeginSeries: timing.begin_series,
    OnClock: zoning.on_clock,
    Misread: zoning.misread,
    DaysAgain: zoning.days_again,
    SecondSeries: splitting.second_series,
}


class Outcome(NamedTuple):
    """What becomes of an entry.

    Attributes:
        text: None where it goes.
        notes: what has to be said of it.
        why_not: the steps that do not apply to it, each with the reason; only for entries that were chosen.
        left: it does not come along, and stays where it is as it was.
    """

    key: int
    text: str | None
    notes: tuple[str, ...] = ()
    why_not: tuple[str, ...] = ()
    left: bool = False


def needs_series(steps: Sequence[Step]) -> bool:
    """Whether a series has to be there with all its changed occurrences, chosen or not."""
    return any(
        isinstance(step, (*TIMING, LeaveBehind))
        or (isinstance(step, Delete) and step.before)
        or (isinstance(step, Fix) and ALL[step.check].of_series)
        for step in steps
    )


def change(subject: Subject, steps: Sequence[Step]) -> list[Outcome]:
    """Do steps to the chosen entries of a subject; returns those that were chosen, or became other ones."""
    before = {member.key: member.text for member in subject.members}
    why_not: dict[int, list[str]] = {}
    for plain, run in groupby(steps, lambda step: type(step) in _PLAIN):
        if plain:
            _do_plain(subject, list(run), why_not)
        else:
            for step in run:
                _do(subject, step, why_not)
    outcomes = []
    for member in subject.members:
        text = member.text
        if text is not None and text != before[member.key] and subject.stamp:
            text = stamped(text, subject.stamp, member.key in subject.significant)
        if member.chosen or text != before[member.key]:
            notes, not_done = subject.notes.get(member.key, ()), why_not.get(member.key, ())
            left = member.key in subject.left
            outcomes.append(Outcome(member.key, text, tuple(notes), tuple(not_done), left))
    return outcomes


def _do_plain(subject: Subject, steps: Sequence[Step], why_not: dict[int, list[str]]) -> None:
    """Steps that write lines of single entries, one after the other; one that does not apply leaves them."""
    for member in subject.members:
        if member.text is None or not member.chosen:
            continue
        lines = ComponentEditor(member.text)
        for step in steps:
            kept = list(lines.lines)
            try:
                _PLAIN[type(step)](lines, step)
            except CannotChange as error:
                lines.lines = kept
                why_not.setdefault(member.key, []).append(f"{step_in_words(step)}: {error}")
            if isinstance(step, Status) and lines.lines != kept:
                subject.significant.add(member.key)
        member.text = lines.text


def _do(subject: Subject, step: Step, why_not: dict[int, list[str]]) -> None:
    """One step, for all it concerns; where it does not apply, nothing of it is done and the reason is noted."""
    chosen = [member for member in subject.living if member.chosen]

    def cannot(members: Sequence[SubjectMember], error: CannotChange) -> None:
        for member in members:
            why_not.setdefault(member.key, []).append(f"{step_in_words(step)}: {error}")

    if isinstance(step, TIMING) or (isinstance(step, Delete) and step.before):
        # A series goes with its changes; without its master chosen each entry is for itself.
        master = subject.master
        together = master is not None and master.chosen
        for members in [chosen] if together else [[member] for member in chosen]:
            kept = [(member, member.text) for member in subject.members]
            try:
                part = subject if together else Subject(members, subject.zones, subject.stamp, subject.notes)
                _delete_before(part, step) if isinstance(step, Delete) else _TIMES[type(step)](part, step)
                subject.significant |= part.significant
            except CannotChange as error:
                for member, text in kept:
                    member.text = text
                cannot(members, error)
        return
    if isinstance(step, Fix) and ALL[step.check].of_series:
        _heal(subject, step)
        return
    if isinstance(step, LeaveBehind):
        for member in subject.living if chosen else ():  # a series as a whole
            member.text = None
            subject.left.add(member.key)
        return
    for member in chosen:
        text = member.text or ""
        try:
            _do_alone(subject, member, step)
        except CannotChange as error:
            member.text = text
            cannot([member], error)


def _heal(subject: Subject, step: Fix) -> None:
    """Put right what a check of whole series finds, in the entries that were chosen."""
    living = {member.key: member for member in subject.living}
    one = subject.master or next(iter(living.values()), None)
    if one is None:
        return
    clock = subject.clock_of(one.text or "")
    members = [InSeries(key, member.text or "") for key, member in living.items()]
    plan = heal(Group(members, clock, subject.zones), {step.check}, subject.stamp)
    for edit in plan.edits:
        if edit.id is not None and living[edit.id].chosen:
            living[edit.id].text = edit.text
    for reason in dict.fromkeys(plan.notes):
        subject.note(one, reason)


def _do_alone(subject: Subject, member: SubjectMember, step: Step) -> None:
    text = member.text or ""
    if isinstance(step, MoveTo):
        raise CannotChange("A file has no other calendars.")
    if isinstance(step, Fix):
        fix = CHECKS[step.check].fix
        fixed = fix(text) if fix is not None else None
        member.text = fixed if fixed is not None else text
        return
    if isinstance(step, Delete):
        facts = examine(kind_of(text), text, subject.zones)
        if any(problem.code == step.check for problem in facts.problems):
            member.text = None
        return
    if isinstance(step, ZoneNames):
        member.text = zoning.zone_names(text, subject.zones)
        return
    lines = ComponentEditor(text)
    if isinstance(step, DropPeople):
        people.drop_people(lines, step, subject, member)
    if isinstance(step, FetchLinks):
        attachments.fetch_links(lines, step, subject)
    member.text = lines.text


def _delete_before(subject: Subject, step: Delete) -> None:
    """Entries over before a day go; a series with its changed occurrences once all of them are over."""
    limit = wall_seconds_of(timing.day_of(step.before))
    facts = [derive(kind_of(m.text or ""), m.text or "", subject.zones) for m in subject.living]
    if all(_is_over(fact, limit) for fact in facts):
        for member in subject.living:
            member.text = None


def _is_over(facts: Facts, limit: int) -> bool:
    """Whether all of an entry has ended by a moment on its own clock; never of what has no time."""
    if facts.start_wall is None or facts.end_wall is None:
        return False
    if not facts.marks & Mark.SERIES:
        return facts.end_wall <= limit
    shape = pattern(facts.recurrence)
    long = max(facts.end_wall - facts.start_wall, shape.longest_extra)
    return next(shape.each(facts.start_wall, limit - long + 1, 1 << 40), None) is None
