"""What can be done about a loss: steps of a change in bulk, each with what it does in words.

>>> from datebridge.core.crossing.catalogue import BY_NAME
>>> [(one.words, one.steps) for one in remedies_for(BY_NAME["contact"])][0]
('Say it in the notes', (SayInNotes(names=['CONTACT'], do='say-in-notes'),))
"""

from __future__ import annotations

from typing import NamedTuple

from datebridge.core.bulk.steps import (
    CategoryInTitle,
    EndSeries,
    FetchLinks,
    Fix,
    KeepByServer,
    LeaveBehind,
    LinkAttachments,
    OneAlarm,
    PlainNotes,
    SayInNotes,
    SecondSeries,
    Step,
)
from datebridge.core.checks import is_fixable
from datebridge.core.crossing.features import Feature, Group


class Remedy(NamedTuple):
    """A way out of a loss."""

    words: str
    steps: tuple[Step, ...]


#: Where files of attachments lie, until somebody says it.
_FILES = "https://files.example/"
_LEAVE = Remedy("Leave these entries behind, and list them", (LeaveBehind(),))


def remedies_for(feature: Feature, last: str = "", manages: bool = False) -> list[Remedy]:
    """The ways out of the loss of a feature, the usual one first.

    Args:
        last: a day on which endless series may end.
        manages: the target keeps attachments by itself (RFC 8607).
    """
    ways = (_remedy(name, feature, last) for name in feature.remedies if manages or name != "keep-by-server")
    return [*(remedy for remedy in ways if remedy is not None), _LEAVE]


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
        case "second-series":
            return Remedy("Make a second series of what follows", (SecondSeries(),))
        case "keep-by-server":
            return Remedy("Let the target keep attachments by itself", (KeepByServer(),))
        case "link-attachments":
            return Remedy("Link attachments to files at an address of yours", (LinkAttachments(_FILES, 0),))
        case "fetch-links":
            return Remedy("Carry what links into the old system lead to", (FetchLinks(),))
        case "end-series":
            return Remedy(f"End the series on {last}", (EndSeries(last),)) if last else None
        case "fix":
            check = feature.name.removeprefix("damaged-")
            return Remedy("Fix what is damaged", (Fix(check),)) if is_fixable(check) else None
    return None
