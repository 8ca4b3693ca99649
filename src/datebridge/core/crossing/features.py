"""What a feature is: the shortest entry that has it, how to see whether it came back, and what could have become of it.

>>> colour = line_feature("colour", "Colour", Group.LOOKS, "alters", "COLOR:teal")
>>> colour.verdict(colour.objects[0], colour.objects[0]), colour.focus
(<Verdict.KEPT: 'kept'>, ('COLOR',))
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from datebridge.core.crossing.rules import UNKNOWN, LeaveOut, LeaveOutParameters, Rule
from datebridge.core.text.component import Component, parsed
from datebridge.core.text.lines import unescape_text
from datebridge.core.text.nesting import fields_of, is_nested

Harm = Literal["breaks", "alters", "untidy"]
#: By these whoever comes upon them knows what they are: names of objects, UIDs and titles of entries begin so.
MARK, TITLE = "date-bridge-probe-", "Probe"
DOMAIN = "probe.invalid"
#: The feature that is tried in a second calendar.
UID_TWICE = "uid-twice"
#: The feature that is tried by requests of its own, where a server says that it has it.
MANAGED = "attachment-managed"
_STAMP = "DTSTAMP:20260105T080000Z"
#: When entries are that are about something else.
START = ("DTSTART:20260302T090000Z", "DTEND:20260302T100000Z")
#: Lines that change with every writing and say nothing.
_PASSING = frozenset({"DTSTAMP"})
#: The lines of an entry that have a value for which something else may stand.
_HEADS = re.compile(r"^([A-Z0-9-]+):(.*)$", re.MULTILINE)
Said = Counter[tuple[object, ...]]


class Verdict(StrEnum):
    """What became of a feature at a target."""

    KEPT = "kept"
    REWRITTEN = "rewritten"
    DROPPED = "dropped"
    REFUSED = "refused"
    NOT_TRIED = "not tried"


class Group(StrEnum):
    """Under what a feature is listed."""

    TIMES = "Times"
    ZONES = "Time zones"
    RULES = "Repeat rules"
    CHANGES = "Changed occurrences"
    REMINDERS = "Reminders"
    PEOPLE = "Organiser and attendees"
    WORDS = "Words and links"
    LOOKS = "Colours, images, places"
    STATES = "Status and privacy"
    ATTACHMENTS = "Attachments"
    KINDS = "To-dos and journals"
    UNKNOWN = "Unknown properties"
    UIDS = "UIDs"
    LIMITS = "Limits"
    DAMAGE = "Damaged entries"


@dataclass(frozen=True, slots=True)
class Limit:
    """Something of which a target may keep only so much.

    Attributes:
        most: how much is tried.
        unit: what is counted.
    """

    most: int
    unit: str


@dataclass(frozen=True, slots=True)
class Feature:
    """One row of the catalogue.

    Attributes:
        name: how it is called in matrices; never changes.
        words: what it is.
        harm: how bad its loss is.
        objects: the entries that have it, by UID; most have one of one entry.
        focus: the properties and nested components it is about; ``ATTENDEE;ROLE`` for a parameter.
        guesses: what explains that it came back otherwise, the most general first.
        remedies: the steps of a change in bulk that help, by name.
        zones: definitions that go along, by TZID.
        limit: for a limit, how much is tried.
    """

    name: str
    words: str
    group: Group
    harm: Harm
    objects: tuple[tuple[str, ...], ...]
    focus: tuple[str, ...]
    guesses: tuple[tuple[Rule, ...], ...] = ()
    remedies: tuple[str, ...] = ()
    zones: tuple[tuple[str, str], ...] = ()
    limit: Limit | None = None

    @property
    def sent(self) -> tuple[str, ...]:
        """All its entries."""
        return tuple(text for texts in self.objects for text in texts)

    def verdict(self, sent: Sequence[str], got: Sequence[str]) -> Verdict:
        """What became of it, from what was sent and what was read back."""
        mine, theirs = _seen(sent, self.focus), _seen(got, self.focus)
        if mine == theirs:
            return Verdict.KEPT
        return Verdict.REWRITTEN if theirs else Verdict.DROPPED


def event(
    name: str, *lines: str, times: Iterable[str] = START, kind: str = "VEVENT", title: str = "", uid: str = ""
) -> str:
    """An entry of a feature."""
    own = [f"UID:{uid or MARK + name + '@' + DOMAIN}", _STAMP, *times, f"SUMMARY:{title or f'{TITLE} {name}'}", *lines]
    return "\n".join([f"BEGIN:{kind}", *own, f"END:{kind}"])


def line_feature(
    name: str,
    words: str,
    group: Group,
    harm: Harm,
    *lines: str,
    times: Sequence[str] = START,
    guesses: tuple[tuple[Rule, ...], ...] = (),
    remedies: tuple[str, ...] = (),
    kind: str = "VEVENT",
    focus: tuple[str, ...] = (),
) -> Feature:
    """A feature that is in some lines of an event; unless said otherwise, in all of their names."""
    names = focus or tuple(dict.fromkeys(line.partition(":")[0].partition(";")[0] for line in lines))
    usual = tuple((LeaveOut(one),) for one in names if ";" not in one)
    text = event(name, *lines, times=times, kind=kind)
    return Feature(name, words, group, harm, ((text,),), names, guesses + usual, remedies)


def parameter_feature(
    name: str, words: str, group: Group, harm: Harm, param: str, line: str, *others: str, remedies: tuple[str, ...] = ()
) -> Feature:
    """A feature that is a parameter of a line."""
    prop = line.partition(":")[0].partition(";")[0]
    guesses: tuple[tuple[Rule, ...], ...] = ((LeaveOutParameters(param),), (LeaveOutParameters(param, prop),))
    text = event(name, *others, line)
    return Feature(name, words, group, harm, ((text,),), (f"{prop};{param}",), guesses, remedies)


def alike(foretold: Iterable[str], got: Iterable[str]) -> bool:
    """Whether two objects say the same, in whatever order and spelling; a value that is `UNKNOWN` may be any."""
    promised = list(foretold)
    free = {name for text in promised for name, value in _HEADS.findall(text) if value == UNKNOWN}
    return _entries(promised, free) == _entries(got, free)


def _entries(texts: Iterable[str], free: Collection[str]) -> Counter[frozenset[tuple[object, int]]]:
    return Counter(frozenset(_said(text, free).items()) for text in texts)


def _said(text: str, free: Collection[str] = ()) -> Said:
    """What an entry says, line by line: its kind, its own lines, its nested components; not the values in `free`."""
    said: Said = Counter([(Component(text).kind,)])
    for name, parts in fields_of(text).items():
        if name in _PASSING:
            continue
        if name in free:
            said[name, UNKNOWN] += len(parts)
            continue
        for part in parts:
            lines = [_line(raw) for raw in part]
            said[(name, *sorted(lines, key=repr)) if is_nested(part) else (name, *lines)] += 1
    return said


def _line(raw: str) -> tuple[object, ...]:
    """A line in one spelling: names of parameters in upper case and in order, escapes undone."""
    line = parsed(raw)
    if line is None:
        return (raw,)
    return line.name, tuple(sorted(line.params)), unescape_text(line.value)


def _seen(texts: Iterable[str], focus: Sequence[str]) -> Said:
    """What entries say of some properties, parameters or nested components."""
    names = {one for one in focus if ";" not in one}
    params = [one.partition(";")[::2] for one in focus if ";" in one]
    seen: Said = Counter()
    for text in texts:
        for said, count in _said(text).items():
            if said[0] in names or (said[0] in focus and len(said) == 1):
                seen[said] += count
        for prop, param in params:
            for line in Component(text).all(prop):
                values = dict(line.params).get(param)
                if values is not None:
                    seen[prop, param, *values] += 1
    return seen
