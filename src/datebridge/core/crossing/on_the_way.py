"""What becomes of entries on their way: the steps of a plan, remedies for losses, then what the target keeps.

>>> from datebridge.core.bulk.steps import Categories
>>> way = OnTheWay([Categories("add", ["Moved"])])
>>> [(entry.text.split("\\n")[2], entry.reasons) for entry in way.planned([(1, "BEGIN:VEVENT\\nUID:7\\nEND:VEVENT")])]
[('CATEGORIES:Moved', ('plan: category added: Moved',))]
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from datebridge.core.bulk import Step, Subject, SubjectMember, change, step_in_words
from datebridge.core.crossing.catalogue import BY_NAME
from datebridge.core.crossing.fidelity import Fidelity
from datebridge.core.crossing.phrasing import loss_in_words
from datebridge.core.invitations import silenced
from datebridge.core.zones.meaning import NO_ZONES, Zones

Members = Sequence[tuple[int, str]]


class OnItsWay(NamedTuple):
    """An entry on its way.

    Attributes:
        text: as it is by now; None where it is left behind.
        reasons: why that is not what stands at the source, each beginning with ``plan``, ``remedy`` or ``loss``.
    """

    key: int
    text: str | None
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class OnTheWay:
    """What happens on the way.

    Attributes:
        steps: done to every entry.
        remedies: done to the entries that lose something at the target, by feature.
        fidelity: what the target keeps; None where nobody knows.
        target: what the target is called.
        tell: people may be told by the target.
        moment: the stamp of what is changed.
    """

    steps: Sequence[Step] = ()
    remedies: Mapping[str, Sequence[Step]] = field(default_factory=dict)
    fidelity: Fidelity | None = None
    target: str = ""
    tell: bool = False
    moment: str = ""

    def planned(self, members: Members, zones: Zones = NO_ZONES, sound: bool = False) -> list[OnItsWay]:
        """What is to be sent of the entries of one UID."""
        entries = _done(members, self.steps, zones, self.moment, "plan") if self.steps else _as_they_are(members)
        if self.remedies and self.fidelity is not None:
            entries = self._remedied(entries, zones, sound)
        return entries

    def _remedied(self, entries: list[OnItsWay], zones: Zones, sound: bool) -> list[OnItsWay]:
        """The same after the remedies for what the target does not keep."""
        assert self.fidelity is not None  # noqa: S101
        going = [(one.key, one.text) for one in entries if one.text is not None]
        losses = self.fidelity.arrival([text for _, text in going], zones, sound).losses
        lost = dict.fromkeys(loss.feature for loss in losses if loss.feature in self.remedies)
        for feature in lost:
            concerned = {going[loss.at][0] for loss in losses if loss.feature == feature}
            done = _done(going, self.remedies[feature], zones, self.moment, "remedy", concerned)
            by_key = {one.key: one for one in entries}
            entries = [
                one if one.text is None or one.key not in by_key else _follow(by_key[one.key], one) for one in done
            ] + [one for one in entries if one.text is None]
            going = [(one.key, one.text) for one in entries if one.text is not None]
        return entries

    def arriving(self, entries: Sequence[OnItsWay], zones: Zones = NO_ZONES, sound: bool = False) -> list[OnItsWay]:
        """What is to arrive of what is sent, as far as it is known what the target keeps."""
        going = [one for one in entries if one.text is not None]
        if self.fidelity is None or not going:
            return list(entries)
        texts = [one.text or "" for one in going]
        arrival = self.fidelity.arrival(texts if self.tell else list(map(silenced, texts)), zones, sound)
        reasons: dict[int, list[str]] = {}
        for loss in arrival.losses:
            words = BY_NAME[loss.feature].words + (f" ({loss.reason})" if loss.reason else "")
            reasons.setdefault(loss.at, []).append(f"loss: {loss_in_words(loss.verdict, words, self.target)}")
        by_place = dict(zip(arrival.places, arrival.texts, strict=True))
        arriving = {
            one.key: OnItsWay(one.key, by_place.get(at), (*one.reasons, *reasons.get(at, ())))
            for at, one in enumerate(going)
        }
        return [arriving.get(one.key, one) for one in entries]


def _as_they_are(members: Members) -> list[OnItsWay]:
    return [OnItsWay(key, text) for key, text in members]


def _done(
    members: Members,
    steps: Sequence[Step],
    zones: Zones,
    moment: str,
    cause: str,
    concerned: set[int] | None = None,
) -> list[OnItsWay]:
    """What steps make of entries, each with what was done to it, or why it could not be."""
    before = dict(members)
    chosen = [SubjectMember(key, text, concerned is None or key in concerned) for key, text in members]
    outcomes = {one.key: one for one in change(Subject(chosen, zones, moment), steps)}
    words = f"{cause}: {'; '.join(step_in_words(step) for step in steps)}"
    entries = []
    for key, text in members:
        outcome = outcomes.get(key)
        if outcome is None:
            entries.append(OnItsWay(key, text))
            continue
        why_not = tuple(f"{cause}: not done: {why}" for why in outcome.why_not)
        changed = (words,) if outcome.text != before[key] else ()
        entries.append(OnItsWay(key, outcome.text, (*changed, *why_not)))
    return entries


def _follow(before: OnItsWay, after: OnItsWay) -> OnItsWay:
    return after._replace(reasons=(*before.reasons, *after.reasons))
