"""What can be done about a loss: steps of a change in bulk, each with what it does in words.

>>> from datebridge.core.crossing.catalogue import BY_NAME
>>> [(one.words, one.steps) for one in remedies_for(BY_NAME["contact"])]
[('Say it in the notes', (SayInNotes(names=['CONTACT'], do='say-in-notes'),))]
"""

from __future__ import annotations

from typing import NamedTuple

from datebridge.core.bulk.steps import (
    CategoryInTitle,
    EndSeries,
    Fix,
    OneAlarm,
    PlainNotes,
    SayInNotes,
    Step,
)
from datebridge.core.checks import is_fixable
from datebridge.core.crossing.features import Feature, Group


class Remedy(NamedTuple):
    """A way out of a loss."""

    words: str
    steps: tuple[Step, ...]


def remedies_for(feature: Feature, last: str = "") -> list[Remedy]:
    """The ways out of the loss of a feature, the usual one first; `last`: a day on which endless series may end."""
    return [remedy for name in feature.remedies if (remedy := _remedy(name, feature, last)) is not None]


def _remedy(name: str, feature: Feature, last: str) -> Remedy | None:
    match name:
        case "say":
            # What no standard knows has other names in real entries than in the catalogue.
            names = [] if feature.group is Group.UNKNOWN else [one.partition(";")[0] for one in feature.focus]
            return Remedy("Say it in the notes", (SayInNotes(names),))
        case "one-alarm":
            return Remedy("Keep the last alarm before the start", (OneAlarm(),))
        case "category-in-title":
            return Remedy("Put categories before the title", (CategoryInTitle(),))
        case "plain-notes":
            return Remedy("Say formatted notes as plain ones", (PlainNotes(),))
        case "end-series":
            return Remedy(f"End the series on {last}", (EndSeries(last),)) if last else None
        case "fix":
            check = feature.name.removeprefix("damaged-")
            return Remedy("Fix what is damaged", (Fix(check),)) if is_fixable(check) else None
    return None
