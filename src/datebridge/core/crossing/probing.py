"""The course of a probe, without any sending: it hands out what is to be tried, and is told what came of it.

>>> course = probe()
>>> [trial.feature for trial in next(course)]
['plain', 'attendees']

Whoever drives it writes each trial, reads it back, and answers (`Answer`), trial by trial; at its end the course
returns what was measured (`StopIteration.value`). Limits are found by halving, all of them side by side.
"""

from __future__ import annotations

from collections.abc import Generator, Mapping, Sequence
from typing import NamedTuple

from datebridge.core.crossing.catalogue import BY_NAME, CATALOGUE
from datebridge.core.crossing.catalogue.limits import MEASURES, how_much, is_text, kept_last, written
from datebridge.core.crossing.features import MARK, UID_TWICE, Feature, Verdict
from datebridge.core.crossing.fidelity import Measured
from datebridge.core.crossing.rules import Unit
from datebridge.core.errors import CannotDo
from datebridge.core.text.component import Component

UNSTEADY = "It answers differently when it is asked again."
SENDS = "The server announces that it invites attendees, although it was told not to."
#: What the calendar is called in which a probe writes.
PLACE = "Date Bridge is trying out what is kept here; may be deleted"
_FIRST = ("plain", "attendees")


class NothingTaken(CannotDo):
    """A target does not even take a plain event, so nothing can be learned of it; the message is its reason."""

    code, title = "nothing-taken", "Nothing can be measured there"


class Trial(NamedTuple):
    """One object to be written: the entries of one UID, with the definitions they need.

    `second`: into another calendar than all others.
    """

    feature: str
    texts: tuple[str, ...]
    zones: tuple[tuple[str, str], ...] = ()
    second: bool = False


class Answer(NamedTuple):
    """What became of a trial.

    Attributes:
        got: its entries as they were read back; none where it was refused.
        refused: why, in the target's own words; "" where it was taken.
        not_tried: why nothing can be said of it.
        again: its entries when they were read once more, None where they were not.
    """

    got: tuple[str, ...] = ()
    refused: str = ""
    not_tried: str = ""
    again: tuple[str, ...] | None = None


Trials = Sequence[Trial]
Answers = Sequence[Answer]
Course = Generator[Trials, Answers, list[Measured]]


def probe(hints: Mapping[str, int] | None = None) -> Course:
    """The course over the whole catalogue.

    Args:
        hints: limits that the target declares, by feature; tried first.

    Raises:
        NothingTaken: if not even a plain event is taken.
    """
    first = [BY_NAME[name] for name in _FIRST]
    measured = {one.feature: one for one in (yield from _together(first))}
    plain = measured["plain"]
    if plain.verdict in (Verdict.REFUSED, Verdict.NOT_TRIED):
        raise NothingTaken(plain.reason)
    sends = _sends(measured["attendees"])
    [twice] = yield [Trial(UID_TWICE, BY_NAME[UID_TWICE].sent, second=True)]
    measured[UID_TWICE] = _judged(BY_NAME[UID_TWICE], [twice])
    rest = [feature for feature in CATALOGUE if feature.limit is None and feature.name not in measured]
    if sends:
        skipped = [feature for feature in CATALOGUE if _invites(feature)]
        rest = [feature for feature in rest if feature not in skipped]
        measured |= {one.name: Measured(one.name, Verdict.NOT_TRIED, reason=SENDS) for one in skipped}
    measured |= {one.feature: one for one in (yield from _together(rest))}
    limits = [feature for feature in CATALOGUE if feature.limit and feature.name not in measured]
    measured |= {one.feature: one for one in (yield from _side_by_side(limits, hints or {}))}
    return [measured[feature.name] for feature in CATALOGUE]


def is_place(name: str, url: str) -> bool:
    """Whether a calendar is one in which a probe writes."""
    return name == PLACE and MARK in url


def _invites(feature: Feature) -> bool:
    return any("\nATTENDEE" in text for text in feature.sent)


def _sends(attendees: Measured) -> bool:
    """Whether a server has said that it invited somebody (RFC 6638 §7.3)."""
    lines = [line for text in attendees.got for line in Component(text).all("ATTENDEE")]
    return any((line.param("SCHEDULE-STATUS") or "").startswith(("1.", "2.")) for line in lines)


