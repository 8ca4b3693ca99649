"""What a target keeps, learned from what became of each feature there.

>>> from datebridge.core.crossing.catalogue import BY_NAME
>>> colour = BY_NAME["colour"]
>>> [text] = colour.sent
>>> seen = Measured("colour", Verdict.DROPPED, (text,), (text.replace("\\nCOLOR:teal", ""),))
>>> fidelity = learn([seen])
>>> [known.rule for known in fidelity.rules]
[LeaveOut(name='COLOR')]
>>> arrival = fidelity.arrival(["BEGIN:VEVENT\\nUID:7\\nCOLOR:red\\nSUMMARY:Tide\\nEND:VEVENT"])
>>> arrival.texts, [loss.feature for loss in arrival.losses]
(('BEGIN:VEVENT\\nUID:7\\nSUMMARY:Tide\\nEND:VEVENT',), ['colour'])

A matrix is nothing but such rows, so whoever has its JSON can foretell (`Measured.read`). What no rule explains is kept
as *unexplained*, and entries that have such a feature are said to be rewritten in a way that cannot be foretold.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any, NamedTuple

from datebridge.core.attachments import is_marked, to_send, with_files_of
from datebridge.core.crossing.catalogue import BY_NAME, CATALOGUE
from datebridge.core.crossing.catalogue.limits import MEASURES, how_much, written
from datebridge.core.crossing.features import MANAGED, UID_TWICE, Feature, Verdict, alike
from datebridge.core.crossing.refusals import REFUSALS, RefusedThere, RefuseProblems, RefuseWith
from datebridge.core.crossing.rules import (
    Another,
    LeaveOut,
    LeaveOutParameters,
    NewUid,
    Rule,
    Stamped,
    Unit,
    holds,
    name_of,
)
from datebridge.core.errors import CannotDo
from datebridge.core.text.component import Component
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: How many names of properties that are left out are said of an entry.
_MOST_NAMES = 4
#: The feature that is lost where entries get other UIDs.
_UID = "uid"
#: What a target may set itself: it says nothing of the meeting.
_BOOKKEEPING = frozenset({"CREATED", "LAST-MODIFIED", "SEQUENCE"})
_UNITS: Mapping[str, Unit] = {"bytes": "bytes", "characters": "characters"}


class NotAMatrix(CannotDo):
    """Something that should be a matrix is none; the message says where."""

    code, title = "not-a-matrix", "This is not a matrix"


@dataclass(frozen=True, slots=True)
class Measured:
    """What became of one feature.

    Attributes:
        sent, got: its entries as they were sent, and as they were read back; of a limit how much was tried and came
            back, as ``8192 bytes`` or ``3 last``.
        reason: the target's own words where it refused, or why it was not tried.
    """

    feature: str
    verdict: Verdict
    sent: tuple[str, ...] = ()
    got: tuple[str, ...] = ()
    reason: str = ""

    def row(self) -> dict[str, object]:
        """As it stands in a matrix: lines of entries, one below the other."""
        return {
            "feature": self.feature,
            "verdict": self.verdict.value,
            "sent": "\n".join(self.sent),
            "got": "\n".join(self.got),
            "reason": self.reason,
        }

    @classmethod
    def read(cls, row: Mapping[str, Any]) -> Measured:
        """What `row` made of one.

        Raises:
            NotAMatrix: if it is none; the message says what is wrong with it.
        """
        name, verdict = row.get("feature"), row.get("verdict")
        if not isinstance(name, str) or verdict not in {one.value for one in Verdict}:
            raise NotAMatrix(f"A row of a matrix names a feature and a verdict. This one does not: {str(row)[:80]}")
        texts = [row.get(key) or "" for key in ("sent", "got", "reason")]
        if not all(isinstance(text, str) for text in texts):
            raise NotAMatrix(f"The row “{name[:40]}” holds something that is not text.")
        return cls(name, Verdict(verdict), _entries(texts[0]), _entries(texts[1]), texts[2])


class KnownRule(NamedTuple):
    """A rule, and the feature it was learned from."""

    feature: str
    rule: Rule


class Loss(NamedTuple):
    """What an entry loses at the target: which feature, how, and which entry of the object it is."""

    feature: str
    verdict: Verdict
    at: int
    reason: str = ""


class Arrival(NamedTuple):
    """What becomes of an object: its entries as they will be, none where it is refused; and what is lost.

    Attributes:
        places: which entry of the object each of them was.
        certain: false where an entry has a feature that comes back in a way that no rule explains.
    """

    texts: tuple[str, ...]
    losses: tuple[Loss, ...]
    places: tuple[int, ...] = ()
    certain: bool = True


@dataclass(frozen=True, slots=True)
class Fidelity:
    """What a target keeps of what it is given.

    Attributes:
        rules: what it does, in the order in which it was learned.
        unexplained: the features that come back otherwise, in a way that no rule explains.
        untried: the features of which nothing is known.
        manages: it keeps attachments by itself that are handed to it so (RFC 8607).
    """

    rules: tuple[KnownRule, ...] = ()
    unexplained: tuple[str, ...] = ()
    untried: tuple[str, ...] = ()
    manages: bool = False
    _watched: tuple[tuple[str, str], ...] = field(default=(), compare=False)
    _checks: Mapping[str, str] = field(default_factory=dict, compare=False)

    def arrival(self, texts: Sequence[str], zones: Zones = NO_ZONES, sound: bool = False) -> Arrival:
        """What becomes of the entries of one object.

        Args:
            zones: what the object defines.
            sound: no check finds anything in them that breaks, so they need not be looked at for that.
        """
        if is_marked(texts):
            arrival = self.arrival(to_send(texts, self.manages), zones, sound)
            return arrival if not self.manages else _with_files(arrival, texts)
        kept, losses = list(texts), list[Loss]()
        places = list(range(len(texts)))
        for feature, rule in self.rules:
            if sound and isinstance(rule, RefuseProblems):
                continue
            try:
                after = rule.kept(kept, zones)
            except RefusedThere as refusal:
                named = self._checks.get(refusal.check, feature)
                refused = [Loss(named, Verdict.REFUSED, at, str(refusal)) for at in range(len(texts))]
                return Arrival((), tuple(refused))
            if after != kept:
                lost = [] if isinstance(rule, Stamped) else _lost(feature, kept, after)
                losses += [loss._replace(at=places[loss.at]) for loss in lost]
                if len(after) != len(kept):
                    left = set(after)
                    places = [place for place, text in zip(places, kept, strict=True) if text in left]
                kept = after
        unsure = self._unsure(texts)
        return Arrival(tuple(kept), (*losses, *unsure), tuple(places), not unsure)

    def _unsure(self, texts: Sequence[str]) -> list[Loss]:
        """Features of entries that no rule explains."""
        return [
            Loss(feature, Verdict.REWRITTEN, at, "comes back in a way that cannot be foretold")
            for at, text in enumerate(texts)
            for feature, line in self._watched
            if holds(text, line) and any(raw.upper().startswith(line) for raw in text.split("\n"))
        ]


def _with_files(arrival: Arrival, given: Sequence[str]) -> Arrival:
    """The same with the attachments that are added when the entries are there."""
    texts = (with_files_of(text, given[place]) for text, place in zip(arrival.texts, arrival.places, strict=True))
    return arrival._replace(texts=tuple(texts))


def learn(measured: Iterable[Measured]) -> Fidelity:
    """The rules that explain what was measured: the most general ones against which nothing speaks."""
    seen = {one.feature: one for one in measured}
    banned: set[Rule] = set()
    while True:
        rules, unexplained, against = _learned(seen, banned)
        if not against:
            break
        banned |= against
    known = {name for name, one in seen.items() if one.verdict is not Verdict.NOT_TRIED} | {MANAGED}
    untried = [name for name in BY_NAME if name not in known]
    watched = [(name, line) for name in unexplained for line in _watched(BY_NAME[name])]
    checks = {check: name for name, rule in rules if isinstance(rule, RefuseProblems) for check in rule.checks}
    managed = seen.get(MANAGED)
    manages = managed is not None and managed.verdict is Verdict.KEPT and is_marked(managed.sent)
    return Fidelity(_gathered(rules), tuple(unexplained), tuple(untried), manages, tuple(watched), checks)


def _learned(seen: Mapping[str, Measured], banned: set[Rule]) -> tuple[list[KnownRule], list[str], set[Rule]]:
    """Rules without those that are banned, what they do not explain, and which of them have to be banned too."""
    rules: list[KnownRule] = []
    unexplained: list[str] = []
    for feature in CATALOGUE:
        one = seen.get(feature.name)
        if one is None or one.verdict is Verdict.NOT_TRIED or feature.name in (UID_TWICE, MANAGED):
            continue
        found = _limit_rules(rules, feature, one) if feature.limit else _rules(rules, feature, one, banned)
        if found is not None:
            # Whatever is tried first shows that UIDs are given anew, and is not what is lost by that.
            rules += [KnownRule(_UID if isinstance(rule, NewUid) else feature.name, rule) for rule in found]
        elif against := _against(rules, feature, one, banned):
            return rules, unexplained, {against}
        else:
            unexplained.append(feature.name)
    return rules, unexplained, set()


def _against(rules: Sequence[KnownRule], feature: Feature, one: Measured, banned: set[Rule]) -> Rule | None:
    """The rule without which a feature would be explained: it was too general; None where there is none."""
    if feature.limit:
        return None
    for known in reversed(rules):
        others = [other for other in rules if other is not known]
        if _rules(others, feature, one, banned | {known.rule}) is not None:
            return known.rule
    return None


def _rules(rules: Sequence[KnownRule], feature: Feature, one: Measured, banned: set[Rule]) -> tuple[Rule, ...] | None:
    """What has to be added so that all rules give what was seen; None where nothing that is known does."""
    known = tuple(rule for _, rule in rules)
    zones = Zones(feature.zones)
    if _gives(known, feature, one, zones):
        return ()
    single = [*feature.guesses, *_usual(feature, one)]
    # Two things may have happened to it at once.
    for guess in (*single, *((*first, *second) for first, second in combinations(single, 2))):
        if banned.isdisjoint(guess) and _gives((*known, *guess), feature, one, zones):
            return guess
    return None


def _gives(rules: Sequence[Rule], feature: Feature, one: Measured, zones: Zones) -> bool:
    """Whether rules make of a feature what was seen of it."""
    kept: list[str] = []
    refused = 0
    for texts in feature.objects:
        try:
            kept += _applied(rules, texts, zones)
        except RefusedThere:
            refused += 1
    if one.verdict is Verdict.REFUSED:
        return refused > 0
    return not refused and alike(kept, one.got)


def _applied(rules: Sequence[Rule], texts: Sequence[str], zones: Zones) -> list[str]:
    kept = list(texts)
    for rule in sorted(rules, key=lambda rule: not isinstance(rule, REFUSALS)):
        kept = rule.kept(kept, zones)
    return kept


def _usual(feature: Feature, one: Measured) -> list[tuple[Rule, ...]]:
    """Guesses that any feature may need: that it is refused, or that a value becomes another."""
    names = [name for name in feature.focus if ";" not in name]
    if one.verdict is Verdict.REFUSED:
        return [(RefuseWith(name),) for name in names]
    guesses: list[tuple[Rule, ...]] = [tuple(LeaveOut(name) for name in names)]
    added = sorted(_names(one.got) - _names(one.sent))
    set_anew = tuple(name for name in names if name in _BOOKKEEPING)
    guesses += [(Stamped(tuple(added)),)] if added else []
    guesses += [(Stamped(set_anew, always=True),)] if set_anew else []
    gone = _parameters(one.sent) - _parameters(one.got)
    guesses += [tuple(LeaveOutParameters(param) for param in sorted({param for _, param in gone}))]
    guesses += [tuple(LeaveOutParameters(param, prop) for prop, param in sorted(gone))]
    for name in names:
        mine = [line.value for text in one.sent for line in Component(text).all(name)]
        theirs = [line.value for text in one.got for line in Component(text).all(name)]
        if len(mine) == len(theirs) == 1 and mine != theirs:
            guesses.append((Another(name, mine[0], theirs[0]),))
    return guesses


def _names(texts: Iterable[str]) -> set[str]:
    """The names of the properties of entries themselves."""
    return {line.name for text in texts for _, line in Component(text).properties()}


def _parameters(texts: Iterable[str]) -> set[tuple[str, str]]:
    """Which properties of entries have which parameters."""
    lines = [line for text in texts for _, line in Component(text).properties()]
    return {(line.name, param) for line in lines for param, _ in line.params}


def _limit_rules(rules: Sequence[KnownRule], feature: Feature, one: Measured) -> tuple[Rule, ...] | None:
    """The rule of a limit, if those that are known do not explain it already."""
    assert feature.limit is not None  # noqa: S101
    if one.verdict is Verdict.KEPT:
        return ()
    count, _, way = "".join(one.got).partition(" ")
    if not count.isdigit():
        return None
    most, unit, measure = int(count), _UNITS.get(way, "characters"), MEASURES[feature.name]
    known = tuple(rule for _, rule in rules)
    if one.verdict is Verdict.REFUSED:
        if _taken(known, feature.name, most, unit) and not _taken(known, feature.name, most + 1, unit):
            return ()
        return (measure.refuses(most, unit),)
    if measure.cuts is None:
        return None
    leaving = [rule for rule in known if not isinstance(rule, REFUSALS)]
    kept = _applied(leaving, written(feature.name, feature.limit.most), NO_ZONES)
    if how_much(feature.name, kept, unit) == most:
        return ()
    return (measure.cuts(most, unit, way == "last"),)


def _taken(rules: Sequence[Rule], name: str, size: int, unit: Unit) -> bool:
    """Whether rules let so much of something through."""
    try:
        _applied(rules, written(name, size), NO_ZONES)
    except RefusedThere:
        return False
    return True


def _gathered(rules: Sequence[KnownRule]) -> tuple[KnownRule, ...]:
    """Refusals first, and those by checks as one rule, since each of them has to read the whole object."""
    checks = [known for known in rules if isinstance(known.rule, RefuseProblems)]
    refusals = [known for known in rules if isinstance(known.rule, REFUSALS) and known not in checks]
    if checks:
        every = frozenset(check for _, rule in checks if isinstance(rule, RefuseProblems) for check in rule.checks)
        refusals.append(KnownRule(checks[0].feature, RefuseProblems(every)))
    return (*refusals, *(known for known in rules if not isinstance(known.rule, REFUSALS)))


def _lost(feature: str, before: Sequence[str], after: Sequence[str]) -> list[Loss]:
    """In which entries a rule changed something."""
    if len(before) != len(after):
        kept = set(after)
        return [Loss(feature, Verdict.DROPPED, at) for at, text in enumerate(before) if text not in kept]
    losses = []
    for at, (mine, theirs) in enumerate(zip(before, after, strict=True)):
        if mine != theirs:
            losses.append(_loss(feature, at, mine.split("\n"), theirs.split("\n")))
    return losses


def _loss(feature: str, at: int, mine: Sequence[str], theirs: Sequence[str]) -> Loss:
    """What one entry loses: dropped where nothing was written anew, and nothing of the name is left."""
    here, there = set(mine), set(theirs)
    gone = {name_of(raw) for raw in mine if raw not in there} - {"BEGIN", "END"}
    names = set(map(name_of, theirs))
    left = gone & names
    if BY_NAME[feature].limit is not None:  # some of several are gone, whatever each of them says
        left = {name for name in BY_NAME[feature].focus if name in names or f"BEGIN:{name}" in there}
    verdict = Verdict.DROPPED if there <= here and not left else Verdict.REWRITTEN
    return Loss(feature, verdict, at, ", ".join(sorted(gone)[:_MOST_NAMES]))


def _watched(feature: Feature) -> list[str]:
    """How lines begin by which an entry is seen to have a feature."""
    return [
        f"BEGIN:{one}" if any(f"\nBEGIN:{one}\n" in text for text in feature.sent) else name_of(one)
        for one in feature.focus
    ]


def _entries(text: str) -> tuple[str, ...]:
    """The entries in lines one below the other; a limit's words as they are."""
    if not text.startswith("BEGIN:"):
        return (text,) if text else ()
    entries: list[list[str]] = []
    depth = 0
    for raw in text.split("\n"):
        if depth == 0:
            entries.append([])
        entries[-1].append(raw)
        depth += raw.startswith("BEGIN:") - raw.startswith("END:")
    return tuple("\n".join(lines) for lines in entries)
