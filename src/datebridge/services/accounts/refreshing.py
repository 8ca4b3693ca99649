"""Calendars of accounts and feeds, queued to be refreshed."""

from __future__ import annotations

from collections.abc import Sequence

from datebridge.core.changes import PERSON, By
from datebridge.core.ids import JobId, RemoteId
from datebridge.core.job_kinds import JobKind
from datebridge.services.jobs.jobs import enqueue
from datebridge.store.accounts import remote
from datebridge.store.database import Store
from datebridge.store.tables import demand_id


def queue_pulls(store: Store, verb: str, remote_ids: Sequence[RemoteId], by: By = PERSON) -> list[JobId]:
    """Queue refreshing calendars: one job an account, so that none waits for another; returns the jobs.

    Raises:
        NotConnected: if a calendar is not there any more.
    """
    rows = [remote(store, remote_id) for remote_id in remote_ids]
    made = []
    for account in dict.fromkeys(row.account_id for row in rows):
        own = [row for row in rows if row.account_id == account]
        what = own[0].name if len(own) == 1 else f"{len(own)} calendars"
        params = {"remotes": [demand_id(row.id) for row in own]}
        made.append(enqueue(store, JobKind.PULL, f"{verb} {what}", params, account, by))
    return made
