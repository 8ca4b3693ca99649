"""The forecast: a matrix laid upon entries, object by object, in order of harm.

>>> from datebridge.core.crossing.fidelity import KnownRule
>>> from datebridge.core.crossing.rules import LeaveOut
>>> there = Fidelity((KnownRule("colour", LeaveOut("COLOR")),))
>>> text = "BEGIN:VEVENT\\nUID:7\\nCOLOR:red\\nEND:VEVENT"
>>> [(loss.key, loss.feature, loss.verdict.value) for loss in foretold(there, [Entries([(1, text)])])]
[(1, 'colour', 'dropped')]
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Generic, NamedTuple, TypeVar

from datebridge.core.crossing.catalogue import BY_NAME
from datebridge.core.crossing.features import Harm, Verdict
from datebridge.core.crossing.fidelity import Fidelity
from datebridge.core.invitations import silenced
from datebridge.core.objects import take_apart
from datebridge.core.zones.meaning import NO_ZONES, Zones

Key = TypeVar("Key")
_HARMS = ("breaks", "alters", "untidy")
_VERDICTS = (Verdict.REFUSED, Verdict.DROPPED, Verdict.REWRITTEN)


@dataclass(frozen=True, slots=True)
class Entries(Generic[Key]):
    """The entries of one UID in one calendar, each by its key.

    Attributes:
        zones: what the object defines that they are sent in.
        sound: no check finds anything in them that breaks.
    """

    members: Sequence[tuple[Key, str]]
    zones: Zones = NO_ZONES
    sound: bool = False


class EntryLoss(NamedTuple, Generic[Key]):
    """What one entry loses."""

    key: Key
    feature: str
    verdict: Verdict
    reason: str = ""


def foretold(fidelity: Fidelity, objects: Iterable[Entries[Key]]) -> Iterator[EntryLoss[Key]]:
    """What entries lose, in their order."""
    for one in objects:
        arrival = fidelity.arrival([text for _, text in one.members], one.zones, one.sound)
        for loss in arrival.losses:
            yield EntryLoss(one.members[loss.at][0], loss.feature, loss.verdict, loss.reason)


def harm_of(feature: str, verdict: Verdict) -> Harm:
    """How bad a loss is; what is refused does not arrive at all."""
    return "breaks" if verdict is Verdict.REFUSED or feature not in BY_NAME else BY_NAME[feature].harm


def by_harm(feature: str, verdict: str) -> tuple[int, int, str]:
    """The order in which losses are told: the worst first."""
    known = Verdict(verdict)
    return _HARMS.index(harm_of(feature, known)), _VERDICTS.index(known), feature


def losses_in(fidelity: Fidelity, data: bytes) -> Iterator[EntryLoss[tuple[str, str]]]:
    """What the entries of a file lose, each by UID and RECURRENCE-ID."""
    whole = take_apart(data)
    zones = Zones((facts.uid, text) for facts, text in whole.zones)
    objects: dict[object, list[tuple[tuple[str, str], str]]] = {}
    for number, (facts, text) in enumerate(whole.entries):
        member = ((facts.uid, facts.recurrence_id), silenced(text))
        objects.setdefault((facts.component, facts.uid) if facts.uid else number, []).append(member)
    return foretold(fidelity, (Entries(members, zones) for members in objects.values()))
