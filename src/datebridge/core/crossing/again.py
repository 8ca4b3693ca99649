"""Carrying again: what follows for an entry that a lane has carried before, by what became of both its ends since.

>>> was = Carried(b"then", source="v1", sent="v2", agreed="v3")
>>> follows(b"now", was, "v3"), follows(b"now", was, "v4"), follows(None, was, "v3"), follows(b"then", was, "v4")
(<Follows.CHANGE: 'change'>, <Follows.MERGE: 'merge'>, <Follows.REMOVE: 'remove'>, <Follows.NOTHING: 'nothing'>)

A source that is as it was has nothing to say, whatever somebody did at the target. A source that was changed or
deleted counts only where nobody has changed the other end; else both states are put together, or people decide.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from enum import StrEnum
from typing import Generic, TypeVar

from datebridge.core.merge import BOOKKEEPING, combined, differing
from datebridge.core.merging.objects import FieldConflict, ObjectState, merge_objects

Key = TypeVar("Key", bound=Hashable)
#: Why an entry was changed that was put together; batches say it.
PUT_TOGETHER = "Changed at both ends since, in different fields."


@dataclass(frozen=True, slots=True)
class Carried(Generic[Key]):
    """An entry as a lane carried it.

    Attributes:
        digest, source: the source's entry then.
        sent: the state that was written at the target.
        agreed: the state that the target has made of it: the last one that nobody but the target's system has changed.
        merged: it was put together with what somebody had changed at the target.
    """

    digest: bytes
    source: Key
    sent: Key
    agreed: Key
    merged: bool = False


class Follows(StrEnum):
    """What follows for an entry that was carried before."""

    NOTHING = "nothing"
    CHANGE = "change"  #: the target's state is replaced: nobody has changed it
    MERGE = "merge"  #: both ends were changed
    REMOVE = "remove"  #: it is gone at the source
    DELETED_THERE = "deleted there"  #: it was changed at the source, and deleted at the target
    DELETED_HERE = "deleted here"  #: it was deleted at the source, and changed at the target


def follows(source: bytes | None, was: Carried[Key], there: Key | None) -> Follows:
    """What follows.

    Args:
        source: the digest of the source's entry now; None where it is gone.
        there: the target's state now; None where it is gone.
    """
    if source == was.digest:
        return Follows.NOTHING
    if source is None:
        if there is None:
            return Follows.NOTHING
        return Follows.REMOVE if there == was.agreed else Follows.DELETED_HERE
    if there is None:
        return Follows.DELETED_THERE
    return Follows.CHANGE if there == was.agreed else Follows.MERGE


@dataclass(frozen=True, slots=True)
class Together:
    """Both ends put together; a field in conflict stays as the target has it agreed."""

    text: str
    conflicts: tuple[FieldConflict, ...]


def put_together(sent: str, now: str, agreed: str, there: str) -> Together:
    """What comes of a source's entry and a target's, both of them changed since the entry was carried.

    What the target's system does not keep is no change by anybody: only what differs between two states of the source
    travels, and only into what the target has made of the first.

    Args:
        sent, now: the source's entry as it was carried, and as it would be carried now.
        agreed, there: the target's entry as it was then, and as it is now.

    >>> entry = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:{}\\nLOCATION:{}\\nEND:VEVENT".format
    >>> coloured = entry("Tide", "Pier").replace("END:", "COLOR:red\\nEND:")
    >>> changed = entry("Spring tide", "Pier").replace("END:", "COLOR:red\\nEND:")
    >>> both = put_together(coloured, changed, entry("Tide", "Pier"), entry("Tide", "Quay"))
    >>> both.text == entry("Spring tide", "Quay"), both.conflicts
    (True, ())
    """
    changed = [field.name for field in differing(sent, now)]
    states = agreed, combined(now, agreed, changed), there
    merged = merge_objects(*(ObjectState((text,)) for text in states))
    conflicts = tuple(one for one in merged.conflicts if one.name not in BOOKKEEPING)
    return Together(merged.texts[0] if merged.texts else agreed, conflicts)
