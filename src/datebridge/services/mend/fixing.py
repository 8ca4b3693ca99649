"""Putting right what a check has found, where one text can be right: a proposal, line by line like any other."""

from __future__ import annotations

from datebridge.core.changes import Change, Kind
from datebridge.core.checks import ALL, Check
from datebridge.core.ids import VersionId
from datebridge.core.index.derive import derive
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.plural import counted
from datebridge.core.series.health import heal
from datebridge.services.editing.edits import stamp
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.services.mend.plans import put
from datebridge.store import findings
from datebridge.store.changesets.draft import propose
from datebridge.store.entries.present import texts_in_order
from datebridge.store.entries.series import groups_of, series_of
from datebridge.store.entries.zones import zones_of
from datebridge.store.sql import chunks

_AT_ONCE = 1_000
_NOTHING = "None of these entries can be fixed automatically; open them to correct them."


@performs(JobKind.FIX)
def fix_job(context: JobContext) -> dict[str, object]:
    """Propose the entries with a finding as they would be without it."""
    code = context.params["code"]
    check = ALL.get(code)
    if check is not None and check.of_series:
        return _heal(context, check)
    if check is None or check.fix is None:
        raise Refused("This finding has no automatic fix.")
    ids = _entries(context, code)
    left = 0
    with propose(context.store, Kind.FIX, context.by, "", nothing=_NOTHING) as draft:
        draft.afterwards(context.conclude_with_set)
        for at, some in enumerate(chunks(ids, _AT_ONCE)):
            context.progress(at * _AT_ONCE, len(ids), "entries")
            with draft.stage() as writer:
                for one in texts_in_order(writer.connection, some):
                    text = check.fix(one.text)
                    if text is None or text == one.text:
                        left += 1
                        continue
                    zones = zones_of(writer.connection, one.calendar)
                    before, after = derive(one.component, one.text, zones), derive(one.component, text, zones)
                    version = writer.add_text(one.component, text, zones)
                    rest = (one.calendar, one.component, after.uid, after.recurrence_id)
                    words = f"{check.title}: fixed."
                    if (before.uid, before.recurrence_id) == (after.uid, after.recurrence_id):
                        draft.add(Change(*rest, one.id, version, words))
                    else:  # what it is known by is put right: it is another entry then
                        was = (one.calendar, one.component, before.uid, before.recurrence_id)
                        draft.add(Change(*was, one.id, None, words), Change(*rest, None, version, words))
        draft.title = lambda tally: f"Fix: {check.title.lower()}, {tally.what} in {tally.where}"
        draft.reason = f"{counted(left, 'entry', 'entries')} cannot be fixed automatically." if left else ""
    return {"set_id": draft.id}


def _entries(context: JobContext, code: str) -> list[VersionId]:
    """The entries to be fixed: all with a finding, those in a calendar, or a single one."""
    with context.store.read() as connection:
        versions = findings.entries_with(connection, code, context.params.get("calendar"))
    only = context.params.get("entry")
    return versions if only is None else [version for version in versions if version == only]


def _heal(context: JobContext, check: Check) -> dict[str, object]:
    """Propose series without a series finding, each with all entries of its UID."""
    store = context.store
    ids = _entries(context, check.code)
    with store.read() as connection:
        masters = series_of(connection, ids)
    left: dict[str, None] = {}
    with propose(store, Kind.FIX, context.by, "", nothing=_NOTHING) as draft:
        draft.afterwards(context.conclude_with_set)
        done = 0
        for calendar, some in masters.items():
            for chunk in chunks(some, _AT_ONCE):
                context.progress(done, len(ids), "entries")
                done += len(chunk)
                with draft.stage() as writer:
                    zones = zones_of(writer.connection, calendar)
                    for group in groups_of(writer.connection, calendar, chunk, zones):
                        plan = heal(group, {check.code}, stamp())
                        left |= dict.fromkeys(plan.notes)
                        put(draft, writer, calendar, {member.id: member.text for member in group.members}, plan, zones)
        draft.title = lambda tally: f"Fix: {check.title.lower()}, {tally.what} in {tally.where}"
        draft.reason = f"Unchanged: {' '.join(list(left)[:4])}" if left else ""
    return {"set_id": draft.id}
