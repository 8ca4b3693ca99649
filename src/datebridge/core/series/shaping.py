"""Series combined and taken apart: gathered from singles, joined from pieces, exploded, begun on their own rule.

Each gives a plan of edits, and each is proved: what happened before happens after, at the same time and as it was
(`proving`). Where that cannot be, the change is refused.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from hashlib import blake2b

from datebridge.core.comparing.fields import said_by
from datebridge.core.editing.dates import MOST_LISTED, numbered
from datebridge.core.editing.fields import CannotEdit, read_fields, start_of
from datebridge.core.editing.groups import Edit, Group, Plan
from datebridge.core.editing.series import standing_alone
from datebridge.core.editing.times import read_span, set_exact_length, value_of
from datebridge.core.editing.writing import touched
from datebridge.core.moments import Moment, from_wall_seconds
from datebridge.core.recurrence.rules import on_clock_of, read_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.recurrence.starts import starts
from datebridge.core.series.inferring import Inferred
from datebridge.core.series.phrasing import Phrase, phrase
from datebridge.core.series.proving import must_be_same
from datebridge.core.text.component import ComponentEditor, written
from datebridge.core.zones.meaning import NO_ZONES, Zones

_SERIES = ("RRULE", "RDATE", "EXDATE", "EXRULE", "RECURRENCE-ID")


def fresh_uid(*parts: object) -> str:
    """A UID for what is made of others: the same for the same, so that doing it twice makes no two."""
    digest = blake2b("\n".join(map(str, parts)).encode(), digest_size=16).hexdigest()
    return f"{digest}@date-bridge.invalid"


def start_moment(text: str, zones: Zones = NO_ZONES) -> Moment:
    """When an entry begins.

    Raises:
        CannotEdit: if it has no time.
    """
    fields = read_fields(text, zones)
    if not fields.start:
        raise CannotEdit("Its start cannot be read.")
    return start_of(fields, zones)


# ---- singles into a series ------------------------------------------------------------------------------


def gather(texts: Mapping[int, str], inferred: Inferred[int], stamp: str, zones: Zones = NO_ZONES) -> Plan:
    """Make one series of singles.

    Args:
        texts: of the singles, by the keys of what was inferred.

    Raises:
        CannotEdit: where one of them cannot be read. NotTheSame: where the series would happen otherwise.
    """
    own = {key: texts[key] for key in (*inferred.keys, *(key for _, key in inferred.moved))}
    master = _most_common([own[key] for key in inferred.keys])
    uid = fresh_uid(*sorted(ComponentEditor(text).value("UID") for text in own.values()))
    lines = ComponentEditor(master)
    lines.set("UID", uid)
    _begin_at(lines, inferred.phrase.start, zones)
    start = start_moment(lines.text, zones)
    _say(lines, start, inferred.phrase._replace(left_out=inferred.left_out))
    touched(lines, stamp, False)
    made = [lines.text]
    slots = dict(zip(inferred.keys, sorted((*inferred.phrase.hits, *inferred.phrase.extra)), strict=True))
    for key, slot in [*slots.items(), *((key, slot) for slot, key in inferred.moved)]:
        if said_by(own[key]) != said_by(master) or key not in slots:
            made.append(_as_override(own[key], uid, start, slot))
    must_be_same(own.values(), made, zones)
    reason = f"Gathered into one series of {numbered(len(own), 'time')}."
    plan = Plan([Edit(key, None, reason) for key in own])
    plan.edits += [Edit(None, text, reason) for text in made]
    return plan


def _most_common(texts: Sequence[str]) -> str:
    """The text that says what most of them say; of these the last, which was written last."""
    descriptions = [repr(sorted(said_by(text).items())) for text in texts]
    most = Counter(descriptions).most_common(1)[0][0]
    return next(text for text, own in zip(reversed(texts), reversed(descriptions), strict=True) if own == most)


def _begin_at(lines: ComponentEditor, wall: int, zones: Zones) -> None:
    """Have an entry begin at another time of its clock, as long as it is."""
    span = read_span(lines, zones)
    start = start_moment(lines.text, zones)._replace(wall=from_wall_seconds(wall))
    lines.set("DTSTART", *value_of(start))
    if span.form == "end":
        set_exact_length(lines, start, span.end, span.exact)


def _say(lines: ComponentEditor, start: Moment, phrase: Phrase) -> None:
    lines.add(written("RRULE", phrase.rule))
    for name, walls in (("RDATE", phrase.extra), ("EXDATE", phrase.left_out)):
        for wall in walls:
            lines.add(written(name, *value_of(start._replace(wall=from_wall_seconds(wall)))))


def _as_override(text: str, uid: str, start: Moment, slot: int) -> str:
    lines = ComponentEditor(text)
    for name in _SERIES:
        lines.drop(name)
    lines.set("UID", uid)
    at = written("RECURRENCE-ID", *value_of(start._replace(wall=from_wall_seconds(slot))))
    lines.lines.insert(1, at)
    return lines.text


# ---- pieces into one series -----------------------------------------------------------------------------


def join(groups: Sequence[Group], stamp: str) -> Plan:
    """Make one series of consecutive parts; it keeps the UID of the first.

    Raises:
        CannotEdit: where they are no series on one clock, or have no rule in common. NotTheSame: where the one series
            would happen otherwise.
    """
    ordered = sorted(groups, key=lambda group: group.series.begin if group.series else 0)
    first = ordered[0]
    series = [group.series for group in ordered]
    if (
        first.master is None
        or any(member is None for member in series)
        or len({_clock(group) for group in ordered}) > 1
    ):
        raise CannotEdit("These are no series on one clock.")
    zones = first.zones
    start = start_moment(first.master.text, zones)
    endless = any(member is not None and member.facts.until_wall is None for member in series)
    written_rules = [line.value for g in ordered if g.master for _, line in ComponentEditor(g.master.text).own("RRULE")]
    rules = list(dict.fromkeys(str(RuleText.of(rule).without("COUNT", "UNTIL")) for rule in written_rules))
    slots = sorted({slot for member in series if member is not None for slot in member.slots(MOST_LISTED * 20)})
    best = min((p for rule in rules if (p := phrase(rule, slots)) is not None), key=lambda p: p.cost, default=None)
    if best is None or (endless and len(rules) > 1):
        raise CannotEdit("They have no rule in common.")
    lines = ComponentEditor(first.master.text)
    for name in _SERIES[:4]:
        lines.drop(name)
    _begin_at(lines, best.start, zones)
    _say(lines, start, best._replace(rule=str(RuleText.of(best.rule).without("COUNT")) if endless else best.rule))
    touched(lines, stamp, False)
    uid = lines.value("UID")
    made = [lines.text]
    plan = Plan([Edit(first.master.id, lines.text, "Joined with what follows it.")])
    before = [member.text for group in ordered for member in group.members]
    for group in ordered:
        for member in group.members:
            if group is first:
                made += [member.text] if member is not first.master else []
                continue
            plan.edits.append(Edit(member.id, None, "Joined with what it follows."))
            if member is not group.master:
                renamed = ComponentEditor(member.text)
                renamed.set("UID", uid)
                made.append(renamed.text)
                plan.edits.append(Edit(None, renamed.text, "Goes with the joined series."))
    must_be_same(before, made, zones)
    return plan


def _clock(group: Group) -> str:
    return start_moment(group.master.text, group.zones).tzid if group.master else ""


# ---- a series into singles --------------------------------------------------------------------------------


def explode(group: Group, stamp: str) -> Plan:
    """Make single entries of a series, each with a UID of its own.

    Raises:
        CannotEdit: where it never ends, or has too many times.
    """
    series, master = group.series, group.master
    if series is None or master is None:
        raise CannotEdit("This is not a series.")
    if not series.dates:
        raise CannotEdit(
            f"A series without end, or of more than {MOST_LISTED:,} times, cannot be converted. End it first."
        )
    uid = ComponentEditor(master.text).value("UID")
    overrides = {slot: member for member, slot in group.overrides}
    made, plan = [], Plan([Edit(member.id, None, "Converted to single events.") for member in group.members])
    for slot in series.slots(MOST_LISTED):
        override = overrides.get(slot)
        lines = ComponentEditor(override.text) if override else standing_alone(series, slot)
        lines.drop("RECURRENCE-ID")
        lines.set("UID", fresh_uid(uid, slot))
        touched(lines, stamp, False)
        made.append(lines.text)
    must_be_same([member.text for member in group.members], made, group.zones)
    plan.edits += [Edit(None, text, "One time of the series.") for text in made]
    return plan


# ---- changed occurrences without their series -------------------------------------------------------------


def attach_override(text: str, series: Group, slot: int, stamp: str) -> str:
    """A changed occurrence as one of a series that has the slot.

    Raises:
        CannotEdit: if the series does not happen then, or has a changed occurrence there already.
    """
    own, master = series.series, series.master
    if own is None or master is None or not own.has(slot):
        raise CannotEdit("The series does not happen at that time.")
    if any(at == slot for _, at in series.overrides):
        raise CannotEdit("The series has a changed occurrence there already.")
    lines = ComponentEditor(_as_override(text, ComponentEditor(master.text).value("UID"), own.start, slot))
    touched(lines, stamp, False)
    return lines.text


def detach(text: str, stamp: str) -> str:
    """A changed occurrence as an entry of its own."""
    lines = ComponentEditor(text)
    told = lines.value("RECURRENCE-ID")
    for name in _SERIES:
        lines.drop(name)
    lines.set("UID", fresh_uid(lines.value("UID"), told))
    touched(lines, stamp, False)
    return lines.text


# ---- a series restarted ----------------------------------------------------------------------------------


def reanchor(group: Group, stamp: str) -> Plan:
    """Have a series begin at the first time its rule gives; the start that is none of these becomes an extra date.

    Raises:
        CannotEdit: where the rule gives nothing. NotTheSame: where it would happen otherwise.
    """
    series, master = group.series, group.master
    if series is None or master is None:
        raise CannotEdit("This is not a series.")
    lines = ComponentEditor(master.text)
    rules = list(lines.own("RRULE"))
    if len(rules) != 1:
        raise CannotEdit("It goes by several rules.")
    rule, _ = read_rule(rules[0][1].value)
    first = next(starts(on_clock_of(rule, series.start), series.begin, series.begin + 1, 1 << 40), None)
    if first is None:
        raise CannotEdit("Its rule gives no other time.")
    index, line = rules[0]
    if rule.count is not None:
        lines.change(index, str(RuleText.of(line.value).with_values(COUNT=str(rule.count - 1))))
    _begin_at(lines, first, group.zones)
    if series.has(series.begin):
        lines.add(written("RDATE", *value_of(series.start)))
    touched(lines, stamp, False)
    others = [member.text for member in group.members if member is not master]
    must_be_same([master.text, *others], [lines.text, *others], group.zones)
    return Plan([Edit(master.id, lines.text, "Begins at the first time its rule gives.")])
