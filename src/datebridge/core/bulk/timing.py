"""Steps about times: shifted, as all-day events, as hours, series cut at either end. A series goes with its changes.

>>> member = SubjectMember(1, "BEGIN:VEVENT\\nDTSTART;TZID=Europe/Oslo:20261124T090000\\nDURATION:PT1H\\nEND:VEVENT")
>>> shift(Subject([member]), Shift(minutes=-60))
>>> member.text.split("\\n")[1]
'DTSTART;TZID=Europe/Oslo:20261124T080000'
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from datetime import date, datetime, time, timedelta

from datebridge.core.bulk.quick import shifted_series, shifted_times
from datebridge.core.bulk.steps import AllDay, BeginSeries, EndSeries, Shift, Timed
from datebridge.core.bulk.subject import CannotChange, Subject, SubjectMember, kind_of
from datebridge.core.editing.dates import going_on
from datebridge.core.editing.fields import CannotEdit, Fields, end_wall_of, read_fields, shown_text, start_of
from datebridge.core.editing.groups import Group, fields_at
from datebridge.core.editing.groups import SeriesMember as Entry
from datebridge.core.editing.series import Clocked, edit, remove
from datebridge.core.editing.writing import rewritten
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.moments import wall_seconds_of
from datebridge.core.occurrences.expanding import slot_of
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.text.component import ComponentEditor
from datebridge.core.tzids import resolve

_ONE_DAY = 86400
_SERIES = ("\nRRULE", "\nRDATE", "\nEXDATE", "\nRECURRENCE-ID")


def _is_plain(text: str) -> bool:
    """Whether an entry happens once and belongs to no series."""
    upper = text.upper()
    return not any(name in upper for name in _SERIES)


def group_of(subject: Subject, master: SubjectMember) -> Group:
    """A series with all that belongs to it, as it can be edited."""
    clock = subject.clock_of(master.text or "")
    return Group([Entry(m.key, m.text or "") for m in subject.living], clock, subject.zones)


def _take(subject: Subject, plan_edits: Iterable[tuple[int | None, str | None]]) -> None:
    """Have members be what a plan makes of them."""
    members = {member.key: member for member in subject.members}
    for key, text in plan_edits:
        if key is not None and key in members:
            members[key].text = text
            subject.significant.add(key)


def each(subject: Subject, whole: Callable[[SubjectMember], None], single: Callable[[SubjectMember], None]) -> None:
    """Do a step to each chosen member: to a master with all that belongs to it, to others alone.

    Raises:
        CannotChange: where it does not apply.
    """
    chosen = [member for member in subject.living if member.chosen]
    master = subject.master if any(member is subject.master for member in chosen) else None
    if master is not None and master.text is not None and not _is_plain(master.text):
        whole(master)
        return
    for member in chosen:
        single(member)


# ---- shifted ------------------------------------------------------------------------------------------


def shift(subject: Subject, step: Shift) -> None:
    """Everything earlier or later on its own clock, alarms at fixed times too.

    Raises:
        CannotChange: where hours do not apply, or no rule says the series so.
    """
    by = step.days * 1440 + step.minutes
    if not by:
        return

    def single(member: SubjectMember) -> None:
        member.text = shifted_times(member.text or "", by)
        subject.significant.add(member.key)

    def whole(master: SubjectMember) -> None:
        quick = shifted_series(subject, by)
        if quick is not None:
            _take(subject, quick.items())
            return
        text = master.text or ""
        shown = read_fields(text, subject.zones)
        if not shown.start:
            raise CannotChange("Its start cannot be read.")
        if shown.whole and by % 1440:
            raise CannotChange("It is all-day; hours and minutes do not apply.")
        begin = start_of(shown, subject.zones).wall_seconds
        after = _moved(fields_at(text, begin, subject.zones), by)
        others = {m.key: m.text for m in subject.living if m is not master}
        edit_all(subject, master, begin, after)
        for member in subject.living:
            if member.key in others:
                member.text = shifted_times(member.text or "", by)
        master.text = shifted_times(master.text or "", by, ("TRIGGER",))

    each(subject, whole, single)


def _moved(fields: Fields, by: int) -> Fields:
    start, end = start_of(fields), end_wall_of(fields)
    try:
        first, last = start.wall + timedelta(minutes=by), end + timedelta(minutes=by)
    except OverflowError:
        raise CannotChange("It would be outside the supported years.") from None
    if fields.whole:
        last -= timedelta(days=1)
    return replace(fields, start=shown_text(first, fields.whole), end=shown_text(last, fields.whole))


def edit_all(
    subject: Subject,
    master: SubjectMember,
    begin: int,
    after: Fields,
    listed: bool = False,
    clocks: tuple[Clocked, Clocked] | None = None,
) -> None:
    """Edit a whole series; see `editing.series.edit`.

    Raises:
        CannotChange: where no rule says it.
    """
    try:
        plan = edit(group_of(subject, master), master.key, begin, "all", after, subject.stamp, "", listed, clocks)
    except CannotEdit as error:
        raise CannotChange(str(error)) from error
    _take(subject, [(edit.id, edit.text) for edit in plan.edits])
    gone = [edit for edit in plan.edits if edit.text is None]
    for text in plan.notes if gone else ():
        subject.note(master, text)


# ---- whole days, and hours ------------------------------------------------------------------------------


def all_day(subject: Subject, step: AllDay) -> None:
    """Times become the days on which it happens; a series with its changed occurrences.

    Raises:
        CannotChange: where an entry has no time.
    """

    def make(fields: Fields) -> Fields:
        if fields.whole:
            return fields
        start, end = start_of(fields).wall, end_wall_of(fields)
        last = end - timedelta(seconds=1) if end > start else start
        return replace(fields, whole=True, zone="", start=start.date().isoformat(), end=last.date().isoformat())

    _convert(subject, make)


def timed(subject: Subject, step: Timed) -> None:
    """Whole days become times; what has times keeps them.

    Raises:
        CannotChange: where the zone is none, or an entry has no time.
    """
    if step.zone and resolve(step.zone).method == "unresolved" and step.zone not in subject.zones:
        raise CannotChange(f"“{step.zone[:60]}” is not a time zone.")
    at = _clock(step.at)

    def make(fields: Fields) -> Fields:
        if not fields.whole:
            return fields
        first = date.fromisoformat(fields.start)
        last = date.fromisoformat(fields.end or fields.start)
        start = datetime.combine(first, at)
        end = datetime.combine(last, at) + timedelta(minutes=step.minutes)
        return replace(fields, whole=False, zone=step.zone, start=shown_text(start, False), end=shown_text(end, False))

    _convert(subject, make)


def _clock(text: str) -> time:
    try:
        return time.fromisoformat(text.strip()).replace(tzinfo=None, second=0, microsecond=0)
    except ValueError:
        raise CannotChange(f"“{text[:20]}” is not a time of day. Write 09:00.") from None


def _convert(subject: Subject, make: Callable[[Fields], Fields]) -> None:
    def single(member: SubjectMember) -> None:
        text = member.text or ""
        fields = placed(text, subject)
        after = make(fields)
        if after is not fields:
            member.text = rewritten_so(text, after, subject)
            subject.significant.add(member.key)

    def whole(master: SubjectMember) -> None:
        text = master.text or ""
        fields = placed(text, subject)
        begin = start_of(fields, subject.zones).wall_seconds
        shown = fields_at(text, begin, subject.zones)
        after = make(shown)
        if after is not shown:
            edit_all(subject, master, begin, after)
        for member in subject.living:
            if member is not master:
                single(member)

    each(subject, whole, single)


def placed(text: str, subject: Subject) -> Fields:
    """The fields of an entry that has a time.

    Raises:
        CannotChange: if it does not.
    """
    fields = read_fields(text, subject.zones)
    if not fields.start:
        raise CannotChange("Its start cannot be read.")
    return fields


def rewritten_so(text: str, after: Fields, subject: Subject) -> str:
    """An entry with other fields, as its calendar would have it.

    Raises:
        CannotChange: if they make no entry.
    """
    try:
        return rewritten(text, after, subject.stamp, touch=False, zones=subject.zones)
    except CannotEdit as error:
        raise CannotChange(str(error)) from error


# ---- series cut at either end -----------------------------------------------------------------------------


def end_series(subject: Subject, step: EndSeries) -> None:
    """A series happens for the last time on a day.

    Raises:
        CannotChange: where it begins later.
    """
    after = wall_seconds_of(day_of(step.last)) + _ONE_DAY

    def whole(master: SubjectMember) -> None:
        text = master.text or ""
        facts = derive(kind_of(text), text, subject.zones)
        if not facts.marks & Mark.SERIES or facts.start_wall is None:
            return
        shape = pattern(facts.recurrence)
        slot = next(shape.each(facts.start_wall, after, 1 << 40), None)
        if slot is None:
            return
        if next(shape.each(facts.start_wall, -(1 << 40), after), None) is None:
            raise CannotChange("It starts after that day.")
        plan = remove(group_of(subject, master), master.key, slot, "following", subject.stamp)
        _take(subject, [(edit.id, edit.text) for edit in plan.edits])

    each(subject, whole, _as_it_is)


def begin_series(subject: Subject, step: BeginSeries) -> None:
    """A series begins on a day or later; changed occurrences before it go.

    Raises:
        CannotChange: where it is over by then.
    """
    low = wall_seconds_of(day_of(step.first))

    def whole(master: SubjectMember) -> None:
        text = master.text or ""
        facts = derive(kind_of(text), text, subject.zones)
        if not facts.marks & Mark.SERIES or facts.start_wall is None:
            return
        shape = pattern(facts.recurrence)
        slot = next(shape.each(facts.start_wall, low, 1 << 40), None)
        if slot is None:
            raise CannotChange("It ends before that day.")
        if next(shape.each(facts.start_wall, -(1 << 40), low), None) is None:
            return
        clock = subject.clock_of(text)
        others = [
            (m, derive(kind_of(m.text or ""), m.text or "", subject.zones)) for m in subject.living if m is not master
        ]
        if any(facts.marks & Mark.FUTURE for _, facts in others):
            raise CannotChange("One of its changes applies to all following occurrences (RANGE=THISANDFUTURE).")
        lines = ComponentEditor(text)
        start = start_of(read_fields(text, subject.zones), subject.zones)
        try:
            notes = going_on(lines, start, subject.zones, shape, facts.start_wall, slot)
        except CannotEdit as error:
            raise CannotChange(str(error)) from error
        for note in notes:
            subject.note(master, note)
        early = [m for m, own in others if (at := slot_of(own.recurrence_id, clock)) is not None and at < slot]
        _take(subject, [(master.key, lines.text), *((member.key, None) for member in early)])

    each(subject, whole, _as_it_is)


def _as_it_is(member: SubjectMember) -> None:
    """What happens once is no series that could end or begin."""


def day_of(text: str) -> date:
    """A day as it is written in a step.

    Raises:
        CannotChange: if it is none.
    """
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise CannotChange(f"“{text[:20]}” is not a date. Write 2026-12-31.") from None
