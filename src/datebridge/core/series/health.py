"""What is wrong with a series, seen with its changed occurrences, and what would put it right.

>>> master = "BEGIN:VEVENT\\nUID:1\\nDTSTART:20261124T080000Z\\nRRULE:FREQ=DAILY;COUNT=9\\nEND:VEVENT"
>>> master = master.replace("\\nEND", "\\nEXDATE:20261126T090000Z\\nEND")
>>> [series_finding] = series_findings(Group([SeriesMember(1, master)]))
>>> series_finding.code, series_finding.message
('exdate-misses', 'Nothing happens at 2026-11-26 09:00, which is left out; 2026-11-26 08:00 may be meant.')
>>> heal(Group([SeriesMember(1, master)]), {"exdate-misses"}, "20261124T000000Z").edits[0].text.split("\\n")[4]
'EXDATE:20261126T080000Z'
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import NamedTuple

from datebridge.core.comparing.fields import said_by
from datebridge.core.editing.dates import items_of
from datebridge.core.editing.fields import CannotEdit
from datebridge.core.editing.groups import AsSeries, Edit, Group, Plan, SeriesMember
from datebridge.core.editing.series import standing_alone
from datebridge.core.editing.times import moment_in, read_span, value_of
from datebridge.core.editing.writing import touched
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.moments import Moment, NotAMoment, from_wall_seconds
from datebridge.core.occurrences.expanding import slot_of
from datebridge.core.recurrence.rules import NotARule, on_clock_of, read_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.recurrence.starts import DAY, Steps, fits, last_counted, starts
from datebridge.core.series.proving import NotTheSame
from datebridge.core.series.shaping import reanchor
from datebridge.core.text.component import ComponentEditor, written

__all__ = ["Group", "SeriesFinding", "SeriesMember", "heal", "series_findings"]

#: A time this near to one that hits nothing may be meant by it: a misread zone is no larger.
_NEAR = 14 * 3600
#: How many exception dates and changed occurrences of a series are looked at.
_MOST = 2_000
#: How many years a rule is followed to see whether it gives anything, in steps.
_LOOKS = 400
#: How many times near one that hits nothing are looked at.
_FEW = 40
#: What is wrong with how a rule is written, found by checks of single entries, with what is done.
_FORM = {
    "invalid-rule-part": "Written as it is understood.",
    "until-type": "UNTIL written as its start asks for.",
    "count-and-until": "Only the end that comes first stays.",
}


class SeriesFinding(NamedTuple):
    """Something wrong with an entry of a series.

    Attributes:
        key: the entry, as `SeriesMember.id`.
        meant: the slot that was meant instead, in wall seconds of the series; None where there is none.
        slot: what it is about, in wall seconds of the series, where it is about one time.
    """

    code: str
    key: int
    message: str
    slot: int | None = None
    meant: int | None = None


@dataclass(slots=True)
class _Override:
    """A changed occurrence: where it is in its series, and how that is told."""

    member: SeriesMember
    facts: Facts
    slot: int | None
    told: Moment | None


def series_findings(group: Group) -> list[SeriesFinding]:
    """What is wrong with a series; nothing for what is none. Bounded by the size of its texts."""
    series = group.series
    if series is None or group.master is None:
        return []
    findings = [*_of_rule(series, group.master), *_of_dates(series, group.master)]
    if len(group.members) > 1:
        findings += _of_overrides(group, series)
    return findings


# ---- the master -----------------------------------------------------------------------------------------


def _of_rule(series: AsSeries, master: SeriesMember) -> Iterator[SeriesFinding]:
    for _, line in ComponentEditor(master.text).own("RRULE"):
        try:
            rule = on_clock_of(read_rule(line.value)[0], series.start)
        except NotARule:
            continue
        begin = series.begin
        if rule.until is not None and rule.until.wall_seconds + (DAY - 1 if rule.until.is_date else 0) < begin:
            yield SeriesFinding(
                "empty-rule", master.id, f"The rule ends on {rule.until.wall:%Y-%m-%d}, before the start."
            )
        elif not fits(rule, begin):
            first = next(starts(rule, begin, begin + 1, 1 << 40, Steps(_LOOKS)), None)
            if first is None:
                yield SeriesFinding(
                    "empty-rule", master.id, "The rule has no occurrences: its parts contradict each other."
                )
            else:
                text = f"It begins {_at(series, begin)}, but its rule first gives {_at(series, first)}."
                yield SeriesFinding("start-off-rule", master.id, text, begin, first)


def _of_dates(series: AsSeries, master: SeriesMember) -> Iterator[SeriesFinding]:
    gone = frozenset(series.shape.gone)
    for slot, whole in _left_out(series, master.text):
        if whole:
            if not _rules_give(series, slot, slot + DAY):
                text = f"No occurrence on {from_wall_seconds(slot):%Y-%m-%d}, which is an exception date."
                yield SeriesFinding("exdate-misses", master.id, text, slot)
            continue
        if _rules_give(series, slot, slot + 1):
            continue
        meant = _nearest(series, slot, gone)
        may = f"; {_at(series, meant)} may be meant" if meant is not None else ""
        text = f"Nothing happens at {_at(series, slot)}, which is left out{may}."
        yield SeriesFinding("exdate-misses", master.id, text, slot, meant)


def _left_out(series: AsSeries, text: str) -> list[tuple[int, bool]]:
    left_out = [
        (item.wall, item.whole and not series.start.is_date)
        for _, line in ComponentEditor(text).own("EXDATE")
        for item in items_of(line, series.start, series.zones)
        if item.wall is not None
    ]
    return left_out[:_MOST]


def _rules_give(series: AsSeries, low: int, high: int) -> bool:
    """Whether the rules, extra dates or the start give a time in [low, high), left out or not."""
    if low <= series.begin < high or any(low <= extra < high for extra in series.shape.extra):
        return True
    return any(
        next(starts(rule, series.begin, low, high, Steps(_LOOKS)), None) is not None for rule in series.shape.rules
    )


def _nearest(series: AsSeries, slot: int, taken: Collection[int]) -> int | None:
    """The one time of a series that a slot may mean: on the same day, or as near as zones are apart.

    None where several may be meant, or what is left of them is taken.
    """
    low, high = slot - _NEAR, slot + _NEAR + 1
    if series.start.is_date:
        low, high = slot // DAY * DAY, slot // DAY * DAY + 1
    near = {time for time in (series.begin, *islice(series.shape.extra, _FEW)) if low <= time < high}
    for rule in series.shape.rules:
        near.update(islice(starts(rule, series.begin, low, high, Steps(_LOOKS)), _FEW))
        if len(near) >= _FEW:  # it happens so often that any of them may be meant
            return None
    near -= set(taken) if len(taken) < _FEW else {time for time in near if time in taken}
    same = {time for time in near if time // DAY == slot // DAY}
    near = same or near
    return near.pop() if len(near) == 1 else None


def _at(series: AsSeries, wall: int) -> str:
    moment = from_wall_seconds(wall)
    return f"{moment:%Y-%m-%d}" if series.start.is_date else f"{moment:%Y-%m-%d %H:%M}"


# ---- changed occurrences ----------------------------------------------------------------------------------


def _overrides(group: Group) -> list[_Override]:
    overrides = []
    for member in group.members[: _MOST + 1]:
        line = next(ComponentEditor(member.text).own("RECURRENCE-ID"), None)
        if line is None:
            continue
        facts = derive("VEVENT", member.text, group.zones)
        try:
            told: Moment | None = moment_in(line[1], group.zones)
        except NotAMoment:
            told = None
        overrides.append(_Override(member, facts, slot_of(facts.recurrence_id, group.clock), told))
    return overrides


def _of_overrides(group: Group, series: AsSeries) -> Iterator[SeriesFinding]:
    overrides = _overrides(group)
    taken = frozenset(override.slot for override in overrides if override.slot is not None)
    # From then on what the series itself says does not count any more (RFC 5545 §3.2.13).
    onward = min(
        (override.slot for override in overrides if override.slot is not None and override.facts.marks & Mark.FUTURE),
        default=None,
    )
    held: dict[int, _Override] = {}
    for override in sorted(overrides, key=_last_changed):
        if override.slot is None:
            continue
        slot, key = _slot_in(series, override), override.member.id
        if slot is None:
            meant = _nearest(series, override.slot, taken)
            may = f"; {_at(series, meant)} may be meant" if meant is not None else ""
            text = f"It stands for {_at(series, override.slot)}, at which its series does not happen{may}."
            yield SeriesFinding("override-outside", key, text, override.slot, meant)
            continue
        earlier = held.get(slot)
        if earlier is not None:
            text = f"Another entry changes {_at(series, slot)} as well, and was changed later."
            yield SeriesFinding("override-twice", earlier.member.id, text, slot)
        held[slot] = override
        if override.told is not None and not _told_alike(override.told, series.start):
            text = f"Its series is {_form(series.start)}, and it names {_at(series, slot)} {_form(override.told)}."
            yield SeriesFinding("override-id-form", key, text, slot, slot)
        if (onward is None or slot < onward) and _is_original(series, slot, override):
            yield SeriesFinding("override-same", key, f"{_at(series, slot)} is as the series has it.", slot)


def _last_changed(override: _Override) -> tuple[int, int, int]:
    return override.facts.sequence, override.facts.modified, override.member.id


def _slot_in(series: AsSeries, override: _Override) -> int | None:
    """The slot an override stands for; one told as a day stands for what the series does on it."""
    slot = override.slot
    if slot is None:
        return None
    if override.told is not None and override.told.is_date and not series.start.is_date:
        day = slot // DAY * DAY
        slots = list(series.shape.slots(series.begin, day, day + DAY))
        return slots[0] if len(slots) == 1 else None
    return slot if _rules_give(series, slot, slot + 1) else None


def _told_alike(told: Moment, start: Moment) -> bool:
    """Whether a RECURRENCE-ID has the form of the start (RFC 5545 §3.8.4.4); UTC is taken for any zone."""
    if told.is_date or start.is_date:
        return told.is_date == start.is_date
    return told.tzid == start.tzid


def _form(moment: Moment) -> str:
    return "made of days" if moment.is_date else f"in {moment.tzid}" if moment.tzid else "in no zone"


def _is_original(series: AsSeries, slot: int, override: _Override) -> bool:
    original = standing_alone(series, slot).text
    span, own = (
        read_span(ComponentEditor(original), series.zones),
        read_span(ComponentEditor(override.member.text), series.zones),
    )
    if span.start is None or own.start is None:
        return False
    same = (span.start.key(), span.exact, span.days) == (own.start.key(), own.exact, own.days)
    return same and said_by(original) == said_by(override.member.text)


# ---- fixed --------------------------------------------------------------------------------------------


def heal(group: Group, codes: Collection[str], stamp: str) -> Plan:
    """Put right what is wrong with a series, as far as it can be; a plan without edits where nothing can.

    Args:
        codes: which series_findings.
        stamp: now, in UTC as iCalendar writes it.
    """
    plan = Plan()
    findings = [finding for finding in (*_of_form(group), *series_findings(group)) if finding.code in codes]
    texts = {member.id: member.text for member in group.members}
    edits: dict[int, Edit] = {}
    for case in _at_once(findings):
        text = texts.get(case.series_finding.key)
        if text is None:
            continue
        try:
            made, reason = _healed(group, case, text, stamp)
        except (CannotEdit, NotTheSame) as error:
            plan.notes.append(str(error))
            continue
        if made == text:
            plan.notes += [case.series_finding.message] if case.series_finding.code not in _FORM else []
            continue
        if made is None:
            texts.pop(case.series_finding.key)
        else:
            texts[case.series_finding.key] = made
        edits[case.series_finding.key] = Edit(case.series_finding.key, made, reason)
    plan.edits = list(edits.values())
    return plan


class _Case(NamedTuple):
    """A series finding to be healed; exception dates of one entry together, by what each means."""

    series_finding: SeriesFinding
    dates: dict[int, int | None]


def _at_once(findings: Sequence[SeriesFinding]) -> Iterator[_Case]:
    dates: dict[int, _Case] = {}
    for finding in findings:
        if finding.code != "exdate-misses" or finding.slot is None:
            yield _Case(finding, {})
            continue
        case = dates.setdefault(finding.key, _Case(finding, {}))
        case.dates[finding.slot] = finding.meant
    yield from dates.values()


def _healed(group: Group, case: _Case, text: str, stamp: str) -> tuple[str | None, str]:
    """An entry without a series finding: None where it goes; as it was where nothing can be done. And why."""
    series, one = group.series, case.series_finding
    if series is None:
        return text, ""
    if one.code in ("override-same", "override-twice"):
        return None, one.message
    lines = ComponentEditor(text)
    if one.code == "start-off-rule":
        now = Group(
            [SeriesMember(one.key, text), *(m for m in group.members if m.id != one.key)], group.clock, group.zones
        )
        return reanchor(now, stamp).edits[0].text, one.message
    if one.code in _FORM:
        _write_rules(lines, series, one.code)
    elif one.code == "empty-rule":
        lines.drop("RRULE")
        if not series.shape.extra:
            lines.drop("EXDATE")
    elif case.dates:
        _move_left_out(lines, series, case.dates)
    elif one.meant is not None:
        lines.set("RECURRENCE-ID", *value_of(series.at(one.meant)))
    else:
        return text, ""
    if lines.text != text:
        touched(lines, stamp, one.code == "exdate-misses")
    return lines.text, one.message


def _of_form(group: Group) -> list[SeriesFinding]:
    """What is wrong with how rules are written; the checks of single entries say whether it is."""
    return (
        [SeriesFinding(code, group.master.id, _FORM[code]) for code in _FORM] if group.series and group.master else []
    )


def _write_rules(lines: ComponentEditor, series: AsSeries, code: str) -> None:
    """Write rules as they are understood, each with one end of the form its start asks for (RFC 5545 §3.3.10)."""
    for index, line in lines.own("RRULE"):
        try:
            rule, invalid = read_rule(line.value)
            shown = on_clock_of(rule, series.start)
        except NotARule:
            continue
        text = line.value
        if code == "invalid-rule-part":
            text = rule.text if invalid else text
        elif code == "until-type":
            text = str(RuleText.of(text).with_until(rule.until, series.start)) if rule.until is not None else text
        elif rule.count is not None and shown.until is not None:
            last, known = last_counted(shown, series.begin)
            until = shown.until.wall_seconds + (DAY - 1 if shown.until.is_date else 0)
            text = str(RuleText.of(text).without("COUNT" if last is None or not known or last > until else "UNTIL"))
        if text != line.value:
            lines.change(index, text)


def _move_left_out(lines: ComponentEditor, series: AsSeries, dates: dict[int, int | None]) -> None:
    """Have exception dates be those that were meant; where none was, take them out.

    Args:
        dates: those that hit nothing, each with the slot that was meant, or None.
    """
    gone, fresh = set(), list[str]()
    for index, line in list(lines.own("EXDATE")):
        items = list(items_of(line, series.start, series.zones))
        wrong = [item.wall for item in items if item.wall is not None and item.wall in dates]
        if not wrong:
            continue
        meant = [slot for wall in wrong if (slot := dates[wall]) is not None]
        if len(items) == len(meant) == 1:
            lines.change(index, *value_of(series.at(meant[0])))
            continue
        stay = [item.text for item in items if item.wall is None or item.wall not in dates]
        if stay:
            lines.change(index, ",".join(stay))
        else:
            gone.add(index)
        fresh += [written("EXDATE", *value_of(series.at(slot))) for slot in meant]
    lines.lines = [raw for index, raw in enumerate(lines.lines) if index not in gone]
    lines.add(*fresh)
