"""A sample of what goes along a crossing: every kind of thing in it at least once, the extremes, and some at random.

>>> texts = ["BEGIN:VEVENT\\nUID:{0}\\nSUMMARY:{0}\\nEND:VEVENT".format(n) for n in range(9)]
>>> texts[4] = texts[4].replace("SUMMARY", "COLOR:red\\nSUMMARY")
>>> 4 in sample([light_of((text,)) for text in texts], 3, seed=1)
True
"""

from __future__ import annotations

import random
import re
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from datebridge.core.crossing.catalogue import BY_NAME
from datebridge.core.crossing.features import Feature, Verdict
from datebridge.core.crossing.fidelity import Measured
from datebridge.core.text.component import Component
from datebridge.core.text.lines import param_of

_NAME = re.compile(r"^([A-Za-z0-9-]+)([;:])", re.MULTILINE)
_PARAM = re.compile(r";([A-Za-z0-9-]+)=")
_COUNT = re.compile(r"^RRULE[^\n]*?COUNT=(\d{1,9})", re.MULTILINE | re.IGNORECASE)
_RULE_PART = re.compile(r"^RRULE[^\n:]*:([^\n]+)", re.MULTILINE | re.IGNORECASE)
#: A rule without an end is longer than any with one.
_ENDLESS = 1 << 40
#: What every server writes as it likes.
_OWN = frozenset({"UID", "DTSTAMP", "LAST-MODIFIED", "CREATED", "SEQUENCE"})


class Light(NamedTuple):
    """What a sample goes by, of the entries of one UID.

    Attributes:
        traits: kinds of entries, properties, parameters, zones and parts of rules in them.
        size: in characters; length: in occurrences; changed: how many entries there are beside the first.
    """

    traits: frozenset[str]
    size: int
    length: int
    changed: int


def light_of(texts: Sequence[str]) -> Light:
    """What a sample goes by."""
    traits: set[str] = set()
    length = 0
    for text in texts:
        traits.add(text.partition("\n")[0])
        for name, mark in _NAME.findall(text):
            traits.add(name.upper())
            if mark == ";":
                traits.add(f"{name.upper()};")
        traits.update(_PARAM.findall(text))
        for rule in _RULE_PART.findall(text):
            traits.update(f"rule {part.partition('=')[0]}" for part in rule.upper().split(";"))
            counted = _COUNT.search(text)
            length = max(length, int(counted[1]) if counted else 0 if "UNTIL=" in rule.upper() else _ENDLESS)
        if "TZID=" in text:
            zones = (param_of(line, "TZID") for line in text.split("\n") if "TZID=" in line and line[:1] != " ")
            traits.update(f"zone {zone}" for zone in zones if zone)
    return Light(frozenset(traits), sum(map(len, texts)), length, len(texts) - 1)


def sample(lights: Sequence[Light], most: int, seed: int) -> list[int]:
    """Which of them are in a sample, by place: each trait once, the extremes, then at random; `most` in all."""
    chosen: dict[int, None] = {}
    seen: set[str] = set()
    extremes: tuple[Callable[[Light], int], ...] = (_size, _length, _changed)
    for extreme in extremes if lights else ():
        most_of_all = max(lights, key=extreme)
        chosen[lights.index(most_of_all)] = None
        seen |= most_of_all.traits
    rare = Counter(trait for one in lights for trait in one.traits)
    order = sorted(range(len(lights)), key=lambda at: (min((rare[t] for t in lights[at].traits), default=0), at))
    for at in order:
        if len(chosen) >= most:
            break
        if not lights[at].traits <= seen:
            chosen[at] = None
            seen |= lights[at].traits
    rest = [at for at in range(len(lights)) if at not in chosen]
    drawn = random.Random(seed).sample(rest, min(len(rest), max(0, most - len(chosen))))  # noqa: S311 (no secret)
    return sorted([*chosen, *drawn][:most])


def _size(one: Light) -> int:
    return one.size


def _length(one: Light) -> int:
    return one.length


def _changed(one: Light) -> int:
    return one.changed


class Otherwise(NamedTuple):
    """What came back otherwise than foretold: the properties that are gone, and those that say something else."""

    dropped: frozenset[str]
    rewritten: frozenset[str]

    def __bool__(self) -> bool:
        return bool(self.dropped or self.rewritten)


def otherwise(foretold: Iterable[str], got: Iterable[str]) -> Otherwise:
    """Where what came back is not what was foretold.

    >>> otherwise(["BEGIN:VEVENT\\nCOLOR:red\\nEND:VEVENT"], ["BEGIN:VEVENT\\nEND:VEVENT"]).dropped
    frozenset({'COLOR'})
    """
    mine, theirs = _lines(foretold), _lines(got)
    names_there = {name for name, _ in theirs}
    differing = {name for name, _ in (mine - theirs)} | {name for name, _ in (theirs - mine)}
    gone = {name for name in differing if name not in names_there}
    return Otherwise(frozenset(gone), frozenset(differing - gone))


def _lines(texts: Iterable[str]) -> Counter[tuple[str, str]]:
    lines: Counter[tuple[str, str]] = Counter()
    for text in texts:
        for line in text.split("\n"):
            match = _NAME.match(line)
            if match is not None and match[1].upper() not in _OWN:
                lines[match[1].upper(), line] += 1
    return lines


SAYS = "A sample crossing showed otherwise."


def corrected(measured: Iterable[Measured], seen: Otherwise) -> tuple[list[Measured], list[str]]:
    """What was measured, with what a sample showed; and the features that are no longer taken to be kept.

    What is gone is gone from whatever came back of the catalogue's own entries; what says something else in a way that
    nobody knows is not foretold any more.
    """
    rows, changed = [], []
    for one in measured:
        feature = BY_NAME.get(one.feature)
        row = _corrected(feature, one, seen) if feature is not None else one
        rows.append(row)
        if feature is not None and row.verdict is not one.verdict:
            changed.append(feature.name)
    return rows, changed


def _corrected(feature: Feature, one: Measured, seen: Otherwise) -> Measured:
    names = {focus.partition(";")[0] for focus in feature.focus}
    if feature.limit is not None:
        return Measured(one.feature, Verdict.NOT_TRIED, reason=SAYS) if names & seen.dropped else one
    if one.verdict in (Verdict.KEPT, Verdict.REWRITTEN) and seen.dropped:
        got = tuple(_without(text, seen.dropped) for text in one.got)
        if any(match[1].upper() in seen.dropped for text in got for match in _NAME.finditer(text)):  # a damaged line
            return Measured(one.feature, Verdict.NOT_TRIED, reason=SAYS)
        if got != one.got:
            return Measured(one.feature, feature.verdict(one.sent, got), one.sent, got, SAYS)
    if one.verdict is Verdict.KEPT and names & seen.rewritten and not any(";" in focus for focus in feature.focus):
        return Measured(one.feature, Verdict.NOT_TRIED, reason=SAYS)
    return one


def _without(text: str, names: frozenset[str]) -> str:
    gone = {at for at, line in Component(text).properties() if line.name in names}
    return "\n".join(line for at, line in enumerate(text.split("\n")) if at not in gone)
