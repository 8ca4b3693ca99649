"""Copying and moving: any selection to any calendar, whole series together, silently.

Versions are staged piece by piece, so nobody waits for a large transfer, and it can be stopped; then what is there
already is told apart, and the set is made.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from datebridge.core.changes import PERSON, By, Details, Kind
from datebridge.core.ids import SetId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.services.jobs.jobs import JobContext, performs
from datebridge.services.transfer.copying import Copying, Report, Target
from datebridge.store.changesets.draft import CannotApply, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.present import with_series


@performs(JobKind.TRANSFER)
def transfer_job(context: JobContext) -> dict[str, object]:
    """Propose a transfer, as a job: tens of thousands of entries take a while."""
    selection, target = Selection.read(context.params), Target(**context.params["target"])
    result: dict[str, object] = {}

    def conclude(connection: Connection, set_id: SetId) -> None:
        result.update(context.conclude(connection, {"set_id": set_id}))

    def report(done: int, total: int) -> None:
        context.progress(done, total, "entries")

    _propose(context.store, Ledger(context.store), selection, target, context.by, report, conclude)
    return result


def propose_transfer(store: Store, ledger: Ledger, selection: Selection, target: Target, by: By = PERSON) -> SetId:
    """Propose copying (or moving) a selection; returns the change set.

    Raises:
        CannotApply: if nothing is selected, or the target may not be written.
        FilterError: if the selection's filter does not parse.
    """
    return _propose(store, ledger, selection, target, by, lambda done, total: None, lambda connection, set_id: None)


def transfer_changed(
    context: JobContext, ids: Iterable[VersionId], target: Target, changed: Mapping[VersionId, str | None], note: str
) -> SetId:
    """Propose a transfer of entries as other texts, and end the job with it; what is None there is not copied.

    Args:
        note: what was changed on the way, for the set's reason.
    """

    def report(done: int, total: int) -> None:
        context.progress(done, total, "entries")

    return _transfer(context.store, ids, target, context.by, report, context.conclude_with_set, changed, note)


def _propose(
    store: Store,
    ledger: Ledger,
    selection: Selection,
    target: Target,
    by: By,
    report: Report,
    conclude: Callable[[Connection, SetId], None],
) -> SetId:
    with store.read() as connection:
        ids = list(ledger.ids(connection, selection))
    return _transfer(store, ids, target, by, report, conclude, {}, "")


def _transfer(
    store: Store,
    ids: Iterable[VersionId],
    target: Target,
    by: By,
    report: Report,
    conclude: Callable[[Connection, SetId], None],
    changed: Mapping[VersionId, str | None],
    note: str,
) -> SetId:
    with store.read() as connection:
        whole = with_series(connection, ids)
    if not whole:
        raise CannotApply("Nothing is selected, so there is nothing to copy.")
    details = Details(move=target.move, tell=target.tell)
    with propose(store, Kind.TRANSFER, by, "", details=details) as draft:
        draft.afterwards(conclude)
        Copying(store, draft, target, report, changed).run(whole)
        draft.reason = " ".join(filter(None, (note, draft.reason)))
    return draft.id
