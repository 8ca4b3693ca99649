"""The series of files: what is wrong with them, and those that single entries make: ``date-bridge series``."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import NamedTuple

from datebridge.core.checks import CHECKS, examine
from datebridge.core.index.facts import Mark
from datebridge.core.matching.files import FileEntry, Stored
from datebridge.core.matching.titles import words
from datebridge.core.moments import from_wall_seconds
from datebridge.core.occurrences.expanding import Timed
from datebridge.core.occurrences.series import Series
from datebridge.core.recurrence.rules import parse_rule
from datebridge.core.recurrence.words import describe
from datebridge.core.series.health import Group, series_findings
from datebridge.core.series.health import SeriesMember as Part
from datebridge.core.series.inferring import Inferred, Single, infer
from datebridge.core.series.pieces import SeriesShape, attachments, pieces
from datebridge.core.text.component import Component
from datebridge.core.text.reader import RawComponent
from datebridge.core.views.expansion import spelled

#: Findings of single entries that are about their series.
_OF_RULES = frozenset({"bad-rule", "invalid-rule-part", "until-type", "count-and-until", "exrule", "rule-too-long"})


class Finding(NamedTuple):
    """What is wrong with a series, and in which changed occurrence, "" for the series itself."""

    check: str
    message: str
    recurrence_id: str


@dataclass(frozen=True, slots=True)
class ListedSeries:
    """A series; `count` is None where it never ends, or is not counted to its end."""

    file: str
    uid: str
    title: str
    rule: str
    words: str
    first: str
    last: str | None
    count: int | None
    findings: list[Finding]

    def as_dict(self) -> dict[str, object]:
        """Plain values for JSON."""
        return {**asdict(self), "findings": [finding._asdict() for finding in self.findings]}


class Scattered(NamedTuple):
    """Single entries that are one series."""

    uids: list[str]
    title: str
    rule: str
    rdates: list[str]
    exdates: list[str]
    words: str
    confidence: float


class FileFinding(NamedTuple):
    """The series there are, and those that are scattered."""

    series: list[ListedSeries]
    inferred: list[Scattered]


def series_in(files: Mapping[str, Iterable[RawComponent]]) -> FileFinding:
    """What files hold of series."""
    stored = Stored.read(files)
    groups: defaultdict[tuple[int, str, str], list[FileEntry]] = defaultdict(list)
    for item in stored.items:
        if item.uid:
            groups[item.calendar, item.component, item.uid].append(item.key)
    loose = _loose(stored)
    listed = []
    for (calendar, _, _), members in groups.items():
        members.sort(key=lambda member: member.recurrence_id != "")
        if any(stored.facts[member].marks & (Mark.SERIES | Mark.OVERRIDE) for member in members):
            listed.append(_listed(stored, calendar, members, loose))
    return FileFinding(listed, [_scattered(stored, one) for one in infer(_singles(stored))])


def _loose(stored: Stored) -> dict[FileEntry, list[Finding]]:
    """What only shows among several series: pieces of one, and changed occurrences without theirs."""
    findings: defaultdict[FileEntry, list[Finding]] = defaultdict(list)
    known = [
        SeriesShape(item.key, item.title, item.place, item.component, item.timed) for item in stored.items if item.timed
    ]
    for run in pieces(known):
        for member in run:
            findings[member].append(Finding("series-in-pieces", f"One of {len(run)} consecutive parts.", ""))
    masters = {
        (shape.timed.calendar, shape.component, shape.timed.uid) for shape in known if not shape.timed.recurrence_id
    }
    orphans = [
        shape
        for shape in known
        if shape.timed.recurrence_id and (shape.timed.calendar, shape.component, shape.timed.uid) not in masters
    ]
    homes = {attachment.orphan: attachment.series for attachment in attachments(known, orphans)}
    for orphan in orphans:
        home = homes.get(orphan.key)
        where = f"; it belongs to “{home.uid}”" if home is not None else ""
        message = f"The series it changes is not there{where}."
        findings[orphan.key].append(Finding("override-without-master", message, orphan.timed.recurrence_id))
    return findings


def _listed(
    stored: Stored, calendar: int, members: list[FileEntry], loose: dict[FileEntry, list[Finding]]
) -> ListedSeries:
    zones = stored.zones[calendar]
    placed = (stored.items[member.number - 1].timed for member in members)
    timed: list[Timed] = [entry for entry in placed if entry is not None]
    master = stored.facts[members[0]]
    clock = (master.zone or zones.clock(master.tzid)) if not master.all_day and master.tzid else None
    group = Group([Part(member.number, stored.texts[member]) for member in members], clock, zones)
    by_number = {member.number: member for member in members}
    findings = [
        Finding(finding.code, finding.message, by_number[finding.key].recurrence_id)
        for finding in series_findings(group)
    ]
    for member in members:
        own = _problems(master.component, stored.texts[member], stored, calendar)
        findings += [Finding(code, text, member.recurrence_id) for code, text in own]
        findings += loose.get(member, [])
    series = Series(timed, "UTC", stored.clock)
    first, last = series.first(), series.last()
    rule = Component(stored.texts[members[0]]).first("RRULE")

    def day(moment: int) -> str:
        return spelled(moment, clock, master.all_day)

    return ListedSeries(
        members[0].file,
        members[0].uid,
        members[0].title,
        rule.value if rule else "",
        master.repeats,
        day(first.start) if first else "",
        day(last.start) if last else None,
        series.count(),
        findings,
    )


def _problems(component: str, text: str, stored: Stored, calendar: int) -> list[tuple[str, str]]:
    facts = examine(component, text, stored.zones[calendar])
    return [(p.code, p.message) for p in facts.problems if p.code in _OF_RULES and p.code in CHECKS]


def _singles(stored: Stored) -> list[Single[FileEntry]]:
    return [
        Single(
            item.key,
            item.timed.start_wall,
            item.length,
            (item.calendar, item.component, words(item.title), item.timed.tzid, item.all_day, item.no_clock),
            item.all_day,
        )
        for item in stored.items
        if item.timed is not None and not item.is_series and not item.recurrence_id and words(item.title)
    ]


def _scattered(stored: Stored, inferred: Inferred[FileEntry]) -> Scattered:
    phrase = inferred.phrase
    whole = stored.facts[inferred.keys[0]].all_day

    def wall(moment: int) -> str:
        at: datetime = from_wall_seconds(moment)
        return at.date().isoformat() if whole else at.isoformat()

    return Scattered(
        [member.uid for member in (*inferred.keys, *(key for _, key in inferred.moved))],
        inferred.keys[0].title,
        phrase.rule,
        [wall(moment) for moment in phrase.extra],
        [wall(moment) for moment in inferred.left_out],
        describe(parse_rule(phrase.rule), from_wall_seconds(phrase.start)),
        inferred.confidence,
    )
