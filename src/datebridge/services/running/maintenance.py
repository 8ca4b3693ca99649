"""Maintenance: counting by day, looking at entries with checks that have changed, clearing away."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import asdict
from functools import partial

from datebridge.core.ids import CalendarId, GroupId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.zones.meaning import Zones
from datebridge.services.imports.deriving import Deriving, Reading, Text
from datebridge.services.jobs.jobs import JobContext, performs
from datebridge.store import findings
from datebridge.store.changesets import collect
from datebridge.store.database import Store
from datebridge.store.entries import density
from datebridge.store.entries.rows import Row
from datebridge.store.jobs import queue_collecting


@performs(JobKind.COUNT)
def count_job(context: JobContext) -> dict[str, object]:
    """Recompute what is kept of a calendar's days."""
    return {"years": density.refresh_kept(context.store, int(context.params["calendar"]))}


@performs(JobKind.CHECK)
def check_job(context: JobContext) -> dict[str, object]:
    """Look at a calendar as a whole, or at every entry with the checks that have changed."""
    calendar = context.params.get("calendar")
    if calendar is not None:
        return {"findings": findings.check_calendar(context.store, CalendarId(calendar))}

    def report(done: int, total: int) -> None:
        context.remember(last=done)  # begun again, it goes on from there
        context.progress(done, total, "entries")

    begin = VersionId(context.params.get("last", 0))
    with Deriving(findings.total_size(context.store)) as deriving:
        return {"findings": findings.check_everything(context.store, report, begin, partial(_examined, deriving))}


def _examined(
    deriving: Deriving, pieces: Iterable[findings.Unexamined]
) -> Iterator[tuple[findings.Unexamined, Sequence[Row]]]:
    """Versions read with all checks, on other cores where they are many."""

    def texts() -> Iterator[tuple[findings.Unexamined, Reading, dict[GroupId, Zones]]]:
        for piece in pieces:
            own = [
                Text(GroupId(n), version.component, version.text)
                for n, version in zip(piece.beside, piece.versions, strict=True)
            ]
            yield piece, Reading(own), {GroupId(n): zones for n, zones in piece.zones.items()}

    for piece, batch in deriving.each(texts()):
        yield piece, batch.rows


@performs(JobKind.COLLECT)
def collect_job(context: JobContext) -> dict[str, object]:
    """Clear away what nothing holds any more."""
    return asdict(collect.collect(context.store, context.check))


def queue_maintenance(store: Store) -> None:
    """Queue maintenance jobs, unless they are queued already."""
    with store.read() as connection:
        count = density.stale(connection)
        check = findings.outdated(connection) or findings.changed_calendars(connection)
        clear = collect.is_wanted(connection)
    if count or check or clear:
        with store.write() as connection:
            density.queue_refreshing(connection)
            findings.queue_checking(connection)
            if clear:
                queue_collecting(connection)
