"""A change for this and all following occurrences, said as a second series."""

from __future__ import annotations

from dataclasses import replace
from itertools import zip_longest

from datebridge.core.bulk.steps import SecondSeries
from datebridge.core.bulk.subject import CannotChange, Subject, SubjectMember, kind_of
from datebridge.core.bulk.timing import each, group_of
from datebridge.core.editing.fields import CannotEdit, read_fields
from datebridge.core.editing.groups import Group, fields_at
from datebridge.core.editing.series import edit
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.series.proving import NotTheSame, must_be_same
from datebridge.core.series.shaping import fresh_uid
from datebridge.core.text.component import ComponentEditor

_RULES = ("RRULE", "RDATE", "EXDATE", "EXRULE")


def second_series(subject: Subject, _: SecondSeries) -> None:
    """Every change for all that follow begins a series of its own, and the one before ends.

    Raises:
        CannotChange: where an occurrence would not be as it was.
    """

    def whole(master: SubjectMember) -> None:
        futures = [one for one in subject.living if one is not master and _is_for_all_that_follow(one, subject)]
        if not futures:
            return
        before = [one.text or "" for one in subject.living]
        group = group_of(subject, master)
        slots = {member.id: slot for member, slot in group.overrides}
        for future in sorted(futures, key=lambda one: slots.get(one.key, 0), reverse=True):
            if future.key not in slots:
                raise CannotChange("It is unclear from which occurrence on a change holds.")
            _split(subject, master, future, slots[future.key])
        try:
            must_be_same(before, [one.text or "" for one in subject.living], subject.zones)
        except NotTheSame as error:
            raise CannotChange(f"As two series, {str(error)[:1].lower()}{str(error)[1:]}") from error

    each(subject, whole, lambda _: None)


def _is_for_all_that_follow(member: SubjectMember, subject: Subject) -> bool:
    text = member.text or ""
    return bool(derive(kind_of(text), text, subject.zones).marks & Mark.FUTURE)


def _split(subject: Subject, master: SubjectMember, future: SubjectMember, slot: int) -> None:
    """End the series before a change, and go on from it with what it says."""
    whole = group_of(subject, master)
    text = future.text or ""
    old = ComponentEditor(text).value("UID")
    own = [one for one in whole.members if one.id != future.key and ComponentEditor(one.text).value("UID") == old]
    rest = Group(own, whole.clock, whole.zones)  # without what belongs to a later series by now
    uid = fresh_uid(old, slot, "second-series")
    try:
        shown = fields_at(master.text or "", slot, subject.zones)
        fields = replace(read_fields(text, subject.zones), rule=shown.rule, left_out=shown.left_out)
        plan = edit(rest, master.key, slot, "following", fields, subject.stamp, uid)
    except CannotEdit as error:
        raise CannotChange(str(error)) from error
    ended = next((one.text for one in plan.edits if one.id == master.key), None)
    at = next((at for at, one in enumerate(plan.edits) if one.id == master.key), len(plan.edits))
    following = plan.edits[at + 1 :]
    if ended is None or not following or following[0].id is not None or following[0].text is None:
        raise CannotChange("The change holds for the whole series. Change the series itself.")
    first, moved = following[0].text, following[1:]
    lines = ComponentEditor(text)
    lines.drop("RECURRENCE-ID")
    lines.set("UID", uid)
    rules = ComponentEditor(first)
    lines.add(*(rules.lines[at] for name in _RULES for at, _ in rules.own(name)))
    texts: dict[int, str | None] = {}
    for one, then in zip_longest(moved, moved[1:]):
        if one.id is not None:  # it goes, and where something is left of it, that comes next
            texts[one.id] = then.text if then is not None and then.id is None else None
    for member in subject.members:
        if member is master:
            member.text = ended
        elif member is future:
            member.text = lines.text
        elif member.key in texts:
            member.text = texts[member.key]
        else:
            continue
        subject.significant.add(member.key)