def _together(features: Sequence[Feature]) -> Course:
    trials = [Trial(feature.name, texts, feature.zones) for feature in features for texts in feature.objects]
    answers = yield trials
    of: dict[str, list[Answer]] = {}
    for trial, answer in zip(trials, answers, strict=True):
        of.setdefault(trial.feature, []).append(answer)
    return [_judged(feature, of[feature.name]) for feature in features]


def _judged(feature: Feature, answers: Sequence[Answer]) -> Measured:
    got = tuple(text for answer in answers for text in answer.got)
    if reason := next((answer.not_tried for answer in answers if answer.not_tried), ""):
        return Measured(feature.name, Verdict.NOT_TRIED, feature.sent, got, reason)
    if reason := next((answer.refused for answer in answers if answer.refused), ""):
        return Measured(feature.name, Verdict.REFUSED, feature.sent, got, reason)
    unsteady = any(answer.again is not None and answer.again != answer.got for answer in answers)
    return Measured(feature.name, feature.verdict(feature.sent, got), feature.sent, got, UNSTEADY if unsteady else "")


def _side_by_side(features: Sequence[Feature], hints: Mapping[str, int]) -> Course:
    """All limits at once, so that each round is written and read back together."""
    courses = {feature.name: _limit(feature, hints.get(feature.name, 0)) for feature in features}
    waiting = {name: next(course) for name, course in courses.items()}
    measured: list[Measured] = []
    while waiting:
        answers = yield [trials[0] for trials in waiting.values()]
        for name, answer in zip(list(waiting), answers, strict=True):
            try:
                waiting[name] = courses[name].send([answer])
            except StopIteration as ended:
                del waiting[name]
                measured += ended.value
    return measured


def _limit(feature: Feature, hint: int) -> Course:
    """How much of something is taken, and how much of that is kept."""
    assert feature.limit is not None  # noqa: S101
    name, most = feature.name, feature.limit.most
    sent = f"{most} {feature.limit.unit}"
    [answer] = yield [_trial(name, most)]
    if answer.not_tried:
        return [Measured(name, Verdict.NOT_TRIED, (sent,), (), answer.not_tried)]
    refused, low = answer.refused, 0
    if refused:
        high = most
        for size in (hint, hint + 1):
            if low < size < high:
                [answer] = yield [_trial(name, size)]
                low, high = (low, size) if answer.refused else (size, high)
        taken = answer
        while high - low > 1:
            middle = (low + high) // 2
            [answer] = yield [_trial(name, middle)]
            if answer.not_tried:
                return [Measured(name, Verdict.NOT_TRIED, (sent,), (), answer.not_tried)]
            low, high = (low, middle) if answer.refused else (middle, high)
            taken = taken if answer.refused else answer
        answer, most = taken, low
    kept, whole = (how_much(name, texts, "characters") for texts in (answer.got, written(name, most)))
    if most and MEASURES[name].cuts is not None and kept < whole:
        count, way = yield from _cut(name, most, answer)
        return [Measured(name, Verdict.REWRITTEN, (sent,), (f"{count} {way}",))]
    if not refused:
        return [Measured(name, Verdict.KEPT, (sent,), (sent,))]
    unit = yield from _unit(name, most, feature.limit.unit)
    return [Measured(name, Verdict.REFUSED, (sent,), (f"{most} {unit}",), refused)]


def _trial(name: str, size: int, wide: bool = False) -> Trial:
    return Trial(name, tuple(written(name, size, wide)))


def _cut(name: str, most: int, answer: Answer) -> Generator[Trials, Answers, tuple[int, str]]:
    """How much is kept, and of what: bytes or characters of a text, the first or the last of several."""
    count = how_much(name, answer.got, "characters")
    if not is_text(name):
        return count, "last" if kept_last(name, written(name, most), answer.got) else "first"
    [wide] = yield [_trial(name, count, wide=True)]  # as many characters, and twice the bytes
    again = how_much(name, wide.got, "characters")
    return (count, "bytes") if wide.got and again < count else (count, "characters")


def _unit(name: str, most: int, unit: str) -> Generator[Trials, Answers, str]:
    """In what the most that is taken is counted."""
    if not is_text(name):
        return unit
    [wide] = yield [_trial(name, most, wide=True)]
    units: tuple[Unit, Unit] = ("bytes", "characters")
    return units[0] if wide.refused else units[1]
