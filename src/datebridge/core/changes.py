"""The one way in which calendar data changes (see docs/architecture.md, "The spine").

>>> change = Change(1, "a@skerrow.example", "", None, "BEGIN:VEVENT\\nEND:VEVENT")
>>> change.kind, change.inverse().kind
('create', 'delete')
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

ChangeKind = Literal["create", "update", "delete"]


@dataclass(frozen=True, slots=True)
class Change:
    """One component of one calendar, before and after. `before` is None for a creation, `after` for a deletion."""

    calendar: int
    uid: str
    recurrence_id: str
    before: str | None
    after: str | None
    reason: str = ""

    @property
    def kind(self) -> ChangeKind:
        if self.before is None:
            return "create"
        return "delete" if self.after is None else "update"

    def inverse(self, reason: str = "") -> Change:
        """The change that takes this one back."""
        return Change(self.calendar, self.uid, self.recurrence_id, self.after, self.before, reason or self.reason)


@dataclass(frozen=True, slots=True)
class ChangeSet:
    """Changes that belong together: proposed, applied and undone as one."""

    title: str
    changes: tuple[Change, ...] = field(default=())

    def inverse(self) -> ChangeSet:
        return ChangeSet(f"Undo: {self.title}", tuple(c.inverse() for c in reversed(self.changes)))


def apply(changes: Iterable[Change], entries: list[tuple[int, str]]) -> list[tuple[int, str]]:
    """The entries, as (calendar, text), after the changes: what the store does, in its plainest form.

    Raises:
        ValueError: if something to be changed is not there.
    """
    result = list(entries)
    for change in changes:
        if change.before is not None:
            result.remove((change.calendar, change.before))
        if change.after is not None:
            result.append((change.calendar, change.after))
    return result
