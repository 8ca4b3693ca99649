"""What steps make of entries and how the results read: work that a helper process can do as well."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from datebridge.core.bulk import Outcome, Step, Subject, SubjectMember, change
from datebridge.core.bulk.subject import FetchedFile
from datebridge.core.ids import GroupId
from datebridge.core.zones.meaning import Zones
from datebridge.services.imports.deriving import Text, batch_of
from datebridge.store.entries.rows import Row

#: What becomes of each entry, with its new row where its text is another one.
Changed = list[tuple[Outcome, Row | None]]


class Unchanged(NamedTuple):
    """An entry before the steps; `chosen` as in `SubjectMember`."""

    key: int
    component: str
    text: str
    chosen: bool


@dataclass(frozen=True, slots=True)
class Changing:
    """Steps to be done to entries of a calendar, those of a unit together.

    Attributes:
        group: by which the calendar's definitions are known.
        moment: the stamp of what is changed, files: what links lead to; as in `Subject`.
    """

    group: GroupId
    units: Sequence[Sequence[Unchanged]]
    steps: Sequence[Step]
    moment: str
    files: Mapping[str, FetchedFile | str] | None = None

    @property
    def groups(self) -> set[GroupId]:
        return {self.group}

    def outcomes(self, zones: Zones) -> list[Outcome]:
        """What becomes of the entries."""
        outcomes: list[Outcome] = []
        for unit in self.units:
            members = [SubjectMember(one.key, one.text, one.chosen) for one in unit]
            outcomes += change(Subject(members, zones, self.moment, files=self.files), self.steps)
        return outcomes

    def do(self, zones: dict[GroupId, Zones]) -> Changed:
        outcomes = self.outcomes(zones.setdefault(self.group, Zones()))
        before = {one.key: one for unit in self.units for one in unit}
        texts = {
            outcome.key: Text(self.group, before[outcome.key].component, outcome.text)
            for outcome in outcomes
            if outcome.text is not None and outcome.text != before[outcome.key].text
        }
        rows = dict(zip(texts, batch_of(texts.values(), zones).rows, strict=True))
        return [(outcome, rows.get(outcome.key)) for outcome in outcomes]
