"""Scheduled work: due calendars are refreshed, pending changes pushed, and maintenance queued."""

from __future__ import annotations

from functools import partial

from datebridge.core.accounts import AccountKind
from datebridge.core.changes import CLOCK
from datebridge.core.job_kinds import JobKind
from datebridge.services.accounts.refreshing import queue_pulls
from datebridge.services.jobs.repeating import Repeating
from datebridge.services.running.maintenance import queue_maintenance
from datebridge.services.sharing.handing import queue_due
from datebridge.settings import Settings
from datebridge.store.changesets.apply import follow_up
from datebridge.store.changesets.moves import has_unfinished
from datebridge.store.database import Store
from datebridge.store.jobs import lanes_with
from datebridge.store.pushes import pending, queue_pushes, ready_to_push
from datebridge.store.remotes import accounts_of, due

#: How often it is looked, in seconds.
_LOOK = 5


def tick(store: Store, settings: Settings) -> None:
    """Queue what is due, unless the account it is on is being refreshed already."""
    usual = {kind.value: settings.usual_interval(kind) for kind in AccountKind}
    with store.read() as connection:
        busy = lanes_with(connection, JobKind.PULL, ("queued", "running"))
        owners = accounts_of(connection, due(connection, usual))
        ready = ready_to_push(connection)
        pushing = lanes_with(connection, JobKind.PUSH, ("running",))
        waits = pending(connection)
        moving = has_unfinished(connection)
    wanted = [remote for remote, account in owners.items() if JobKind.PULL.lane(account) not in busy]
    if wanted:
        queue_pulls(store, "Refreshing", wanted, CLOCK)
    free = [remote for remote, account in ready.items() if JobKind.PUSH.lane(account) not in pushing]
    if any(remote in free for own in waits.values() for remote in own):
        with store.write() as connection:
            queue_pushes(connection, free)
    if moving:
        with store.write() as connection:
            follow_up(connection)
    queue_due(store)
    queue_maintenance(store)


def clock(store: Store, settings: Settings) -> Repeating:
    """What looks every few seconds what is due."""
    return Repeating("clock", _LOOK, partial(tick, store, settings))
