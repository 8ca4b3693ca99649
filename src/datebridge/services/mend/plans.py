"""Plans of the core as change sets: which entries become what, go, or are new, in one calendar."""

from __future__ import annotations

from datebridge.core.bulk.subject import kind_of
from datebridge.core.changes import Change
from datebridge.core.checks import examine
from datebridge.core.editing.groups import Plan
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.zones.meaning import Zones
from datebridge.store.changesets.draft import Draft
from datebridge.store.entries.versions import VersionWriter


def put(
    draft: Draft, writer: VersionWriter, calendar: CalendarId, texts: dict[int, str], plan: Plan, zones: Zones
) -> None:
    """Add what a plan does.

    Args:
        texts: of the entries it is about, by their ids.
    """
    for edit in plan.edits:
        before = texts.get(edit.id) if edit.id is not None else None
        if edit.text == before:
            continue
        number = VersionId(edit.id) if edit.id is not None else None
        had = examine(kind_of(before), before, zones) if before is not None else None
        if edit.text is None:
            if had is not None:
                draft.add(Change(calendar, had.component, had.uid, had.recurrence_id, number, None, edit.reason))
            continue
        facts = examine(kind_of(edit.text), edit.text, zones)
        version = writer.add(facts, edit.text)
        place = (calendar, facts.component, facts.uid, facts.recurrence_id)
        if had is None or (had.uid, had.recurrence_id) == (facts.uid, facts.recurrence_id):
            draft.add(Change(*place, number, version, edit.reason))
        else:  # what it is known by is another: one goes, and one comes
            draft.add(Change(calendar, had.component, had.uid, had.recurrence_id, number, None, edit.reason))
            draft.add(Change(*place, None, version, edit.reason))
